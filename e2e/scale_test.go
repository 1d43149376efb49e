package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/format/stl"
	"veneer/core/mesh/meshtest"
)

// TestScale measures how time and memory of a check grow with the number of
// triangles and draws them; make scale sets the file to draw to.
func TestScale(t *testing.T) {
	picture := os.Getenv("VENEER_SCALE")
	if picture == "" {
		t.Skip("make scale measures how a check grows")
	}
	type point struct{ triangles, seconds, bytes float64 }
	var points []point
	for _, n := range []int{71, 122, 224, 387, 707, 1225, 2236} {
		path := filepath.Join(t.TempDir(), "bumpy.stl")
		f, err := os.Create(path)
		require.NoError(t, err)
		require.NoError(t, errors.Join(stl.WriteBinary(f, meshtest.Bumpy(n)), f.Close()))
		best := point{seconds: math.Inf(1)}
		for range 3 {
			cmd := exec.Command(binary, "check", path, "--json")
			start := time.Now()
			out, err := cmd.Output()
			took := time.Since(start).Seconds()
			require.NoError(t, err)
			var r check.Report
			require.NoError(t, json.Unmarshal(out, &r))
			require.Equal(t, check.Pass, r.Verdict)
			if took < best.seconds {
				best = point{float64(r.Geometry.Triangles), took, float64(cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss) * 1024}
			}
		}
		t.Logf("%9.0f triangles: %6.2f s, %5.0f ns and %4.0f bytes a triangle", best.triangles, best.seconds, 1e9*best.seconds/best.triangles, best.bytes/best.triangles)
		points = append(points, best)
		require.NoError(t, os.Remove(path))
	}

	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 680 400" width="680" height="400" font-family="sans-serif" font-size="12"><rect width="680" height="400" fill="#fdfefa"/>`)
	x := func(n float64) float64 { return 90 + 180*(math.Log10(n)-4) }
	y := func(s float64) float64 { return 340 - 90*(math.Log10(s)+2) }
	for e := 4; e <= 7; e++ {
		fmt.Fprintf(&b, `<path d="M%.0f 30V340" stroke="#dcdcd4"/><text x="%.0f" y="358" text-anchor="middle">%s</text>`, x(math.Pow10(e)), x(math.Pow10(e)), []string{"10 000", "100 000", "1 million", "10 million"}[e-4])
	}
	for e := -2; e <= 1; e++ {
		fmt.Fprintf(&b, `<path d="M90 %.0fH630" stroke="#dcdcd4"/><text x="82" y="%.0f" text-anchor="end">%g s</text>`, y(math.Pow10(e)), y(math.Pow10(e))+4, math.Pow10(e))
	}
	million := points[4]
	var line, law string
	for i, p := range points {
		letter := map[bool]string{true: "M", false: "L"}[i == 0]
		line += fmt.Sprintf("%s%.1f %.1f", letter, x(p.triangles), y(p.seconds))
		law += fmt.Sprintf("%s%.1f %.1f", letter, x(p.triangles), y(million.seconds*p.triangles*math.Log2(p.triangles)/(million.triangles*math.Log2(million.triangles))))
		label := fmt.Sprintf("%.2g s", p.seconds)
		if p.triangles > 9e5 { // below, the program itself takes most of it
			label += fmt.Sprintf(", %.0f bytes a triangle", p.bytes/p.triangles)
		}
		fmt.Fprintf(&b, `<circle cx="%.1f" cy="%.1f" r="4" fill="#12747c"/><text x="%.1f" y="%.1f" text-anchor="end" fill="#14323a">%s</text>`,
			x(p.triangles), y(p.seconds), x(p.triangles)-4, y(p.seconds)-10, label)
	}
	fmt.Fprintf(&b, `<path d="%s" fill="none" stroke="#12747c" stroke-width="2"/><path d="%s" fill="none" stroke="#c8592e" stroke-dasharray="5 4"/>`, line, law)
	b.WriteString(`<text x="100" y="52" fill="#12747c">veneer check, the whole command, every kind of finding, 2 cores</text><text x="100" y="70" fill="#c8592e">dashed: n log n through the million</text><text x="340" y="384" text-anchor="middle">triangles of a closed bumpy torus, binary STL</text></svg>` + "\n")
	require.NoError(t, os.WriteFile(picture, []byte(b.String()), 0o644))

	largest := points[len(points)-1]
	growth := largest.seconds / million.seconds / (largest.triangles * math.Log2(largest.triangles) / (million.triangles * math.Log2(million.triangles)))
	assert.Less(t, growth, 1.6, "time against n log n")
}
