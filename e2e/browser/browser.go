// Package browser drives the console in headless Chromium, for the tests and
// for the pictures in the documents.
package browser

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// Browser is one Chromium. Its pages share the process and nothing else, so
// that many may be open at once.
type Browser struct {
	ctx   context.Context
	Close func()
}

// executables are Chromium as Debian has it, the first that there is: a headless one has no
// windows of its own to draw, and takes a third less of the processor.
var executables = []string{"chromium-headless-shell", "chromium"}

// Start starts a Chromium.
func Start() (*Browser, error) {
	path := executables[0]
	for _, name := range executables {
		if found, err := exec.LookPath(name); err == nil {
			path = found
			break
		}
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox,
		chromedp.Flag("disable-component-update", true), chromedp.Flag("hide-scrollbars", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("force-prefers-reduced-motion", true))
	ctx, endAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, endContext := chromedp.NewContext(ctx)
	b := &Browser{ctx, func() { endContext(); endAllocator() }}
	// It lives as long as the context of its first step, so that one has no
	// timeout.
	if err := chromedp.Do(ctx, chromedp.Navigate("about:blank")); err != nil {
		b.Close()
		return nil, fmt.Errorf("starting Chromium: %w", err)
	}
	return b, nil
}

// Page is one window with a session of its own. Its methods wait, at most for
// the timeout, for what they need.
type Page struct {
	ctx     context.Context
	base    string
	timeout time.Duration
}

// Open opens a window of the given size on a service; close ends it.
func (b *Browser) Open(base string, wide, tall int) (p *Page, close func(), err error) {
	ctx, close := chromedp.NewContext(b.ctx, chromedp.WithNewBrowserContext())
	p = &Page{ctx, base, 90 * time.Second}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(int64(wide), int64(tall))); err != nil {
		close()
		return nil, nil, fmt.Errorf("opening a window: %w", err)
	}
	if _, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true}); err != nil {
		close()
		return nil, nil, fmt.Errorf("giving a window the focus: %w", err)
	}
	return p, close, nil
}

// Go opens a path of the console.
func (p *Page) Go(path string) error {
	ctx, cancel := context.WithTimeout(p.ctx, p.timeout)
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.Navigate(p.base+path)); err != nil {
		return fmt.Errorf("opening %s: %w", path, err)
	}
	return nil
}

// Follow goes to a path as a link of the console does, without loading it anew, and waits
// until the console is there.
func (p *Page) Follow(path string) error {
	if err := p.Run("history.pushState({}, '', " + strconv.Quote(path) + "); dispatchEvent(new PopStateEvent('popstate', {state: {}}))"); err != nil {
		return err
	}
	at, _, _ := strings.Cut(path, "?")
	return p.Until("document.querySelector('#app').__vue_app__.config.globalProperties.$router.currentRoute.value.path === " + strconv.Quote(at))
}

// step does one thing to what an expression finds, as soon as it is there, is
// seen and takes it: finding and doing are one evaluation, so nothing can
// come between them. A page that is on its way elsewhere is asked again.
func (p *Page) step(what, find, do string) error {
	script := `(() => {
		const e = ` + find + `;
		if (!e || !e.isConnected || e.disabled || !e.getClientRects().length) return false;
		` + do + `
		return true;
	})()`
	if err := p.Until(script); err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	return nil
}

// Click clicks what a CSS selector finds first.
func (p *Page) Click(css string) error {
	return p.step("clicking "+css, "document.querySelector("+strconv.Quote(css)+")", click)
}

const click = `e.scrollIntoView({block: 'nearest'}); e.focus({preventScroll: true}); e.click();`

// ClickText clicks the first button, link or option with a text.
func (p *Page) ClickText(text string) error {
	find := fmt.Sprintf(`[...document.querySelectorAll('button, a, [role=option], [role=radio]')].find(e => e.innerText.trim().startsWith(%s) && `+
		`e.getClientRects().length && !e.disabled)`, strconv.Quote(text))
	return p.step("clicking "+strconv.Quote(text), find, click)
}

// ClickIn clicks the first button with just this text within what a CSS
// selector finds.
func (p *Page) ClickIn(css, text string) error {
	find := fmt.Sprintf(`[...document.querySelectorAll(%s)].find(e => e.innerText.trim() === %s)`, strconv.Quote(css+" button"), strconv.Quote(text))
	return p.step("clicking "+strconv.Quote(text)+" in "+css, find, click)
}

// Do runs JavaScript on what a CSS selector finds, which it calls e.
func (p *Page) Do(css, script string) error {
	return p.step("changing "+css, "document.querySelector("+strconv.Quote(css)+")", script+";")
}

// Set gives a field, a choice or a slider another value.
func (p *Page) Set(css, value string) error {
	return p.Do(css, `e.value = `+strconv.Quote(value)+
		`; e.dispatchEvent(new Event('input', {bubbles: true})); e.dispatchEvent(new Event('change', {bubbles: true}))`)
}

// Type types into the field that a CSS selector finds, after what stands
// there, as a hand would: the page hears of it and it can be undone.
func (p *Page) Type(css, text string) error {
	return p.step("typing into "+css, "document.querySelector("+strconv.Quote(css)+")", `
		const before = e.value;
		e.focus();
		if (document.activeElement !== e) return false;
		if (before !== undefined && e.setSelectionRange) try { e.setSelectionRange(before.length, before.length) } catch {}
		document.execCommand('insertText', false, `+strconv.Quote(text)+`);
		if (before !== undefined && e.value === before) return false;`)
}

// Edit replaces a part of a line in the text editor, as one who marks it and
// types over it.
func (p *Page) Edit(from, to string) error {
	return p.step("editing "+strconv.Quote(from), `[...document.querySelectorAll('.cm-line')].find(l => l.textContent.includes(`+strconv.Quote(from)+`))`, `
		e.closest('.cm-content').focus();
		const at = e.textContent.indexOf(`+strconv.Quote(from)+`), range = document.createRange();
		let passed = 0;
		for (const walk = document.createTreeWalker(e, NodeFilter.SHOW_TEXT); walk.nextNode();) {
			const text = walk.currentNode, end = passed + text.length;
			if (passed <= at && at < end) range.setStart(text, at - passed);
			if (passed < at + `+strconv.Itoa(len(from))+` && at + `+strconv.Itoa(len(from))+` <= end) range.setEnd(text, at + `+strconv.Itoa(len(from))+` - passed);
			passed = end;
		}
		getSelection().removeAllRanges();
		getSelection().addRange(range);
		document.execCommand('insertText', false, `+strconv.Quote(to)+`);`)
}

// Press presses one key, such as "ArrowLeft" or "Enter", with what has focus.
func (p *Page) Press(key string) error {
	down := input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyDown, Key: key, Code: key}
	codes := map[string]int64{"Enter": 13, "Escape": 27, "ArrowLeft": 37, "ArrowUp": 38, "ArrowRight": 39, "ArrowDown": 40, "Tab": 9, "End": 35, "Home": 36}
	code := codes[key]
	down.WindowsVirtualKeyCode = code
	if key == "Enter" {
		down.Text = "\r"
	}
	ctx, cancel := context.WithTimeout(p.ctx, p.timeout)
	defer cancel()
	if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, down); err != nil {
		return err
	}
	up := input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyUp, Key: key, Code: key, WindowsVirtualKeyCode: code}
	_, err := chromedp.Call(ctx, input.DispatchKeyEvent, up)
	return err
}

// PressUntil presses a key until a JavaScript expression holds: again where nothing has
// come of it for a while, since scrolling ends where the page lays itself out anew.
func (p *Page) PressUntil(key, expression string) error {
	for began := time.Now(); ; {
		if err := p.Press(key); err != nil {
			return err
		}
		if err := p.until(expression, p.timeout/20); err == nil || time.Since(began) > p.timeout {
			return err
		}
	}
}

// Until waits until a JavaScript expression holds, however often the page is
// another meanwhile.
func (p *Page) Until(expression string) error { return p.until(expression, p.timeout) }

func (p *Page) until(expression string, patience time.Duration) error {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	// What does not hold yet is asked for less and less often: the page has the same two cores.
	for pause := 20 * time.Millisecond; ; pause = min(pause*3/2, 80*time.Millisecond) {
		holds, err := chromedp.Run(ctx, chromedp.Evaluate[bool]("!!("+expression+")"))
		switch {
		case holds:
			return nil
		case ctx.Err() != nil:
			text, _ := p.Text()
			return fmt.Errorf("waiting for %s: %w; the page shows: %s", expression, ctx.Err(), strings.Join(strings.Fields(text), " "))
		case err != nil && !leaving(err):
			return fmt.Errorf("waiting for %s: %w", expression, err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(pause):
		}
	}
}

// leaving tells the errors of a page that is on its way to another one, or
// whose body is not there yet.
func leaving(err error) bool {
	text := err.Error()
	for _, part := range []string{"Cannot find context", "context was destroyed", "context with specified id", "Cannot read properties of null",
		"Inspected target navigated", "uniqueContextId not found"} {
		if strings.Contains(text, part) {
			return true
		}
	}
	return false
}

// Sees waits until the page shows a text, in small letters or capitals.
func (p *Page) Sees(text string) error {
	return p.Until(fmt.Sprintf("document.body.innerText.toLowerCase().includes(%s)", strconv.Quote(strings.ToLower(text))))
}

// Run runs JavaScript for its effect.
func (p *Page) Run(script string) error {
	_, err := Value[json.RawMessage](p, "(() => { "+script+"; return null })()")
	return err
}

// Value evaluates JavaScript, waiting for a promise. A page that is on its way
// elsewhere is asked again once it is there.
func Value[T any](p *Page, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, p.timeout)
	defer cancel()
	for {
		value, err := chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
		if err == nil || !leaving(err) || ctx.Err() != nil {
			return value, err
		}
		time.Sleep(30 * time.Millisecond)
	}
}

// Text is all the text the page shows.
func (p *Page) Text() (string, error) { return Value[string](p, "document.body.innerText") }

// SignIn signs in by the API, as the form does, and opens a path of the console: the
// person's first page unless one is given.
func (p *Page) SignIn(name, password string, path ...string) error {
	body, err := json.Marshal(map[string]string{"name": name, "password": password})
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(p.ctx, p.timeout)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, p.base+"/api/session", bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return fmt.Errorf("signing in as %s: %w", name, err)
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusOK {
		said, _ := io.ReadAll(answer.Body)
		return fmt.Errorf("signing in as %s: %s", name, said)
	}
	for _, c := range answer.Cookies() {
		kept := network.SetCookieParams{Name: c.Name, Value: c.Value, URL: p.base + c.Path}
		if _, err := chromedp.Call(ctx, network.SetCookie, kept); err != nil {
			return fmt.Errorf("signing in as %s: %w", name, err)
		}
	}
	first := append(path, "/")[0]
	if err := p.Go(first); err != nil {
		return err
	}
	return p.Until("!['/', '/sign-in'].includes(location.pathname) && document.querySelector('nav')")
}

// Dark turns the console dark, or light.
func (p *Page) Dark(dark bool) error {
	theme := "light"
	if dark {
		theme = "dark"
	}
	return p.Run(fmt.Sprintf("localStorage.setItem('oskel.theme', '%s'); document.documentElement.classList.toggle('dark', %t)", theme, dark))
}

// Rest waits until nothing is loading and everything is drawn.
func (p *Page) Rest() error {
	if err := p.Until("document.readyState === 'complete' && !document.body.innerText.includes('Loading') && document.fonts.status === 'loaded'"); err != nil {
		return err
	}
	// Charts are drawn once their code has come, which nothing on the page
	// tells: wait until nothing more comes.
	for last, quiet := -1, 0; quiet < 3; {
		n, err := Value[int](p, "performance.getEntriesByType('resource').length")
		if err != nil {
			return err
		}
		if quiet++; n != last {
			last, quiet = n, 0
		}
		time.Sleep(80 * time.Millisecond)
	}
	return nil
}

// PNG is a picture of the window.
func (p *Page) PNG() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, p.timeout)
	defer cancel()
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}

// PDF is the page as it is printed, on A4 across.
func (p *Page) PDF() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, p.timeout)
	defer cancel()
	yes := true
	answer, err := chromedp.Call(ctx, page.PrintToPDF, page.PrintToPDFParams{Landscape: &yes, PaperWidth: 8.27, PaperHeight: 11.69, PrintBackground: &yes})
	if err != nil {
		return nil, err
	}
	return answer.Data, nil
}

// Axe runs axe-core over the page and lists what it finds.
func (p *Page) Axe(source string) ([]string, error) {
	return p.axe(source, `['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']`, `{}`)
}

// AxeLayout looks at all but the contrast of colours, which takes the longest.
func (p *Page) AxeLayout(source string) ([]string, error) {
	return p.axe(source, `['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']`, `{'color-contrast': {enabled: false}}`)
}

// AxeContrast looks at the contrast of colours alone.
func (p *Page) AxeContrast(source string) ([]string, error) {
	return p.axe(source, `['color-contrast']`, `{}`)
}

func (p *Page) axe(source, tags, rules string) ([]string, error) {
	if there, err := Value[bool](p, "!!window.axe"); err != nil {
		return nil, err
	} else if !there {
		script, err := os.ReadFile(source)
		if err != nil {
			return nil, fmt.Errorf("reading axe-core: %w", err)
		}
		if err := p.Run(string(script)); err != nil {
			return nil, err
		}
	}
	// The rows of a long table are of one make: the first ones stand for all.
	return Value[[]string](p, `axe.run({exclude: [['tbody tr:nth-child(n+9)']]}, {resultTypes: ['violations'], preload: false, runOnly: `+
		tags+`, rules: `+rules+`}).then(r => r.violations.map(v => v.id + ': ' + v.help + ' at ' + v.nodes.slice(0, 4).map(n => n.target.join(' ')).join(', ')))`)
}
