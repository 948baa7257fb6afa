package people

import (
	"time"

	"github.com/maypok86/otter/v2"
	"golang.org/x/time/rate"

	"codicil/internal/clock"
)

// throttle slows down those who try passwords: by the name they try, by their address and by both. Nobody is locked out for good: who
// waits may try again, and after the right password all is as before.
type throttle struct {
	now   clock.Clock
	tries *otter.Cache[string, *rate.Limiter]
}

const (
	mostTried = 50_000 // names and addresses that are remembered
	// How many tries at once, and how long until there is another.
	nameTries, addressTries, bothTries = 60, 30, 6
	nameEach, addressEach, bothEach    = 10 * time.Second, 2 * time.Second, 30 * time.Second
)

func newThrottle(now clock.Clock) *throttle {
	return &throttle{now, otter.Must(&otter.Options[string, *rate.Limiter]{MaximumSize: mostTried})}
}

// allow counts a try; wait is how long until the next one is allowed, where this is one too many.
func (t *throttle) allow(name, address string) (wait time.Duration) {
	at := t.now()
	for _, by := range []struct {
		key   string
		each  time.Duration
		burst int
	}{{"a" + address, addressEach, addressTries}, {"n" + name, nameEach, nameTries}, {"b" + name + " " + address, bothEach, bothTries}} {
		limiter, _ := t.tries.ComputeIfAbsent(by.key, func() (*rate.Limiter, bool) {
			return rate.NewLimiter(rate.Every(by.each), by.burst), false
		})
		r := limiter.ReserveN(at, 1)
		if d := r.DelayFrom(at); d > 0 {
			r.CancelAt(at)
			wait = max(wait, d)
		}
	}
	return wait
}

// forgive forgets the tries of a name from an address, after the right password.
func (t *throttle) forgive(name, address string) { t.tries.Invalidate("b" + name + " " + address) }
