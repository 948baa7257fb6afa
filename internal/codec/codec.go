// Package codec writes what is kept as JSON, in columns of the database and in files, and reads it
// again, also as earlier versions of the program wrote it.
//
// Every shape has a model of its own and a version, so that the types of the domain may change
// while what was written stays readable. It must never know where the text is kept. Start reading
// at Write and Read; the shapes are in shapes.go.
package codec

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"

	quick "github.com/goccy/go-json" // for columns; files that people write are read with errors that say where

	"codicil/core/record"
)

// versionKey stands in every text, before all else; envelopeKey holds what is no object.
const (
	versionKey  = "v"
	envelopeKey = "is"
)

// Write writes a value of the domain in the newest version of its shape.
func Write(value any) ([]byte, error) {
	v := reflect.ValueOf(value)
	s, err := shapeOf(v.Type())
	if err != nil {
		return nil, err
	}
	if !s.writes {
		model := reflect.New(s.model).Elem()
		into(model, v)
		value = model.Interface()
	}
	text, err := quick.Marshal(value)
	if err != nil {
		return nil, fmt.Errorf("write %s: %w", s.name, err)
	}
	if text[0] != '{' {
		return fmt.Appendf(nil, `{"%s":%d,"%s":%s}`, versionKey, s.version(), envelopeKey, text), nil
	}
	head := fmt.Appendf(nil, `{"%s":%d`, versionKey, s.version())
	if len(text) > len("{}") {
		head = append(head, ',')
	}
	return append(head, text[1:]...), nil
}

// Read reads what Write wrote, in whatever version, into a value of the domain. Empty text, and
// null, leave it as it is. The error names what cannot be read.
func Read(text []byte, value any) error {
	v := reflect.ValueOf(value).Elem()
	s, err := shapeOf(v.Type())
	if err != nil {
		return err
	}
	if text = bytes.TrimSpace(text); len(text) == 0 || string(text) == "null" {
		return nil
	}
	if left := len(text) - end(text); left > 0 {
		return fmt.Errorf("read %s: %d bytes after the value", s.name, left)
	}
	if text, err = s.newest(text); err != nil {
		return fmt.Errorf("read %s: %w", s.name, err)
	}
	as := s.model
	if s.reads {
		as = v.Type()
	}
	read := reflect.New(as)
	if err := quick.Unmarshal(text, read.Interface()); err != nil {
		return fmt.Errorf("read %s: %w", s.name, err)
	}
	into(v, read.Elem())
	return nil
}

// end is where the first value of a JSON text ends, if it is an object, an array or a string: the quicker package takes no notice of
// what follows. Cost: its bytes.
func end(text []byte) int {
	depth, quoted := 0, false
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case quoted && c == '\\':
			i++
			continue
		case c == '"':
			quoted = !quoted
		case quoted:
			continue
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			depth--
		default:
			continue
		}
		if depth == 0 && !quoted {
			return i + 1
		}
	}
	return len(text)
}

// WritePart writes a value without its version, as a part of a text that has one for all.
func WritePart(value any) ([]byte, error) {
	v := reflect.ValueOf(value)
	s, err := shapeOf(v.Type())
	if err != nil {
		return nil, err
	}
	model := reflect.New(s.model).Elem()
	into(model, v)
	var b bytes.Buffer
	encoder := json.NewEncoder(&b)
	encoder.SetEscapeHTML(false)
	err = encoder.Encode(model.Interface())
	return bytes.TrimSpace(b.Bytes()), err
}

// ReadPart reads what WritePart wrote, or a person, in a version of the shape, 0 for the newest. What does not
// belong there is an error that names it.
func ReadPart(text []byte, value any, version int) error {
	v := reflect.ValueOf(value).Elem()
	s, err := shapeOf(v.Type())
	if err != nil {
		return err
	}
	if version > 0 && version < s.version() {
		if text, err = s.upgraded(text, version); err != nil {
			return err
		}
	}
	model := reflect.New(s.model)
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.DisallowUnknownFields()
	if err := decoder.Decode(model.Interface()); err != nil {
		return err
	}
	into(v, model.Elem())
	return nil
}

// newest brings a text up to date and takes it out of its envelope. A text that says no version
// is of the first. Cost: one look at the beginning for a text of the newest version.
func (s *shape) newest(text []byte) ([]byte, error) {
	version := 1
	if rest, found := bytes.CutPrefix(text, []byte(`{"`+versionKey+`":`)); found {
		end := 0
		for end < len(rest) && rest[end] >= '0' && rest[end] <= '9' {
			end++
		}
		if end > 0 {
			if _, err := fmt.Sscan(string(rest[:end]), &version); err != nil {
				return nil, err
			}
		}
	}
	if version > s.version() {
		return nil, fmt.Errorf("it is of version %d, which a later program wrote; this one reads version %d", version, s.version())
	}
	if rest, found := bytes.CutPrefix(text, fmt.Appendf(nil, `{"%s":%d,"%s":`, versionKey, version, envelopeKey)); found {
		text = rest[:len(rest)-1]
	}
	if version == s.version() {
		return text, nil
	}
	return s.upgraded(text, version)
}

// upgraded brings a text of a version up to date.
func (s *shape) upgraded(text []byte, version int) ([]byte, error) {
	var old any
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	if err := decoder.Decode(&old); err != nil {
		return nil, err
	}
	for _, step := range s.steps[version-1:] {
		step(old)
	}
	return json.Marshal(old)
}

// into copies a value into one of another type whose fields have the same names. What is of the same type is shared: one of the
// two is gone when the text is read or written.
func into(to, from reflect.Value) {
	if to.Type() == from.Type() {
		to.Set(from)
		return
	}
	switch to.Kind() {
	case reflect.Pointer:
		if !from.IsNil() {
			to.Set(reflect.New(to.Type().Elem()))
			into(to.Elem(), from.Elem())
		}
	case reflect.Struct:
		for i := range to.NumField() {
			into(to.Field(i), from.Field(i))
		}
		if to.CanAddr() && to.Addr().CanInterface() {
			if kept, can := to.Addr().Interface().(interface{ settle() }); can {
				kept.settle()
			}
		}
	case reflect.Slice:
		if !from.IsNil() {
			to.Set(reflect.MakeSlice(to.Type(), from.Len(), from.Len()))
			for i := range from.Len() {
				into(to.Index(i), from.Index(i))
			}
		}
	case reflect.Map:
		if from.IsNil() {
			return
		}
		if origins, known := from.Interface().(map[string]string); known && to.Type() == reflect.TypeFor[record.Origins]() {
			to.Set(reflect.ValueOf(originsOf(origins))) // every record has many
			return
		}
		to.Set(reflect.MakeMapWithSize(to.Type(), from.Len()))
		for each := from.MapRange(); each.Next(); {
			key, value := reflect.New(to.Type().Key()).Elem(), reflect.New(to.Type().Elem()).Elem()
			into(key, each.Key())
			into(value, each.Value())
			to.SetMapIndex(key, value)
		}
	default:
		to.Set(from.Convert(to.Type()))
	}
}

func originsOf(texts map[string]string) record.Origins {
	origins := make(record.Origins, len(texts))
	for key, text := range texts {
		origins[key] = record.Origin(text)
	}
	return origins
}

// Keeps tells whether values of a type, or those that it points to, have a shape.
func Keeps(t reflect.Type) bool {
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	return shapes[t] != nil
}
