// Command write writes what is written from the program itself to standard output: the reference
// of formulas, the list of notices, or their texts for the client.
package main

import (
	"fmt"
	"io"
	"os"
	"strings"

	"codicil/internal/reference"
)

func main() {
	write := map[string]func(io.Writer) error{"formulas": reference.Write, "errors": reference.Notices, "texts": reference.Catalogue}[strings.Join(os.Args[1:], " ")]
	if write == nil {
		fmt.Fprintln(os.Stderr, "say what to write: formulas, errors or texts")
		os.Exit(2)
	}
	if err := write(os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
