package e2e

import (
	"archive/zip"
	"context"
	"fmt"
	"image"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/client"
)

// teal is the colour of what is solid in a cut, filled that in a layer, and warm that
// of what is off.
func teal(r, g, b int) bool   { return r < 70 && g > 85 && g < 140 && b > 95 && b < 150 }
func filled(r, g, b int) bool { return r < 80 && g > 130 && b > 130 }
func warm(r, g, b int) bool   { return r > 170 && g < r-40 && b < g }

// count evaluates a number on the page.
func (p *page) count(js string) int {
	p.t.Helper()
	n, err := chromedp.Run(p.ctx, chromedp.Evaluate[float64](js))
	require.NoError(p.t, err)
	return int(n)
}

// drop drops files from outside onto the page.
func (p *page) drop(paths ...string) {
	p.t.Helper()
	p.do(chromedp.Func(func(ctx context.Context, tg *chromedp.Target) error {
		for _, kind := range []string{"dragEnter", "dragOver", "drop"} {
			_, err := cdp.Call(ctx, tg, input.DispatchDragEvent, input.DispatchDragEventParams{Type: input.DispatchDragEventType(kind), X: 300, Y: 300,
				Data: &input.DragData{Items: []*input.DragDataItem{}, Files: paths, DragOperationsMask: 1}})
			if err != nil {
				return err
			}
		}
		return nil
	}))
}

// press sends a key to the page.
func (p *page) press(key string) {
	p.t.Helper()
	p.do(chromedp.KeyEvent(key))
}

// TestTheWholeJob is an operator's day: files are dropped, a unit is settled in the
// line-up, findings are walked by keys, a question is answered by key, a part is mended,
// compared and made lighter, and all is handed over in one zip.
func TestTheWholeJob(t *testing.T) {
	s := start(t, t.TempDir())
	c := s.client(t)
	p := openPage(t, s.address)
	p.signIn()
	p.drop(demoFile(t, "fog-bell.stl"), demoFile(t, "hour-hand.stl"), demoFile(t, "net-float.obj"), demoFile(t, "mooring-post.stl"), demoFile(t, "holiday.stl"))
	p.until("document.querySelector('form').innerText.includes('5 files')")
	p.fill("#customer", "Harbour Museum")
	p.click("#send")
	p.until("location.pathname === '/batches/1'")
	p.until("document.querySelectorAll('[data-outcome=hold]').length === 2 && document.querySelectorAll('[data-part] progress').length === 0")

	// The line-up: the hand's unit is tried, which changes its size on the page, and settled.
	p.press("3")
	p.until("document.querySelectorAll('[data-lined] img').length === 4 && document.querySelector('[data-beside]')")
	hand := "[...document.querySelectorAll('[data-lined]')].find(e => e.innerText.includes('hour-hand'))"
	p.until(hand + "?.querySelector('[data-try=in]')")
	p.do(chromedp.Click(chromedp.CSS("[data-try=in]")))
	p.until(hand + ".innerText.includes('122 × 23 × 3.85 mm')")
	wide := p.count(hand + ".querySelector('img').getBoundingClientRect().width")
	post := p.count("[...document.querySelectorAll('[data-lined]')].find(e => e.innerText.includes('mooring-post')).querySelector('img').getBoundingClientRect().width")
	assert.InDelta(t, 121.5/60, float64(wide)/float64(post), 0.05, "one scale for all")
	p.click("[data-settle]")
	p.until("!document.querySelector('[data-settle]') && " + hand + ".querySelector('[data-outcome=pass]')")
	all, err := c.Batch(t.Context(), 1)
	require.NoError(t, err)
	ids := map[string]int64{}
	for _, part := range all.Parts {
		ids[part.Name] = part.ID
		if part.Name == "hour-hand.stl" {
			assert.Equal(t, "in", part.UnitSet)
		}
	}

	// A question is answered by its key.
	p.open("/parts/" + itoa(ids["net-float.obj"]))
	p.until("document.querySelector('[data-answer=hollow]') && window.__viewer?.frames > 0")
	p.click("[data-switch=Section]")
	p.until("location.search.includes('cut=y')")
	img, _ := p.shot()
	assert.Greater(t, painted(img, theView, teal), 0.15, "a solid in a solid is filled all over")
	p.press("1")
	p.until("document.querySelector('aside [data-outcome=repaired]') && !document.querySelector('[data-answer]')")
	p.until("document.querySelector('[data-revision=\"1\"]') && !location.search.includes('r=0')")
	p.settled()
	img, _ = p.shot()
	assert.Greater(t, painted(img, theView, teal), 0.02, "the wall between skin and hollow is filled")
	assert.Less(t, painted(img, theView, teal), 0.1, "and the hollow is none")

	// Findings are walked by keys; the address leads a colleague to the same place.
	bell := "/parts/" + itoa(ids["fog-bell.stl"])
	p.open(bell + "?r=0")
	p.until("document.querySelector('[data-finding=open-boundary]') && window.__viewer?.frames > 0")
	p.press("N")
	p.until("location.search.includes('place=0') && document.querySelector('aside').innerText.includes('place 1 of 3')")
	p.press("n")
	p.until("location.search.includes('place=1') && document.querySelector('aside').innerText.includes('place 2 of 3')")
	p.press("o")
	p.until("document.querySelector('[data-switch=\"Only this\"]').getAttribute('aria-pressed') === 'true'")
	img, _ = p.shot()
	assert.Less(t, painted(img, theView, rust), 0.01, "all but the finding is faint")
	assert.Greater(t, painted(img, theView, amber), 0.0008, "which is there")
	p.press("o")
	// The strip has the bands of the three holes; a layer through the first does not close.
	assert.Equal(t, 3, p.count("document.querySelectorAll('#layer-strip .bg-error').length"))
	p.press("l")
	p.until("location.search.includes('cut=z') && document.querySelector('[data-open]')?.innerText === 'does not close'")
	strip := func(part string) float64 {
		t.Helper()
		x, err := chromedp.Run(p.ctx, chromedp.Evaluate[float64]("document.querySelector('#layer-strip').getBoundingClientRect()."+part))
		require.NoError(t, err)
		return x
	}
	x, top, tall := strip("left")+strip("width")/2, strip("top"), strip("height")
	p.do(chromedp.MouseClickXY(x, top+0.3*tall)) // where nothing is wrong
	p.until("document.querySelector('[aria-label=Layer]')?.innerText.includes('cm²') && !document.querySelector('[data-open]')")
	p.settled()
	img, _ = p.shot()
	assert.Greater(t, painted(img, image.Rect(555, 430, 795, 660), filled), 0.08, "the layer is a filled ring")
	p.press(kb.Escape)
	p.until("!location.search.includes('cut') && !location.search.includes('finding')")

	// A point of the surface is measured; the wall of the bell is 3 to 9 mm.
	p.press("m")
	p.until("document.querySelector('[aria-label=Measured]')")
	p.do(chromedp.MouseClickXY(430, 480))
	p.until("/^\\d/.test(document.querySelector('[data-wall]')?.innerText)")
	wall := p.count("10 * parseFloat(document.querySelector('[data-wall]').innerText)")
	assert.True(t, wall > 20 && wall < 200, "%d tenths of a mm", wall)
	p.do(chromedp.MouseClickXY(460, 520))
	p.until("document.querySelector('[data-distance]')")
	p.press("m")

	// Mended by a method that is chosen, with what it takes told before.
	p.click("[data-tab=mend]")
	p.until("document.querySelector('[aria-label=Plan] li')")
	p.do(chromedp.SetValue(chromedp.CSS("[aria-label=method]"), "recast"))
	p.do(chromedp.SendKeys(chromedp.CSS("[aria-label=cell]"), "1.5"))
	p.until("document.querySelector('[data-needs]')?.innerText.includes('of memory')")
	p.click("[data-order=mend]")
	p.until("document.querySelector('[data-revision=\"2\"]')?.getAttribute('aria-selected') === 'true' && document.querySelector('aside [data-outcome=repaired]')")
	part, err := c.Part(t.Context(), ids["fog-bell.stl"])
	require.NoError(t, err)
	require.Len(t, part.Revisions, 3)
	assert.Contains(t, part.Revisions[2].Title, "on cells of 1.5 mm")

	// Compared with what was received: numbers, the map of the deviation, one camera for both.
	p.click("#compare")
	p.until("document.querySelector('[data-most]') && document.querySelectorAll('canvas').length === 2")
	assert.Contains(t, p.text("[aria-label=Table]"), "open boundary")
	p.until("document.querySelector('[aria-label=Deviation]')")
	p.do(chromedp.Sleep(2 * time.Second)) // for the software renderer to paint the map
	img, _ = p.shot()
	right := image.Rect(460, 120, 840, 700)
	assert.Greater(t, painted(img, right, warm), 0.0005, "where holes were filled it is off")
	before := painted(img, right, light) + painted(img, right, pale)
	assert.Greater(t, before, 0.1, "both are drawn")
	p.do(chromedp.Func(func(ctx context.Context, tg *chromedp.Target) error { // turning the one turns the other
		for i, kind := range []string{"mousePressed", "mouseMoved", "mouseReleased"} {
			if _, err := cdp.Call(ctx, tg, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: input.DispatchMouseEventType(kind), X: 200 + 60*float64(i), Y: 300 - 60*float64(i), Button: "left", Buttons: 1, ClickCount: 1}); err != nil {
				return err
			}
		}
		return nil
	}))
	p.do(chromedp.Sleep(time.Second))
	turned, _ := p.shot()
	assert.Greater(t, differing(img, turned, right), 0.02, "the other view turned too")
	p.click("[data-show=over]")
	p.until("document.querySelector('[aria-label=divider]')")

	// Made lighter by a level that was looked at.
	p.open(bell + "?tab=lighter")
	p.until("document.querySelector('#make-levels')")
	p.click("#make-levels")
	p.until("document.querySelectorAll('[data-level] img').length === 3")
	p.click("[data-order=level-even]")
	p.until("document.querySelector('[data-revision=\"3\"]')?.getAttribute('aria-selected') === 'true' && document.querySelector('aside [data-outcome=repaired]')")

	// Handed over: the newest files and reports in one zip.
	p.open("/batches/1")
	p.until("document.querySelector('#export')")
	z, err := zip.OpenReader(p.download("#export"))
	require.NoError(t, err)
	defer z.Close()
	names := map[string]bool{}
	dir := t.TempDir()
	for _, f := range z.File {
		names[f.Name] = true
		if f.Name != "fog-bell-lighter.stl" {
			continue
		}
		r, err := f.Open()
		require.NoError(t, err)
		content, err := io.ReadAll(r)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), content, 0o600))
	}
	for _, name := range []string{"fog-bell-lighter.stl", "hour-hand.stl", "net-float-touch-up.3mf", "mooring-post.stl", "parts.csv", "reports/fog-bell-lighter.stl.report.json"} {
		assert.True(t, names[name], "%s of %v", name, names)
	}
	out, _, code := run(t, nil, "check", filepath.Join(dir, "fog-bell-lighter.stl"))
	assert.Equal(t, 0, code, out)
}

// differing is the share of a region's pixels that are not alike in two pictures.
func differing(a, b image.Image, in image.Rectangle) float64 {
	n := 0
	for y := in.Min.Y; y < in.Max.Y; y++ {
		for x := in.Min.X; x < in.Max.X; x++ {
			if a.At(x, y) != b.At(x, y) {
				n++
			}
		}
	}
	return float64(n) / float64(in.Dx()*in.Dy())
}

// TestTwoOperators look at one part: what the one does, the other sees; and when the
// service goes away the page says so, and goes on when it is back.
func TestTwoOperators(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	c := s.client(t)
	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: []string{demoFile(t, "hour-hand.stl")}})
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	p := openPage(t, s.address)
	p.signIn()
	p.open("/parts/1")
	p.until("document.querySelector('[data-answer=in]')")
	require.NoError(t, c.SetUnit(t.Context(), 1, "in", false)) // somebody else was faster
	p.until("!document.querySelector('[data-answer]') && document.querySelector('aside [data-outcome=pass]')")
	port := s.address[strings.LastIndexByte(s.address, ':')+1:]
	s.kill()
	p.until("document.querySelector('[role=status]')?.innerText.includes('is lost')")
	p.complaints = nil
	start(t, data, "--listen", "127.0.0.1:"+port)
	p.until("!document.querySelector('[role=status]')")
}

// TestManyParts lists a batch of a thousand parts: a few rows are drawn, and the list
// scrolls to its end.
func TestManyParts(t *testing.T) {
	dir := t.TempDir()
	sub := client.Submission{Customer: "Harbour Museum", Process: "resin", NoRepair: true}
	for i := range 1000 {
		path := filepath.Join(dir, fmt.Sprintf("plank-%04d.stl", i))
		require.NoError(t, os.WriteFile(path, []byte("solid\nendsolid\n"), 0o600))
		sub.Paths = append(sub.Paths, path)
	}
	s := start(t, t.TempDir())
	_, err := s.client(t).Submit(t.Context(), sub)
	require.NoError(t, err)
	p := openPage(t, s.address)
	p.signIn()
	p.open("/batches/1")
	p.until("document.querySelectorAll('[data-part]').length > 3")
	assert.Less(t, p.count("document.querySelectorAll('[data-part]').length"), 60)
	assert.Equal(t, 0, p.count("document.querySelector('main').scrollTop = 1e9, 0"))
	p.until("document.querySelector('main').innerText.includes('plank-0999.stl')")
	assert.Less(t, p.count("document.querySelectorAll('[data-part]').length"), 60)
}
