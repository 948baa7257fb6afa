package store

import (
	"context"
	"fmt"
	"reflect"

	"gorm.io/gorm/schema"

	"codicil/internal/codec"
)

// kept is how columns hold values of the domain: as package codec writes them. No value, and a
// list or pointer of nil, is NULL.
type kept struct{}

func init() { schema.RegisterSerializer("kept", kept{}) }

// Scan reads a column.
func (kept) Scan(ctx context.Context, f *schema.Field, row reflect.Value, column any) error {
	into := reflect.New(f.FieldType)
	target := into
	if f.FieldType.Kind() == reflect.Pointer {
		target = reflect.New(f.FieldType.Elem())
	}
	var text []byte
	switch c := column.(type) {
	case nil:
	case []byte:
		text = c
	case string:
		text = []byte(c)
	default:
		return fmt.Errorf("column %s holds a %T", f.DBName, column)
	}
	if len(text) > 0 && string(text) != "null" {
		if err := codec.Read(text, target.Interface()); err != nil {
			return fmt.Errorf("column %s: %w", f.DBName, err)
		}
		if target != into {
			into.Elem().Set(target)
		}
	}
	f.ReflectValueOf(ctx, row).Set(into.Elem())
	return nil
}

// Value writes a column.
func (kept) Value(_ context.Context, _ *schema.Field, _ reflect.Value, value any) (any, error) {
	v := reflect.ValueOf(value)
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			return nil, nil
		}
		value = v.Elem().Interface()
	case reflect.Slice, reflect.Map:
		if v.IsNil() {
			return nil, nil
		}
	}
	text, err := codec.Write(value)
	return string(text), err
}
