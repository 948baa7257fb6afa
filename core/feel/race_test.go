//go:build race

package feel_test

func init() { underRace = true }
