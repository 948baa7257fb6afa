package e2e

import (
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"codicil/e2e/browser"
)

func look(u *user, name string) {
	png, err := browser.Ask(u.page, chromedp.CaptureScreenshot())
	if err != nil { u.t.Log(err); return }
	os.WriteFile("/tmp/look/"+name+".png", png, 0o644)
}

func TestLook(t *testing.T) {
	u := open(t, "/plan?kind=vendor&company=30&type=TRAD")
	u.sees(`[data-station="substitute"] .phrase`, "")
	u.enters("name", "Yuzu Packing K.K.")
	u.enters("discount_rate", "2.5 %")
	look(u, "a")
	u.clicks(entered("credit_limit"), "")
	time.Sleep(500 * time.Millisecond)
	look(u, "b")
	r, _ := browser.Ask(u.page, chromedp.Evaluate[string](`document.activeElement.outerHTML.slice(0,300)`))
	t.Log(r)
}
