package e2e

import (
	"os"
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
	p.open("/")
	p.until("document.querySelector('#name')")
	save("console-sign-in.png")
	p.signIn()
	p.until("document.querySelectorAll('[data-batch]').length === 3")
	save("console-batches.png")
	p.open("/batches/1")
	p.until("document.querySelectorAll('[data-part] img').length === 10")
	save("console-batch.png")
	p.open("/batches/3")
	p.until("document.querySelectorAll('[data-part]').length === 11")
	save("console-batch-rejected.png")
	part := func(name, query string) {
		p.open("/parts/" + itoa(ids[name]) + query)
		p.until("window.__viewer?.frames > 0")
	}
	part("fog-bell.stl", "?r=0&finding=open-boundary&place=0")
	save("console-part-finding.png")
	part("fog-bell.stl", "")
	save("console-part-repaired.png")
	part("wind-vanes.3mf", "")
	p.click("[role=toolbar] button:nth-child(5)")
	p.until("document.querySelector('[aria-label=\"Wall thickness\"]')")
	p.do(chromedp.Sleep(2 * time.Second)) // for the software renderer to draw
	save("console-walls.png")
	part("hour-hand.stl", "")
	save("console-unit-question.png")
	part("net-float.obj", "")
	p.until("[...document.querySelectorAll('[data-answer] img')].filter(i => i.complete && i.naturalWidth > 0).length === 2")
	save("console-question.png")
	p.open("/glossary")
	p.until("document.querySelectorAll('article').length > 5")
	save("console-findings-explained.png")
	p.do(chromedp.Sleep(0))
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[string]("localStorage.setItem('theme', 'flood'), ''"))
	require.NoError(t, err)
	part("lantern-cage.3mf", "")
	save("console-part-dark.png")
	p.open("/batches/2")
	p.until("document.querySelectorAll('[data-part] img').length === 12")
	save("console-batch-dark.png")
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
