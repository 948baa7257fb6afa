package bench

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/store"
)

// scannedVendors is how many vendors a scan looks through.
const scannedVendors = 100_000

// BenchmarkScan looks for vendors with similar names among many, of all companies together.
func BenchmarkScan(b *testing.B) {
	ctx := actor.With(b.Context(), actor.Named(demo.Author, actor.CommandLine))
	path := filepath.Join(b.TempDir(), "scan.db")
	require.NoError(b, demo.Write(ctx, path))
	s, err := store.Open(ctx, path)
	require.NoError(b, err)
	defer func() { require.NoError(b, s.Close()) }()
	var text bytes.Buffer
	require.NoError(b, demo.WriteVendors(&text, scannedVendors, 11))
	rows := csv.NewReader(&text)
	head, err := rows.Read()
	require.NoError(b, err)
	name, company := column(head, "Name"), column(head, "Company")
	for n, more := 0, true; more; {
		require.NoError(b, s.Transaction(ctx, func(tx *store.Store) error {
			for range 5_000 {
				row, err := rows.Read()
				if err == io.EOF {
					more = false
					return nil
				}
				if err != nil {
					return err
				}
				n++
				r := record.Record{Ref: record.Ref{Kind: "vendor", Number: fmt.Sprintf("W%06d", n)}, Company: row[company], Type: "SERV", State: record.Kept, Content: record.Content{Values: map[string]string{"name": row[name]}}}
				if _, err := tx.AddRecord(ctx, r, store.Numbering{}, nil, record.Stamp{At: store.Instant(time.Now())}); err != nil {
					return err
				}
			}
			return nil
		}))
	}
	d := app.New(s, time.Now)
	defer d.Close()
	for b.Loop() {
		begun := time.Now()
		run, err := d.Duplicates.Start(ctx, contract.ScanRequest{Kind: "vendor", Name: "Names", By: match.Unique{Fields: []string{"name"}, Everywhere: true, Ignore: match.AllIgnored, Near: true}})
		require.NoError(b, err)
		run = finished(ctx, b, d, run.ID)
		b.ReportMetric(time.Since(begun).Seconds(), "s/scan")
		b.Log(run.Done, run.Counts)
	}
}

// column is the place of a column by its head.
func column(head []string, label string) int {
	for i, h := range head {
		if h == label {
			return i
		}
	}
	return -1
}
