//go:build race

package app_test

import options "flag"

// The race detector looks for what meets, not for rare cases: a tenth of the books that are drawn are enough for it, and take
// minutes as they are.
func init() {
	fewCases = true
	if err := options.Set("rapid.checks", "10"); err != nil {
		panic(err)
	}
}
