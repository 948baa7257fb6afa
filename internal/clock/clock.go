// Package clock tells what day and time it is in a company.
//
// It must never know what is done with them, nor what time it is: that is given. Start reading
// at Today.
package clock

import (
	"sync"
	"time"

	"codicil/core/feel"
	"codicil/core/record"
)

// Clock tells the time; a test sets its own.
type Clock func() time.Time

// in is a time in the company's zone; without a company or a zone, as it is.
func in(c *record.Company, now time.Time) time.Time {
	if c == nil || c.TimeZone == "" {
		return now
	}
	if zone, known := zones.Load(c.TimeZone); known {
		return now.In(zone.(*time.Location))
	}
	zone, err := time.LoadLocation(c.TimeZone)
	if err != nil {
		return now // saving a company has refused names that are no zone
	}
	zones.Store(c.TimeZone, zone)
	return now.In(zone)
}

// zones are the time zones that were asked for, by name: reading one takes a file, and every
// judgement asks. There are at most as many as there are zones in the world.
var zones sync.Map

// Today is the date in the company's time zone.
func Today(c *record.Company, now time.Time) record.Day {
	return record.Day(in(c, now).Format(time.DateOnly))
}

// Now makes the date and time of the work: the time of day in the company's zone, on the day
// that the work is taken to be done.
func Now(c *record.Company, now time.Time) func(record.Day) feel.Value {
	clock := in(c, now).Format("T15:04:05")
	return func(today record.Day) feel.Value {
		v, _ := feel.ParseDateTime(string(today) + clock)
		return v
	}
}

// When is the time of a stamp; false where it is not known.
func When(s record.Stamp) (time.Time, bool) {
	at, err := time.Parse(time.RFC3339, s.At)
	return at, err == nil
}
