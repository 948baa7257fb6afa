package httpapi_test

import (
	"log/slog"
	"os"
	"testing"

	"github.com/getkin/kin-openapi/openapi3filter"
)

func TestMain(m *testing.M) {
	slog.SetLogLoggerLevel(slog.LevelWarn) // what was asked is told by the tests
	openapi3filter.RegisterBodyDecoder("text/event-stream", openapi3filter.FileBodyDecoder)
	os.Exit(m.Run())
}
