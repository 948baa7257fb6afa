package feel

import (
	"fmt"
	"strings"
	"time"
	_ "time/tzdata" // zones are known wherever the program runs

	"codicil/core/decimal"
)

// Zone is the offset of a time from UTC, and the zone's name where one was written.
type Zone struct {
	Offset int64 // seconds east of UTC, of a named zone at the moment of the value
	Name   string
}

// offsetAt returns the seconds east of UTC that the clocks of a named zone show at
// the moment, in seconds since 1970-01-01T00:00:00Z.
func (z *Zone) offsetAt(moment int64) int64 {
	location, err := time.LoadLocation(z.Name)
	if err != nil { // parseZone has refused unknown names
		return 0
	}
	_, offset := time.Unix(moment, 0).In(location).Zone()
	return int64(offset)
}

// localOffset is offsetAt for a moment as the clocks of the zone show it. Where they
// show a time twice, the first is meant; where they skip it, the offset before.
func (z *Zone) localOffset(local int64) int64 {
	before := z.offsetAt(local - secondsPerDay)
	if offset := z.offsetAt(local - before); offset != before {
		if z.offsetAt(local-offset) == offset {
			return offset
		}
	}
	return before
}

// zoned makes a time or a date and time. That of a named zone gets the offset that
// the zone has then; a time alone that which it has in winter.
func zoned(kind Kind, seconds decimal.Number, zone *Zone) Value {
	v := Value{kind: kind, number: seconds}
	switch {
	case zone == nil:
	case zone.Name == "":
		v.object = zone
	default:
		local := daysFromCivil(2000, 1, 1) * secondsPerDay
		if kind == DateTime {
			local, _ = seconds.Round(0, decimal.Floor).Int64()
		}
		v.object = &Zone{Name: zone.Name, Offset: zone.localOffset(local)}
	}
	return v
}

func parseZone(text string) (*Zone, bool) {
	switch {
	case text == "":
		return nil, true
	case text == "Z", text == "z":
		return &Zone{}, true
	case text[0] == '@':
		_, err := time.LoadLocation(text[1:])
		return &Zone{Name: text[1:]}, err == nil && text != "@Local"
	}
	parts := strings.Split(text[1:], ":")
	offset := integerIn(parts[0])*3600 + integerIn(parts[1])*60
	if len(parts) == 3 {
		offset += integerIn(parts[2])
	}
	if offset > maxOffset {
		return nil, false
	}
	if text[0] == '-' {
		offset = -offset
	}
	return &Zone{Offset: offset}, true
}

func writeZone(z *Zone) string {
	switch {
	case z == nil:
		return ""
	case z.Name != "":
		return "@" + z.Name
	case z.Offset == 0:
		return "Z"
	}
	sign, offset := "+", z.Offset
	if offset < 0 {
		sign, offset = "-", -offset
	}
	text := fmt.Sprintf("%s%02d:%02d", sign, offset/3600, offset/60%60)
	if offset%60 != 0 {
		text += fmt.Sprintf(":%02d", offset%60)
	}
	return text
}
