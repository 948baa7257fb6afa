// Command codicil serves the application, and runs formulas.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := command(os.Stdin, os.Stdout, os.Stderr).ExecuteContext(ctx); err != nil {
		os.Exit(1)
	}
}
