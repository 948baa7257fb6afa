package browser

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
)

// Page is one tab.
type Page struct {
	application *Application
	tab         context.Context
	stop        func()
}

// Device gives the tab a device that holds passkeys and knows its owner.
func (p *Page) Device() error {
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	if _, err := chromedp.Call(ctx, webauthn.Enable, webauthn.EnableParams{}); err != nil {
		return err
	}
	_, err := chromedp.Call(ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{Options: &webauthn.VirtualAuthenticatorOptions{
		Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
	}})
	return err
}

// Close closes the tab.
func (p *Page) Close() { p.stop() }

// Do runs actions, each waiting for what it needs, within the patience.
func (p *Page) Do(actions ...chromedp.Action[chromedp.Void]) error {
	_, err := Ask(p, chromedp.Steps(actions...))
	return err
}

// Ask runs one action and returns its value.
func Ask[T any](p *Page, action chromedp.Action[T]) (T, error) {
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	answer, err := chromedp.Run(ctx, action)
	for tries := 0; tries < 3 && err != nil && (strings.Contains(err.Error(), "navigated") || strings.Contains(err.Error(), "Cannot find context")); tries++ {
		answer, err = chromedp.Run(ctx, action) // the page was loaded anew meanwhile
	}
	return answer, err
}

// Until waits until the JavaScript expression is true. The error holds what the
// page shows instead.
func (p *Page) Until(expression string) error {
	poll := chromedp.Poll[bool](expression, chromedp.WithPollingInterval(30*time.Millisecond), chromedp.WithPollingTimeout(0)) // Ask bounds it
	_, err := Ask(p, poll)
	for tries := 0; err != nil && tries < mostPages && strings.Contains(err.Error(), replaced); tries++ {
		_, err = Ask(p, poll)
	}
	if err != nil {
		text, _ := Ask(p, chromedp.Evaluate[string](`document.body.innerText`))
		return fmt.Errorf("never true: %s: %w\nthe page shows:\n%s", expression, err, text)
	}
	return nil
}

const (
	// replaced is what Chromium says to who waits in a page while the tab goes to another.
	replaced  = "Cannot find context with specified id"
	mostPages = 5
)

// Picture returns a PNG of what the tab shows.
func (p *Page) Picture() ([]byte, error) {
	return Ask(p, chromedp.CaptureScreenshot())
}

// Go opens another path of the application in the tab.
func (p *Page) Go(path string) error { return p.Do(chromedp.Navigate(p.application.URL + path)) }

// Run runs a JavaScript statement.
func (p *Page) Run(statement string) (bool, error) {
	return Ask(p, chromedp.Evaluate[bool]("(() => { "+statement+"; return true })()"))
}

// Insert puts a text at the cursor at once, in the place of what is selected.
func (p *Page) Insert(text string) error {
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	_, err := chromedp.Call(ctx, input.InsertText, input.InsertTextParams{Text: text})
	return err
}

// Drag presses the mouse at one point, moves it to another and lets go there. over
// is a JavaScript expression that is true when the page has noticed the drag over
// the second point.
func (p *Page) Drag(x, y, toX, toY float64, over string) error {
	button := func(e *input.DispatchMouseEventParams) { e.Button, e.Buttons = input.MouseButtonLeft, 1 }
	if err := p.Do(
		chromedp.MouseEvent(chromedp.MousePressed, x, y, button, chromedp.ClickCount(1)),
		chromedp.MouseEvent(chromedp.MouseMoved, x+8, y+4, button),
		chromedp.MouseEvent(chromedp.MouseMoved, (x+toX)/2, (y+toY)/2, button),
		chromedp.MouseEvent(chromedp.MouseMoved, toX-2, toY, button),
		chromedp.MouseEvent(chromedp.MouseMoved, toX, toY, button),
	); err != nil {
		return err
	}
	if err := p.Until(over); err != nil {
		return err
	}
	return p.Do(chromedp.MouseEvent(chromedp.MouseReleased, toX, toY, button, chromedp.ClickCount(1)))
}

// Click clicks in the middle of the first visible element that fits the selector and shows the
// text, once it is there and stands still. Where the page moved it away under the mouse, it is
// clicked again. Options say which keys are held.
func (p *Page) Click(selector, text string, options ...chromedp.MouseOption) error {
	find := fmt.Sprintf(`(() => {
		const e = [...document.querySelectorAll(%s)].find(e => e.checkVisibility() && (%s === "" || (e.innerText ?? "").trim().includes(%s)));
		if (!e || e.disabled || e.closest("[inert]")) return null;
		// A list that is still opening has its place and height later: what stands still and is
		// hidden nonetheless is out of view, and only that is brought into it.
		const r = e.getBoundingClientRect();
		const at = [Math.round(r.x + r.width / 2), Math.round(r.y + r.height / 2)];
		// What came from the server may still move it: it stands still for a while.
		window.__still = window.__last === String(at) ? (window.__still ?? 0) + 1 : 0;
		window.__last = String(at);
		if (window.__still < 3) return null;
		const top = document.elementFromPoint(at[0], at[1]);
		const seen = r.top >= 0 && r.bottom <= innerHeight && top && (e.contains(top) || top.contains(e));
		if (!seen && window.__still %% 3 === 0) e.scrollIntoView({ block: "nearest" });
		if (!top || !(e.contains(top) || top.contains(e))) return null;
		if (!seen && window.__still < 6) return null;
		window.__still = 0;
		window.__last = "";
		window.__met = false;
		document.addEventListener("mousedown", (press) => {
			const within = e.contains(press.target);
			window.__met = within || press.target === top;
			// The page moved between pressing and letting go: the click belongs to what holds both.
			document.addEventListener("click", (click) => {
				if (within && e.isConnected && !e.contains(click.target)) window.__met = false;
			}, { capture: true, once: true });
		}, { capture: true, once: true });
		return at;
	})()`, strconv.Quote(selector), strconv.Quote(text), strconv.Quote(text))
	for met := false; !met; {
		at, err := Ask(p, chromedp.Poll[[]float64](find, chromedp.WithPollingInterval(30*time.Millisecond), chromedp.WithPollingTimeout(0)))
		if err != nil {
			return err
		}
		if err = p.Do(chromedp.MouseClickXY(at[0], at[1], options...)); err != nil {
			return err
		}
		if met, err = Ask(p, chromedp.Evaluate[bool](`window.__met !== false`)); err != nil { // a page loaded anew knows of nothing
			return err
		}
	}
	return nil
}
