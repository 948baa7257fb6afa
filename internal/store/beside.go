package store

import (
	"context"
	"sync"
)

// beside is work of the store that nobody waits for. It ends when the store is closed.
type beside struct {
	mutex sync.Mutex
	ctx   context.Context //nolint:containedctx // it is the life of the store
	end   context.CancelFunc
	work  sync.WaitGroup
}

func newBeside() *beside {
	b := &beside{}
	b.ctx, b.end = context.WithCancel(context.Background())
	return b
}

// begin begins work; done ends it. The context has ended where the store is closed.
func (b *beside) begin() (ctx context.Context, done func()) {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	if b.ctx.Err() != nil {
		return b.ctx, func() {}
	}
	b.work.Add(1)
	return b.ctx, b.work.Done
}

// close ends all and waits for it.
func (b *beside) close() {
	b.mutex.Lock()
	b.end()
	b.mutex.Unlock()
	b.work.Wait()
}
