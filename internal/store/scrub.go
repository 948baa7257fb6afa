package store

import (
	"bytes"
	"encoding/json"
	"slices"
	"strings"
)

// scrubber takes the values of a person out of what is kept as JSON, whatever its shape.
type scrubber struct {
	// personal are the keys of fields and columns that hold what is about a person, and values what they held of this one.
	personal, values map[string]bool
	// telling are those values that tell who it is wherever they stand, such as an e-mail address.
	telling []string
	// numbers are those of the person's record.
	numbers []string
}

// names tells whether a text as it is kept may be about the person.
func (c *scrubber) names(text []byte) bool { return c.numbered(text) || c.tells(text) }

// numbered tells whether a number of the person's record stands in it.
func (c *scrubber) numbered(text []byte) bool {
	return slices.ContainsFunc(c.numbers, func(number string) bool { return bytes.Contains(text, quoted(number)) })
}

// tells tells whether a text as it is kept says who it is.
func (c *scrubber) tells(text []byte) bool {
	for _, value := range c.telling {
		inner := quoted(value)
		if bytes.Contains(text, inner[1:len(inner)-1]) {
			return true
		}
	}
	return false
}

func quoted(text string) []byte {
	q, _ := json.Marshal(text) // of a text: it cannot fail
	return q
}

// says tells whether a text that people read says who it is.
func (c *scrubber) says(text string) bool {
	for _, value := range c.telling {
		if strings.Contains(text, value) {
			return true
		}
	}
	return false
}

// scrub returns JSON without the values of the person, and whether there were any. Cost: the text.
func (c *scrubber) scrub(text []byte) (clean []byte, changed bool, err error) {
	if len(text) == 0 {
		return text, false, nil
	}
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	var value any
	if err := decoder.Decode(&value); err != nil {
		return nil, false, err
	}
	value, changed = c.without(value, false)
	if !changed {
		return text, false, nil
	}
	clean, err = json.Marshal(value)
	return clean, true, err
}

// without goes through a value; within a personal field everything that the person's fields held goes.
func (c *scrubber) without(value any, within bool) (clean any, changed bool) {
	switch v := value.(type) {
	case map[string]any:
		for key, inner := range v {
			_, column, _ := strings.Cut(key, "lines.")
			next, was := c.without(inner, within || c.personal[key] || (column != "" && c.personal[column]))
			if !was {
				continue
			}
			changed = true
			if text, is := next.(string); is && text == "" {
				delete(v, key)
			} else {
				v[key] = next
			}
		}
	case []any:
		for i, inner := range v {
			next, was := c.without(inner, within)
			v[i], changed = next, changed || was
		}
	case string:
		if (within && c.values[v]) || c.says(v) {
			return "", true
		}
	}
	return value, changed
}
