// Command look takes one picture: look PATH OUT [JS...]. For development.
package main

import (
	"fmt"
	"os"
	"time"

	"github.com/chromedp/chromedp"

	"codicil/e2e/browser"
)

func main() {
	a, err := browser.Start()
	check(err)
	defer a.Close()
	p, err := a.Page(os.Args[1])
	check(err)
	check(p.Until(`document.querySelector("main h1, main .empty") !== null`))
	time.Sleep(500 * time.Millisecond)
	for _, js := range os.Args[3:] {
		out, err := browser.Ask(p, chromedp.Evaluate[any](js))
		check(err)
		fmt.Println(out)
		time.Sleep(700 * time.Millisecond)
	}
	png, err := p.Picture()
	check(err)
	check(os.WriteFile(os.Args[2], png, 0o600))
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
