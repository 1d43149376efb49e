package e2e

import (
	"context"
	"fmt"
	"image"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/client"
)

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// theView is where the part page draws.
var theView = image.Rect(10, 120, 880, 730)

// rust is the colour of back faces, pale that of fronts, amber that of the chosen place.
func rust(r, g, b int) bool  { return r > 120 && r > g+40 && g > b }
func pale(r, g, b int) bool  { return r > 90 && b >= r && g >= r && b < 225 }
func light(r, g, b int) bool { return g > r+5 && g > 225 && b > r }
func amber(r, g, b int) bool { return r > 230 && g > 140 && g < 200 && b < 60 }

// TestAnOperatorsWay walks through the console: sign in, drop a batch, watch
// it, open a part, pick a finding, look at the repair, download it.
func TestAnOperatorsWay(t *testing.T) {
	s := start(t, t.TempDir())
	p := openPage(t, s.address)

	p.open("/parts/1") // not signed in: the way leads over the sign-in and back
	p.until("location.pathname === '/sign-in' && document.querySelector('#name')")
	p.fill("#name", operator)
	p.fill("#password", "wrong")
	p.click("form button")
	p.until("document.querySelector('[role=alert]')?.innerText.includes('name or password is wrong')")
	p.signIn()

	p.do(chromedp.SetUploadFiles(chromedp.CSS("#files"), []string{demoFile(t, "fog-bell.stl"), demoFile(t, "horn-cleat.stl"), demoFile(t, "torn-off.stl")}))
	p.until("document.querySelector('form').innerText.includes('3 files')")
	p.fill("#customer", "Harbour Museum")
	p.fill("#batch-name", "Through the page")
	p.click("#send")
	p.until("location.pathname === '/batches/1'")
	p.until("document.querySelectorAll('[data-part] [data-outcome=repaired]').length === 2") // live, with no reload
	assert.Contains(t, p.text("main"), "2 mended")
	assert.Contains(t, p.text("main"), "the file is cut short or is no STL; ask for it again")
	assert.Contains(t, p.text("main"), "3 × open boundary")
	p.until("[...document.querySelectorAll('[data-part] img')].every(i => i.complete && i.naturalWidth > 0)")

	c := s.client(t)
	b, err := c.Batch(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "Through the page", b.Batch.Name)
	assert.Equal(t, 2, b.Batch.Counts.Repaired)

	p.click("[data-part='1'] a")
	p.until("window.__viewer?.frames > 0")
	assert.Contains(t, p.text("aside"), "3 holes filled with 90 triangles")
	img, _ := p.shot()
	assert.Greater(t, painted(img, theView, pale), 0.1, "the bell is drawn")
	assert.Less(t, painted(img, theView, rust), 0.004, "the mended bell shows no back face")

	p.click("[data-switch=Walls]")
	p.until("document.querySelector('[aria-label=\"Wall thickness\"]')?.innerText.includes('under 0.8 mm')")
	img, _ = p.shot()
	assert.Greater(t, painted(img, theView, light), 0.03, "a bell's walls are thick")
	p.click("[data-switch=Walls]")

	p.click("[data-revision='0']")
	p.until("location.search.includes('r=0') && document.querySelector('[data-finding=open-boundary]')")
	frames, err := chromedp.Run(p.ctx, chromedp.Evaluate[int]("window.__viewer.frames"))
	require.NoError(t, err)
	p.click("[data-finding=open-boundary]")
	p.until("location.search.includes('finding=open-boundary') && location.search.includes('place=0')")
	p.until(fmt.Sprintf("window.__viewer.frames > %d", frames))
	img, _ = p.shot()
	assert.Greater(t, painted(img, theView, rust), 0.01, "through the hole the inside shows")
	assert.Greater(t, painted(img, theView, amber), 0.0008, "the rim is marked")
	assert.Contains(t, p.text("aside"), "place 1 of 3")
	assert.Contains(t, p.text("aside"), "The surface has an edge with a triangle on one side only.")
	p.click("[aria-label='Next place']")
	p.until("location.search.includes('place=1') && document.querySelector('aside').innerText.includes('place 2 of 3')")

	p.click("[data-order='fill-hole']") // one hole by hand, then what is left, as of the whole batch
	p.until("document.querySelector('[data-revision=\"2\"]') && document.querySelector('aside').innerText.includes('1 hole filled')")
	p.open("/batches/1")
	p.until("document.querySelector('#mend-all')?.innerText === 'Mend 1 part'")
	p.click("#mend-all")
	p.until("document.querySelectorAll('[data-part] [data-outcome=repaired]').length === 2")
	bell, err := c.Part(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, bell.Revisions, 4)
	assert.Equal(t, 2, *bell.Revisions[3].Parent)
	p.open("/parts/1")
	p.until("document.querySelector('[data-revision=\"3\"]') && document.querySelector('aside').innerText.includes('from r2')")

	p.click("[data-revision='1']")
	p.until("document.querySelector('#download').innerText.includes('r1')")
	got := p.download("#download")
	out, _, code := run(t, nil, "check", got)
	assert.Equal(t, 0, code, out)
	assert.Contains(t, out, "28\u202f536 triangles")
}

// download clicks on a link and returns the path of what it saved.
func (p *page) download(css string) string {
	p.t.Helper()
	dir, yes := p.t.TempDir(), true
	_, err := chromedp.CallBrowser(p.ctx, browser.SetDownloadBehavior, browser.SetDownloadBehaviorParams{Behavior: "allowAndName", DownloadPath: dir, EventsEnabled: &yes})
	require.NoError(p.t, err)
	p.click(css)
	for range 200 {
		files, err := os.ReadDir(dir)
		require.NoError(p.t, err)
		if len(files) == 1 && !strings.HasSuffix(files[0].Name(), ".crdownload") {
			if info, err := files[0].Info(); err == nil && info.Size() > 0 {
				to := filepath.Join(p.t.TempDir(), "downloaded.stl")
				require.NoError(p.t, os.Rename(filepath.Join(dir, files[0].Name()), to))
				return to
			}
		}
		time.Sleep(50 * time.Millisecond)
	}
	require.Fail(p.t, "nothing was downloaded")
	return ""
}

// TestUnitIsSettledInTheConsole answers the question that holds a part.
func TestUnitIsSettledInTheConsole(t *testing.T) {
	s := start(t, t.TempDir())
	c := s.client(t)
	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: []string{demoFile(t, "hour-hand.stl")}})
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	p := openPage(t, s.address)
	p.signIn()
	p.open("/parts/1")
	p.until("document.querySelector('[data-answer=in]')")
	assert.Contains(t, p.text("[data-answer=in]"), "122 × 23 × 3.85 mm")
	p.click("[data-answer=in]")
	p.until("document.querySelector('aside [data-outcome=pass]') && !document.querySelector('[data-answer]')")
	p.until("document.querySelector('aside').innerText.includes('122 × 23 × 3.85 mm')")
	part, err := c.Part(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "pass", part.Part.Verdict)
	assert.Equal(t, "in", part.Part.UnitSet)
}

// TestPaintShowsInTheConsole shows a textured part as its customer painted it, and bare.
func TestPaintShowsInTheConsole(t *testing.T) {
	s := start(t, t.TempDir())
	c := s.client(t)
	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "colour", Paths: []string{demoFile(t, "dial-face.obj"), demoFile(t, "dial-face.mtl"), demoFile(t, "dial-face.png")}})
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	p := openPage(t, s.address)
	p.signIn()
	p.open("/parts/1")
	p.until("document.querySelector('[data-switch=Colours][aria-pressed=true]') && window.__viewer?.frames > 0")
	teal := func(r, g, b int) bool { return r < 60 && g > 60 && g < 110 && b > g }
	for try := 0; ; try++ { // the texture comes a little later
		img, _ := p.shot()
		if share := painted(img, theView, teal); share > 0.02 {
			break
		} else if try == 10 {
			require.Fail(t, "the dial's ring does not show", "%.4f of the view", share)
		}
	}
	p.click("[data-switch=Colours]")
	img, _ := p.shot()
	assert.Less(t, painted(img, theView, teal), 0.001)
	assert.Greater(t, painted(img, theView, pale), 0.1)
}

// TestTheConsoleAsksNobodyElse lists what the page loaded: all from the
// service itself, the 3D code only once it is needed, fonts bundled.
func TestTheConsoleAsksNobodyElse(t *testing.T) {
	s := start(t, t.TempDir())
	p := openPage(t, s.address)
	p.signIn()
	p.settled()
	loaded, err := chromedp.Run(p.ctx, chromedp.Evaluate[[]string]("performance.getEntriesByType('resource').map(e => e.name)"))
	require.NoError(t, err)
	fonts := 0
	for _, address := range loaded {
		assert.True(t, strings.HasPrefix(address, s.address+"/"), address)
		assert.NotContains(t, address, "three")
		if strings.Contains(address, ".woff2") {
			fonts++
		}
	}
	assert.Positive(t, fonts)
	p.open("/glossary")
	p.until("document.querySelectorAll('article').length > 8")
	p.open("/nowhere")
	p.until("document.body.innerText.includes('There is no such page')")
}

// TestTheRecordInTheConsole makes the first administrator by the printed code, lets a
// lead in, and has a part signed off, noted, searched for, and reported on.
func TestTheRecordInTheConsole(t *testing.T) {
	s := startWith(t, t.TempDir(), nil)
	p := openPage(t, s.address)
	p.open("/")
	p.until("location.pathname === '/first' && document.querySelector('#code')")
	p.fill("#code", "0123")
	p.fill("#name", operator)
	p.fill("#password", password)
	p.click("form button")
	p.until("document.querySelector('[role=alert]')")
	p.open("/first")
	p.until("document.querySelector('#code')")
	p.fill("#code", <-s.code)
	p.fill("#name", operator)
	p.fill("#password", password)
	p.click("form button")
	p.until("location.pathname === '/' && document.querySelector('main h1')")
	p.open("/people")
	p.until("document.querySelector('[data-person=operator]')")
	p.fill("#token-name", "night script")
	p.click("#make-token")
	p.until("document.querySelector('#new-token')?.innerText.startsWith('vnr_')")
	c := &client.Client{Server: s.address, Token: p.text("#new-token")}
	p.fill("#person-name", "lea")
	p.fill("#person-password", password)
	p.click("#add-person")
	p.until("document.querySelector('[data-person=lea]')")

	b, err := c.Submit(t.Context(), client.Submission{Customer: "Harbour Museum", Process: "resin", Paths: []string{demoFile(t, "fog-bell.stl"), demoFile(t, "bollard.stl")}})
	require.NoError(t, err)
	require.NoError(t, c.WatchUntilDone(t.Context(), b.ID, nil))
	p.open("/parts/1?tab=record")
	p.until("document.querySelector('[data-sign-off=propose]')")
	p.click("[data-sign-off=propose]")
	p.until("document.querySelector('[data-signed=proposed]') && document.querySelector('[data-sign-off=approve]')")
	p.fill("#note", "the museum paints it")
	p.do(chromedp.KeyEvent("\r"))
	p.until("document.querySelector('[aria-label=Notes]').innerText.includes('the museum paints it')")
	p.click("[data-sign-off=approve]")
	p.until("document.querySelector('[data-signed=approved]')")
	h, err := c.History(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, operator, h.Signoffs[0].DecidedBy)

	p.click("#share")
	p.until("document.querySelector('#shared')?.href.includes('/shared/vnl_')")
	address := p.text("#shared")
	p.until("document.querySelector('[aria-label=Addresses]').innerText.includes('not opened yet')")
	p.open("/search?q=paints")
	p.until("document.querySelectorAll('[data-hit]').length === 1")
	p.open("/parts/1/report")
	p.until("document.querySelector('#says')?.innerText.includes('mended, read back')")
	assert.Contains(t, p.text("article"), "the museum paints it")
	p.open("/parts/1/report?for=customer")
	p.until("document.querySelector('#says')")
	assert.NotContains(t, p.text("article"), "paints")
	p.open("/insights")
	p.until("document.querySelector('[aria-label=Weeks] a')")
	p.click("[aria-label=Weeks] a")
	p.until("location.pathname === '/search' && document.querySelectorAll('[data-hit]').length === 1")
	p.open("/parts/2?tab=mend")
	p.click("[data-order=hollow]")
	p.until("document.querySelector('main').innerText.includes('less material') && document.querySelector('[data-order=hollow]')?.innerText === 'Hollow r1'")
	p.open("/insights?weeks=4")
	p.until("document.querySelector('[aria-label=\"In short\"]')?.innerText.includes('saved by hollowing')")

	p.open("/processes")
	p.click("[aria-label='change resin']")
	p.click("[aria-label='Shape, thinnest wall']")
	p.do(chromedp.KeyEvent("a", chromedp.KeyModifiers(kb.ModifierCtrl)), chromedp.KeyEvent("0.75"))
	p.click("#save-process")
	p.until("document.querySelector('main').innerText.includes('changed by operator')")
	list, err := c.Processes(t.Context())
	require.NoError(t, err)
	assert.Equal(t, [2]any{"resin", 0.75}, [2]any{list[4].Name, list[4].WallMM})
	p.open("/trail")
	p.until("document.querySelector('[data-line]')?.innerText.includes('wall mm 0.75, was 0.5')")
	p.click("#verify-trail")
	p.until("document.querySelector('[role=status]')?.innerText.includes('lines hold')")
	p.do(chromedp.Func(func(ctx context.Context, tg *chromedp.Target) error { // a customer has no account
		_, err := cdp.Call(ctx, tg, network.ClearBrowserCookies, cdp.Empty{})
		return err
	}))
	p.open(strings.TrimPrefix(address, s.address))
	p.until("document.querySelector('#says')?.innerText.includes('mended, read back')")
	p.until("[...document.querySelectorAll('article img')].length === 2 && [...document.querySelectorAll('article img')].every(i => i.naturalWidth > 0)")
	links, err := c.Links(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, links, 1)
	assert.NotNil(t, links[0].OpenedAt, "the team sees that the customer looked")
	p.open("/shared/vnl_nothing")
	p.until("document.querySelector('[role=alert]')?.innerText.includes('has ended')")
}
