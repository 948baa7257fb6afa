// Package browser drives the real application in headless Chromium: the whole
// server in this process, the built web client, a page of 1280 by 800.
//
// Start reading at Launch.
package browser

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"time"

	"github.com/chromedp/chromedp"
)

// Now is the time at which the application under test believes to be.
var Now = time.Date(2026, 11, 24, 9, 30, 0, 0, time.UTC)

// patience is how long an action may wait for what it expects to see. It bounds a test that
// waits for what never comes; a slow machine is given all of it.
const patience = 3 * time.Minute

// Browser is a running Chromium. Several applications may be open in it at once.
type Browser struct {
	context context.Context
	folder  string
	stop    []func()
}

// programs are those that run a page, the best first. Debian has Chromium without a desktop as a package of its own: it takes two
// thirds of the time.
var programs = []string{"chromium-headless-shell", "chromium", "chromium-browser", "google-chrome"}

// Launch starts Chromium. Close ends it.
func Launch() (*Browser, error) {
	path := ""
	for _, name := range programs {
		if found, err := exec.LookPath(name); err == nil {
			path = found
			break
		}
	}
	if path == "" {
		return nil, errors.New("no Chromium on this machine: install Debian's package chromium-headless-shell or chromium, or run make test as root")
	}
	folder, err := os.MkdirTemp("", "codicil-browser-")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("lang", "en-IE"), chromedp.Flag("accept-lang", "en-IE"), chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("hide-scrollbars", false),
		chromedp.Env("LANGUAGE=en_IE", "TZ=UTC"), chromedp.UserDataDir(folder),
	)
	allocator, stopAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	root, stopRoot := chromedp.NewContext(allocator)
	b := &Browser{root, folder, []func(){stopRoot, stopAllocator}}
	if _, err := chromedp.Run(root, chromedp.Title()); err != nil {
		b.Close()
		return nil, err
	}
	return b, nil
}

// Close ends Chromium and removes its files.
func (b *Browser) Close() {
	for _, stop := range b.stop {
		stop()
	}
	_ = os.RemoveAll(b.folder)
}
