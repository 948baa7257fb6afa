// Command write writes what is written from the program itself to standard output: the reference
// of formulas, the list of notices, or for the client their texts and the operations that show by other rules.
package main

import (
	"fmt"
	"io"
	"os"
	"strings"

	"codicil/internal/reference"
)

func main() {
	write := map[string]func(io.Writer) error{"formulas": reference.Write, "errors": reference.Notices, "texts": reference.Catalogue, "shown": reference.Shown}[strings.Join(os.Args[1:], " ")]
	if write == nil {
		fmt.Fprintln(os.Stderr, "say what to write: formulas, errors, texts or shown")
		os.Exit(2)
	}
	if err := write(os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
