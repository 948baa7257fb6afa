package httpapi_test

import (
	"log/slog"
	"os"
	"testing"
)

func TestMain(m *testing.M) {
	slog.SetLogLoggerLevel(slog.LevelWarn) // what was asked is told by the tests
	os.Exit(m.Run())
}
