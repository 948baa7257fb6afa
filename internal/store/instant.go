package store

import "time"

// instant is how the time of a change is written: RFC 3339 of one length, so that the
// later sorts after.
const instant = "2006-01-02T15:04:05.000000Z07:00"

// Instant writes the time of a change.
func Instant(at time.Time) string { return at.UTC().Format(instant) }
