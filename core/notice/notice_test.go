package notice_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"codicil/core/notice"
)

func TestANoticeIsMadeFromItsTextAndParameters(t *testing.T) {
	d := notice.Define("test-taken.twice", "{what} {key:q} is taken; {what} needs another key than {key}")
	assert.Equal(t, []string{"what", "key"}, d.Params)
	n := d.With("company", "10")
	assert.Equal(t, `company "10" is taken; company needs another key than 10`, n.String())
	assert.Equal(t, "test-taken", n.Code)
	assert.Equal(t, map[string]string{"what": "company", "key": "10"}, n.Named())
	assert.Equal(t, "nothing to fill in", notice.Define("test-plain", "nothing to fill in").With().String())
	assert.Contains(t, notice.All(), d)
}

func TestMistakesOfTheProgramAreFoundAtOnce(t *testing.T) {
	d := notice.Define("test-one", "one {thing}")
	assert.Panics(t, func() { notice.Define("test-one", "again") })
	assert.Panics(t, func() { notice.Define("Not A Key", "text") })
	assert.Panics(t, func() { d.With() })
	assert.Panics(t, func() { d.With(1, 2) })
}
