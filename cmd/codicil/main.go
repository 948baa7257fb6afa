// Command codicil serves the application, and runs formulas, books and proofs without it.
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
)

// gcPercent lets the heap grow to five times its live size before it is collected: judging a
// document allocates much that lives only for the request, and the live heap is small.
const gcPercent = 400

// memoryLimit is the size of the heap, in MB, above which it is collected more often, so that
// one large document does not take five times its size; --memory sets another.
const memoryLimit = 320

func main() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(gcPercent)
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memoryLimit << 20)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := command(os.Stdin, os.Stdout, os.Stderr).ExecuteContext(ctx)
	stop()
	if err != nil {
		os.Exit(1)
	}
}
