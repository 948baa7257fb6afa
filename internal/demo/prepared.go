package demo

import (
	"bytes"
	"compress/gzip"
	"embed"
	"io"
)

// The scenario as a database file, filled when the program was built, so that a
// start of the demo need not fill it again. make build makes it; without it a start
// takes longer.
//
//go:embed all:prepared
var prepared embed.FS

// PreparedName is the file's name in the folder prepared.
const PreparedName = "brinewell.db.gz"

// Prepared returns the scenario as a database file; false where the program was
// built without it.
func Prepared() ([]byte, bool) {
	packed, err := prepared.ReadFile("prepared/" + PreparedName)
	if err != nil {
		return nil, false
	}
	reader, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, false
	}
	file, err := io.ReadAll(reader)
	return file, err == nil
}
