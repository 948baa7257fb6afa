package main

import (
	"context"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/store"
)

const newVendors = "Company;Type;Name;Country;City;Tax number;E-mail;Control account;Payment method;Bank account;Note\n" +
	"10;SERV;Lantern Surveys;IE;Kilbrack;IE6433435F;a@lantern.example;211000;T;IE29AIBK93115212345678;x\n" +
	"10;SERV;Bollard Paints;IE;Kilbrack;IE6433435X;b@bollard.example;211000;C;;y\n"

// A file is loaded into data that no server has open, and by a running server, with the same outcome.
func TestLoadLoadsIntoAFileAndThroughAServer(t *testing.T) {
	folder := t.TempDir()
	data, file, refused := filepath.Join(folder, "data.db"), filepath.Join(folder, "new.csv"), filepath.Join(folder, "refused.csv")
	require.NoError(t, demo.Write(t.Context(), data))
	require.NoError(t, os.WriteFile(file, []byte(newVendors), 0o600))
	want := []string{"column \"Note\" is left out\n", "row 3      refuse   Bollard Paints: Tax number: IE6433435X is not a tax number of IE", "add 1, refuse 1\n"}
	checks := func(out, errs string, failed bool) {
		t.Helper()
		assert.True(t, failed)
		assert.Contains(t, errs, "not every row was accepted")
		for _, text := range want {
			assert.Contains(t, out, text)
		}
	}
	out, errs, failed := run(t, "", "load", "--data", data, "--kind", "vendor", "--file", file, "--check")
	checks(out, errs, failed)
	out, errs, failed = run(t, "", "load", "--data", data, "--kind", "vendor", "--file", file, "--refused", refused)
	checks(out, errs, failed)
	text, err := os.ReadFile(refused)
	require.NoError(t, err)
	assert.Contains(t, string(text), "Bollard Paints,IE,Kilbrack,IE6433435X")
	mended := strings.Replace(string(text), "IE6433435X", "IE5260181E", 1)
	out, _, failed = run(t, mended, "load", "--data", data, "--kind", "vendor", "--value", "city=Skellport", "--column", "City=", "--key", "none")
	assert.True(t, failed, "another vendor has its number: %s", out)
	out, _, failed = run(t, newVendors, "load", "--data", data, "--kind", "vendor", "--found", "skip", "--missing", "skip")
	assert.False(t, failed, out)
	assert.Contains(t, out, "skip 2", "one is found by its tax number, the other is not")
	_, errs, failed = run(t, "", "load", "--data", data, "--kind", "vendor", "--file", file, "--set-up", "none such")
	assert.True(t, failed)
	assert.Contains(t, errs, `no set-up is called "none such"`)
	_, errs, failed = run(t, "", "load", "--data", data, "--kind", "vendor")
	assert.True(t, failed)
	assert.Contains(t, errs, "the file is empty")

	other := filepath.Join(folder, "other.db")
	require.NoError(t, demo.Write(t.Context(), other))
	s, err := store.Open(t.Context(), other)
	require.NoError(t, err)
	d := app.New(s, time.Now)
	t.Cleanup(func() { d.Close(); assert.NoError(t, s.Close()) })
	handler, err := httpapi.New(d, httpapi.Options{Client: fstest.MapFS{}, Guest: httpapi.As("Moya Keane")})
	require.NoError(t, err)
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	out, errs, failed = run(t, "", "load", "--server", server.URL, "--kind", "vendor", "--file", file, "--refused", "-")
	checks(out, errs, failed)
	assert.Contains(t, out, "Why it was not loaded")
	loads, err := d.Loads.List(actor.With(context.Background(), actor.Named("Moya Keane", actor.Program)))
	require.NoError(t, err)
	assert.Equal(t, 1, loads[0].Runs[0].Writes)
	_, errs, failed = run(t, "", "load", "--server", server.URL, "--kind", "nope", "--file", file)
	assert.True(t, failed)
	assert.Contains(t, errs, `there is no kind of record "nope"`)
}
