// Command write writes the reference of the formula language to standard output.
package main

import (
	"fmt"
	"os"

	"codicil/internal/reference"
)

func main() {
	if err := reference.Write(os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
