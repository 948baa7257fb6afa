// Command codicil serves the application, and runs formulas.
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
)

// roomForGarbage lets the heap grow to five times what lives before it is cleared: a run of
// a document makes much that is soon forgotten, and what lives is small.
const roomForGarbage = 400

// mostGarbage is where the heap is cleared more often, in bytes, so that one large document does
// not take five times its room.
const mostGarbage = 512 << 20

func main() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(roomForGarbage)
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(mostGarbage)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := command(os.Stdin, os.Stdout, os.Stderr).ExecuteContext(ctx)
	stop()
	if err != nil {
		os.Exit(1)
	}
}
