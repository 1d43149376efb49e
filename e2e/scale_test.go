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
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair/fuse"
	"veneer/core/repair/recast"
	"veneer/core/repair/touchup"
)

// point is how long something took, and what it needed.
type point struct{ triangles, seconds, bytes float64 }

// curve is how something grows.
type curve struct {
	words, colour string
	points        []point
}

// TestScale measures how a check grows with its file, from ten thousand triangles
// to ten million, and draws it.
func TestScale(t *testing.T) {
	picture := os.Getenv("VENEER_SCALE")
	if picture == "" {
		t.Skip("make scale measures how a check grows")
	}
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
	draw(t, picture, []curve{{"veneer check, the whole command, every kind of finding, 2 cores", "#12747c", points}}, "triangles of a closed bumpy torus, binary STL")
	million, largest := points[4], points[len(points)-1]
	assert.Less(t, growth(million, largest), 1.6, "time against n log n")
}

// TestRepairScale measures how fusing grows with what is fused, and recasting with
// what is drawn.
func TestRepairScale(t *testing.T) {
	picture := os.Getenv("VENEER_REPAIR_SCALE")
	if picture == "" {
		t.Skip("make scale measures how repairs grow")
	}
	fused := curve{words: "fuse: two rings that cross, by their triangles", colour: "#12747c"}
	for _, n := range []int{71, 122, 224, 387, 707} {
		two := meshtest.Bumpy(n)
		more := int32(len(two.Positions))
		for _, p := range two.Positions[:more] {
			two.Positions = append(two.Positions, geom.Vec{X: p.Z + 40, Y: p.Y + 0.3, Z: p.X + 0.2}.Single())
		}
		for _, v := range two.Triangles[:len(two.Triangles):len(two.Triangles)] {
			two.Triangles = append(two.Triangles, mesh.Triangle{v[0] + more, v[2] + more, v[1] + more})
		}
		two.Round()
		best := point{float64(len(two.Triangles)), math.Inf(1), 0}
		for range 3 {
			m := two.Clone()
			start := time.Now()
			_, err := fuse.Run(t.Context(), m, touchup.DropFlat, nil)
			best.seconds = min(best.seconds, time.Since(start).Seconds())
			require.NoError(t, err)
		}
		t.Logf("fuse %9.0f triangles: %6.2f s", best.triangles, best.seconds)
		fused.points = append(fused.points, best)
	}
	drawn := curve{words: "recast, by the triangles drawn: 64 to 512 cells along a ring", colour: "#8a5a9c"}
	ring := meshtest.Bumpy(500)
	ring.Round()
	for _, cells := range []float64{64, 128, 256, 512} {
		cell := 100.6 / cells
		whole, err := recast.Run(t.Context(), ring, recast.Settings{CellMM: cell}, nil)
		require.NoError(t, err)
		best := point{float64(len(whole.Triangles)), math.Inf(1), 0}
		for range 3 {
			start := time.Now()
			_, err := recast.Run(t.Context(), ring, recast.Settings{CellMM: cell, ToleranceMM: cell / 8}, nil)
			best.seconds = min(best.seconds, time.Since(start).Seconds())
			require.NoError(t, err)
		}
		t.Logf("recast %4.0f cells, %9.0f triangles: %6.2f s", cells, best.triangles, best.seconds)
		drawn.points = append(drawn.points, best)
	}
	draw(t, picture, []curve{drawn, fused}, "triangles")
	assert.Less(t, growth(fused.points[2], fused.points[4]), 1.6, "time against n log n")
	assert.Less(t, growth(drawn.points[1], drawn.points[3]), 1.6, "time against n log n")
}

// growth compares how time grew with n log n.
func growth(a, b point) float64 {
	return b.seconds / a.seconds / (b.triangles * math.Log2(b.triangles) / (a.triangles * math.Log2(a.triangles)))
}

// draw plots curves on logarithmic axes, each with n log n dashed through the point
// nearest to a million.
func draw(t *testing.T, path string, curves []curve, below string) {
	t.Helper()
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
	for k, c := range curves {
		near := c.points[0]
		for _, p := range c.points {
			if math.Abs(math.Log(p.triangles/1e6)) < math.Abs(math.Log(near.triangles/1e6)) {
				near = p
			}
		}
		var line, law string
		for i, p := range c.points {
			letter := map[bool]string{true: "M", false: "L"}[i == 0]
			line += fmt.Sprintf("%s%.1f %.1f", letter, x(p.triangles), y(p.seconds))
			law += fmt.Sprintf("%s%.1f %.1f", letter, x(p.triangles), y(near.seconds*p.triangles*math.Log2(p.triangles)/(near.triangles*math.Log2(near.triangles))))
			label := fmt.Sprintf("%.2g s", p.seconds)
			if p.triangles > 9e5 && p.bytes > 0 { // below, the program itself takes most of it
				label += fmt.Sprintf(", %.0f bytes a triangle", p.bytes/p.triangles)
			}
			dx, dy, anchor := -4., -10., "end"
			if k == 1 {
				dx, dy, anchor = 6, 16, "start"
			}
			fmt.Fprintf(&b, `<circle cx="%.1f" cy="%.1f" r="4" fill="%s"/><text x="%.1f" y="%.1f" text-anchor="%s" fill="#14323a">%s</text>`, x(p.triangles), y(p.seconds), c.colour, x(p.triangles)+dx, y(p.seconds)+dy, anchor, label)
		}
		fmt.Fprintf(&b, `<path d="%s" fill="none" stroke="%s" stroke-width="2"/><path d="%s" fill="none" stroke="#c8592e" stroke-dasharray="5 4"/><text x="625" y="%d" text-anchor="end" fill="%s">%s</text>`, line, c.colour, law, 296+18*k, c.colour, c.words)
	}
	fmt.Fprintf(&b, `<text x="625" y="%d" text-anchor="end" fill="#c8592e">dashed: n log n through the point nearest to a million</text><text x="340" y="384" text-anchor="middle">%s</text></svg>`+"\n", 296+18*len(curves), below)
	require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o644))
}
