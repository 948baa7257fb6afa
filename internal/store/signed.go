package store

import (
	"time"

	"codicil/core/record"
)

// instant is how the time of a change is written: RFC 3339 of one length, so that the
// later sorts after.
const instant = "2006-01-02T15:04:05.000000Z07:00"

// Instant writes the time of a change.
func Instant(at time.Time) string { return at.UTC().Format(instant) }

// signed says who wrote a row whose time stands in a column of type DATETIME.
type signed struct{ By, Person, Via string }

// signedBy splits a stamp for such a row.
func signedBy(s record.Stamp) (time.Time, signed) {
	at, _ := time.Parse(time.RFC3339, s.At) // the zero time where it is not known
	return at.UTC(), signed{s.By, s.Person, s.Via}
}

func (s signed) stamp(at time.Time) record.Stamp {
	return record.Stamp{At: Instant(at), By: s.By, Person: s.Person, Via: s.Via}
}
