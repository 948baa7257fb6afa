package store

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"reflect"
	"sync"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm/schema"

	"codicil/internal/codec"
)

// What is read whole or not at all is kept compressed (zstd, RFC 8878). A dictionary holds what is the same in all of it; none
// may ever change, only be followed by another with a number of its own. The first had the parts of what is kept; the second
// has them as they follow one another, by the standard kinds of its day.
//
//go:embed dictionary1.txt
var dictionary1 []byte

//go:embed dictionary2.txt
var dictionary2 []byte

var packer = sync.OnceValue(func() *zstd.Encoder {
	e, err := zstd.NewWriter(nil, zstd.WithEncoderDictRaw(2, dictionary2), zstd.WithEncoderConcurrency(2), zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderCRC(true), zstd.WithWindowSize(1<<17))
	if err != nil {
		panic(err) // the options are fixed
	}
	return e
})

// mostUnpacked is how large one column may be.
const mostUnpacked = 1 << 30

var unpacker = sync.OnceValue(func() *zstd.Decoder {
	d, err := zstd.NewReader(nil, zstd.WithDecoderDictRaw(1, dictionary1), zstd.WithDecoderDictRaw(2, dictionary2), zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(mostUnpacked))
	if err != nil {
		panic(err) // the options are fixed
	}
	return d
})

var magic = []byte{0x28, 0xb5, 0x2f, 0xfd}

func pack(text []byte) []byte { return packer().EncodeAll(text, nil) }

// unpack returns what pack was given; what an earlier release kept as plain text stays so.
func unpack(column []byte) ([]byte, error) {
	if !bytes.HasPrefix(column, magic) {
		return column, nil
	}
	return unpacker().DecodeAll(column, nil)
}

// packed is how columns hold compressed values: of the domain as package codec writes them, others as JSON. No
// value, and a list, map or pointer of nil, is NULL.
type packed struct{}

func init() { schema.RegisterSerializer("packed", packed{}) }

// Scan reads a column.
func (packed) Scan(ctx context.Context, f *schema.Field, row reflect.Value, column any) error {
	switch c := column.(type) {
	case nil:
		return kept{}.Scan(ctx, f, row, nil)
	case string:
		column = []byte(c)
	}
	raw, ok := column.([]byte)
	if !ok {
		return fmt.Errorf("column %s holds a %T", f.DBName, column)
	}
	text, err := unpack(raw)
	if err != nil {
		return fmt.Errorf("column %s: %w", f.DBName, err)
	}
	if codec.Keeps(f.FieldType) {
		return kept{}.Scan(ctx, f, row, text)
	}
	into := reflect.New(f.FieldType)
	if err := json.Unmarshal(text, into.Interface()); err != nil {
		return fmt.Errorf("column %s: %w", f.DBName, err)
	}
	f.ReflectValueOf(ctx, row).Set(into.Elem())
	return nil
}

// Value writes a column.
func (packed) Value(ctx context.Context, f *schema.Field, row reflect.Value, value any) (any, error) {
	v := reflect.ValueOf(value)
	switch v.Kind() {
	case reflect.Slice, reflect.Map:
		if v.Len() == 0 {
			return nil, nil
		}
	}
	if !codec.Keeps(v.Type()) {
		text, err := packable(value)
		return pack(text), err
	}
	text, err := kept{}.Value(ctx, f, row, value)
	if text, ok := text.(string); ok && err == nil {
		return pack([]byte(text)), nil
	}
	return nil, err
}

// packable is a value as it is written before it is compressed.
func packable(value any) ([]byte, error) {
	if v := reflect.ValueOf(value); codec.Keeps(v.Type()) {
		return codec.Write(reflect.Indirect(v).Interface())
	}
	return json.Marshal(value)
}
