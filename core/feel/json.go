package feel

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"codicil/core/decimal"
)

// MarshalJSON writes the value as JSON: numbers with all their digits, dates,
// times and durations as strings, ranges as the language writes them.
func (v Value) MarshalJSON() ([]byte, error) {
	switch v.kind {
	case Null:
		return []byte("null"), nil
	case Number, Boolean:
		return []byte(v.String()), nil
	case List:
		return marshal(v.items())
	case Context:
		e := v.entries()
		var b bytes.Buffer
		b.WriteByte('{')
		for i, key := range e.Keys {
			if i > 0 {
				b.WriteByte(',')
			}
			name, err := marshal(key)
			if err != nil {
				return nil, err
			}
			entry, err := e.Values[i].MarshalJSON()
			if err != nil {
				return nil, err
			}
			b.Write(name)
			b.WriteByte(':')
			b.Write(entry)
		}
		b.WriteByte('}')
		return b.Bytes(), nil
	}
	return marshal(v.Plain())
}

// marshal is json.Marshal without escaping <, > and &.
func marshal(v any) ([]byte, error) {
	var b bytes.Buffer
	encoder := json.NewEncoder(&b)
	encoder.SetEscapeHTML(false)
	if err := encoder.Encode(v); err != nil {
		return nil, err
	}
	return bytes.TrimSuffix(b.Bytes(), []byte("\n")), nil
}

// FromJSON reads JSON as a value: numbers exactly, strings as strings, objects as
// contexts in the order of their text. The error says what is no JSON, or which
// number is out of range.
func FromJSON(text []byte) (Value, error) {
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	v, err := readJSON(decoder, 0)
	if err != nil {
		return NullValue, err
	}
	if _, err := decoder.Token(); !errors.Is(err, io.EOF) {
		return NullValue, errors.New("there is more than one JSON value")
	}
	return v, nil
}

func readJSON(decoder *json.Decoder, depth int) (Value, error) {
	if depth > maxDepth {
		return NullValue, fmt.Errorf("the JSON is nested more than %d deep", maxDepth)
	}
	t, err := decoder.Token()
	if err != nil {
		return NullValue, fmt.Errorf("this is no JSON: %w", err)
	}
	switch t := t.(type) {
	case nil:
		return NullValue, nil
	case bool:
		return BooleanOf(t), nil
	case string:
		return StringOf(t), nil
	case json.Number:
		n, err := decimal.Parse(t.String())
		return NumberOf(n), err
	case json.Delim:
		if t == '[' {
			return readArray(decoder, depth)
		}
		return readObject(decoder, depth)
	}
	return NullValue, fmt.Errorf("unexpected %v", t)
}

func readArray(decoder *json.Decoder, depth int) (Value, error) {
	items := []Value{}
	for decoder.More() {
		item, err := readJSON(decoder, depth+1)
		if err != nil {
			return NullValue, err
		}
		items = append(items, item)
	}
	_, err := decoder.Token()
	return ListOf(items), err
}

func readObject(decoder *json.Decoder, depth int) (Value, error) {
	e := &Entries{}
	for decoder.More() {
		key, err := decoder.Token()
		if err != nil {
			return NullValue, fmt.Errorf("this is no JSON: %w", err)
		}
		value, err := readJSON(decoder, depth+1)
		if err != nil {
			return NullValue, err
		}
		name := strings.Join(strings.Fields(key.(string)), " ")
		if _, twice := e.Get(name); twice {
			return NullValue, fmt.Errorf("the name %q is there twice", name)
		}
		e.Keys, e.Values = append(e.Keys, name), append(e.Values, value)
	}
	_, err := decoder.Token()
	return ContextOf(e), err
}

// ScopeOf makes the entries of a context the names of a scope, and their values
// the slots. A value that is no context gives no names.
func ScopeOf(v Value) (Scope, []Value) {
	scope := Scope{}
	if v.kind != Context {
		return scope, nil
	}
	for i, key := range v.entries().Keys {
		scope[key] = Symbol{Slot: i, Type: TypeOf(v.entries().Values[i])}
	}
	return scope, v.entries().Values
}
