package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"veneer/client"
	"veneer/demo"
)

// TestScreenshots refreshes the console's pictures in the documentation; make
// shots sets the folder.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("VENEER_SHOTS")
	if dir == "" {
		t.Skip("make shots takes the documentation's pictures")
	}
	s := start(t, t.TempDir())
	c := s.client(t)
	ids := map[string]int64{}
	for _, b := range demo.Batches() {
		batch, err := c.Submit(t.Context(), client.Submission{Name: b.Name, Customer: b.Customer, Process: b.Process, Paths: pathsOf(b)})
		require.NoError(t, err)
		require.NoError(t, c.WatchUntilDone(t.Context(), batch.ID, nil))
		all, err := c.Batch(t.Context(), batch.ID)
		require.NoError(t, err)
		for _, p := range all.Parts {
			ids[p.Name] = p.ID
		}
	}
	p := openPage(t, s.address)
	save := func(name string) {
		_, b := p.shot()
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), b, 0o644))
	}
	p.signIn()
	p.until("document.querySelectorAll('[data-batch]').length === 3")
	save("console-batches.png")
	p.open("/batches/3")
	p.until("document.querySelectorAll('[data-part]').length > 7")
	save("console-batch.png")
	p.open("/batches/2?view=line-up")
	p.until("document.querySelectorAll('[data-lined] img').length > 10 && [...document.querySelectorAll('[data-lined] img')].slice(0, 6).every(i => i.naturalWidth > 0)")
	save("console-line-up.png")
	part := func(name, query string) {
		p.open("/parts/" + itoa(ids[name]) + query)
		p.until("window.__viewer?.frames > 0")
	}
	part("fog-bell.stl", "?r=0&finding=open-boundary&place=0")
	save("console-part-finding.png")
	part("fog-bell.stl", "?r=0&cut=z57.1")
	p.until("document.querySelector('[data-open]')")
	save("console-layer.png")
	require.NoError(t, c.Repair(t.Context(), ids["bollard.stl"], 0, "hollow=2.5,4,2"))
	require.NoError(t, c.WatchUntilDone(t.Context(), 1, nil))
	part("bollard.stl", "?cut=y0f&tab=mend")
	p.until("document.querySelector('[data-order=hollow]')")
	save("console-section.png")
	part("wind-vanes.3mf", "")
	p.click("[data-switch=Walls]")
	p.until("document.querySelector('[aria-label=\"Wall thickness\"]')")
	p.do(chromedp.Sleep(2 * time.Second)) // for the software renderer to draw
	save("console-walls.png")
	part("net-float.obj", "")
	p.until("[...document.querySelectorAll('[data-answer] img')].filter(i => i.complete && i.naturalWidth > 0).length === 2")
	save("console-question.png")
	p.open("/parts/" + itoa(ids["fog-bell.stl"]) + "/compare")
	p.until("document.querySelector('[data-most]') && document.querySelector('[aria-label=Deviation]')")
	p.do(chromedp.Sleep(2 * time.Second))
	save("console-compare.png")
	part("rope-knot.stl", "?tab=lighter")
	p.click("#make-levels")
	p.until("[...document.querySelectorAll('[data-level] img')].filter(i => i.naturalWidth > 0).length === 3")
	save("console-levels.png")
	require.NoError(t, c.Propose(t.Context(), ids["hull-section.obj"]))
	require.NoError(t, c.AddNote(t.Context(), ids["hull-section.obj"], "The museum wants the keel to face the door."))
	part("hull-section.obj", "?tab=record")
	p.until("document.querySelector('[data-sign-off=approve]')")
	save("console-record.png")
	p.open("/insights")
	p.until("document.querySelector('[aria-label=Weeks] a')")
	save("console-insights.png")
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[string]("localStorage.setItem('theme', 'flood'), ''"))
	require.NoError(t, err)
	part("lantern-cage.3mf", "")
	save("console-part-dark.png")
	var b bytes.Buffer // a page of the report, as it is printed
	require.NoError(t, c.ReportPDF(t.Context(), ids["fog-bell.stl"], false, &b))
	pdf := filepath.Join(t.TempDir(), "report.pdf")
	require.NoError(t, os.WriteFile(pdf, b.Bytes(), 0o600))
	require.NoError(t, exec.Command("pdftoppm", "-r", "80", "-png", "-f", "1", "-singlefile", pdf, filepath.Join(dir, "report")).Run())
}

func pathsOf(b demo.Batch) (paths []string) {
	for _, f := range b.Files {
		paths = append(paths, filepath.Join(demoSet, b.Folder, f.Name))
		for name := range f.Beside() {
			paths = append(paths, filepath.Join(demoSet, b.Folder, name))
		}
	}
	return paths
}
