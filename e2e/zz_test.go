package e2e

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

func (u *user) shot(name string) {
	b, err := u.page.Picture()
	require.NoError(u.t, err)
	_ = os.WriteFile("/tmp/shots/"+name+".png", b, 0o600)
}

func TestZZ(t *testing.T) {
	u := begin(t, "/codicils/19", browser.Setup{Demo: true})
	u.sees(".lines", "proofs")
	u.sees(".replay", "What exists")
	u.clicks(".replay button", "Replay")
	u.sees(".lines", "Of 4 saved records")
	u.shot("a1")
	u.runs(`(document.querySelector('.replay').scrollIntoView(), true)`)
	u.shot("a2")
	u.clicks(".replay a", "SO100002")
	u.sees("h1", "SO100002")
	u.sees("td", "accepted")
	u.shot("a4")
	u.goes("/codicils/signing")
	u.sees("td", "changes amounts")
	u.clicks("button", "Change")
	u.sees("form", "Role")
	u.shot("a3")
}
