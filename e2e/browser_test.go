package e2e

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"os"
	"os/exec"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

var chromium struct {
	sync.Once
	ctx   context.Context
	close func()
}

// openBrowser starts one Chromium for the package. It looks nothing up outside
// of this machine.
func openBrowser(t *testing.T) context.Context {
	t.Helper()
	path, err := exec.LookPath("chromium")
	require.NoError(t, err, "Chromium is needed: make test installs it")
	chromium.Do(func() {
		dir, err := os.MkdirTemp("", "veneer-chromium")
		require.NoError(t, err)
		options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.UserDataDir(dir),
			chromedp.WindowSize(1280, 800), chromedp.NoSandbox,
			chromedp.Flag("use-angle", "swiftshader"), chromedp.Flag("use-gl", "angle"), chromedp.Flag("enable-unsafe-swiftshader", true),
			chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("no-pings", true),
			chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost"),
			chromedp.Flag("force-device-scale-factor", "1"), chromedp.Flag("font-render-hinting", "none"), chromedp.Flag("lang", "en-US"))
		base, cancel := context.WithTimeout(context.Background(), 20*time.Minute)
		allocated, c1 := chromedp.NewExecAllocator(base, options...)
		var c2 context.CancelFunc
		chromium.ctx, c2 = chromedp.NewContext(allocated)
		chromium.close = func() {
			chromedp.Cancel(chromium.ctx)
			c2()
			c1()
			cancel()
			os.RemoveAll(dir)
		}
		require.NoError(t, chromedp.Do(chromium.ctx, chromedp.Navigate("about:blank")))
	})
	return chromium.ctx
}

func closeBrowser() {
	if chromium.close != nil {
		chromium.close()
	}
}

// page is a tab, 1280 by 800. A page that logs an error or throws fails its test.
type page struct {
	t    *testing.T
	ctx  context.Context
	site string

	lock       sync.Mutex
	complaints []string
}

func openPage(t *testing.T, site string) *page {
	t.Helper()
	ctx, cancel := chromedp.NewContext(openBrowser(t))
	t.Cleanup(cancel)
	p := &page{t: t, ctx: ctx, site: site}
	complain := func(text string) {
		p.lock.Lock()
		defer p.lock.Unlock()
		p.complaints = append(p.complaints, text)
	}
	require.NoError(t, chromedp.Listen(ctx, func(ev any) {
		switch ev := ev.(type) {
		case *runtime.EventExceptionThrown:
			complain(fmt.Sprint("threw: ", ev.ExceptionDetails.Text, " ", ev.ExceptionDetails.Exception))
		case *runtime.EventConsoleAPICalled:
			if ev.Type == "error" && len(ev.Args) > 0 {
				complain(fmt.Sprint("logged: ", string(ev.Args[0].Value), ev.Args[0].Description))
			}
		}
	}))
	t.Cleanup(func() {
		p.lock.Lock()
		defer p.lock.Unlock()
		for _, c := range p.complaints {
			t.Errorf("the page %s", c)
		}
	})
	p.do(chromedp.EmulateViewport(1280, 800))
	return p
}

func (p *page) do(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, 40*time.Second)
	defer cancel()
	if err := chromedp.Do(ctx, steps...); err != nil {
		p.failWithShot(err)
	}
}

// until waits for a JavaScript expression to become true.
func (p *page) until(js string) {
	p.t.Helper()
	if _, err := chromedp.Run(p.ctx, chromedp.Poll[bool]("!!("+js+")", chromedp.WithPollingTimeout(60*time.Second))); err != nil {
		p.failWithShot(fmt.Errorf("%w while waiting for %s", err, js))
	}
}

func (p *page) failWithShot(err error) {
	p.t.Helper()
	text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string]("location.pathname + '\\n' + document.body.innerText"))
	require.FailNow(p.t, err.Error(), text)
}

func (p *page) open(path string)   { p.t.Helper(); p.do(chromedp.Navigate(p.site + path)) }
func (p *page) click(css string)   { p.t.Helper(); p.do(chromedp.Click(chromedp.CSS(css))) }
func (p *page) fill(css, v string) { p.t.Helper(); p.do(chromedp.SendKeys(chromedp.CSS(css), v)) }

func (p *page) text(css string) string {
	p.t.Helper()
	s, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](fmt.Sprintf("document.querySelector(%q)?.innerText ?? ''", css)))
	require.NoError(p.t, err)
	return s
}

func (p *page) signIn() {
	p.t.Helper()
	p.open("/")
	p.until("document.querySelector('#name')")
	p.fill("#name", operator)
	p.fill("#password", password)
	p.click("form button")
	p.until("location.pathname === '/' && document.querySelector('main h1')")
}

// settled waits until nothing on the page moves: fonts, and two frames.
func (p *page) settled() {
	p.t.Helper()
	p.until("document.fonts.status === 'loaded'")
	p.do(chromedp.Sleep(350 * time.Millisecond))
}

func (p *page) shot() (picture image.Image, bytesPNG []byte) {
	p.t.Helper()
	p.settled()
	b, err := chromedp.Run(p.ctx, chromedp.CaptureScreenshot())
	require.NoError(p.t, err)
	img, err := png.Decode(bytes.NewReader(b))
	require.NoError(p.t, err)
	return img, b
}

// painted is the share of a picture's region whose pixels are close to a colour.
func painted(img image.Image, in image.Rectangle, close func(r, g, b int) bool) float64 {
	n := 0
	for y := in.Min.Y; y < in.Max.Y; y++ {
		for x := in.Min.X; x < in.Max.X; x++ {
			r, g, b, _ := img.At(x, y).RGBA()
			if close(int(r>>8), int(g>>8), int(b>>8)) {
				n++
			}
		}
	}
	return float64(n) / float64(in.Dx()*in.Dy())
}
