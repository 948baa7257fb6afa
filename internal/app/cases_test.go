//go:build !race

package app_test

import options "flag"

// A book that is drawn here takes a third of a second and more. Half of the usual number is drawn; -rapid.checks says otherwise.
func init() {
	if err := options.Set("rapid.checks", "50"); err != nil {
		panic(err)
	}
}
