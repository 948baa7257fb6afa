package bench

import (
	"bytes"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// BenchmarkBook reads a book with 1,600 rules more than the demo has, and then with all of these changed, while somebody
// saves documents one after the other. It tells how many rules a second that were, and how long saving took at most.
func BenchmarkBook(b *testing.B) {
	ctx := actor.With(b.Context(), actor.Named("Bench", actor.Program))
	const more = 1_600
	for b.Loop() {
		s, _ := demoStore(b)
		d := app.New(s, time.Now)
		book, err := d.Books.Export(ctx)
		require.NoError(b, err)
		first := slices.IndexFunc(book.Rules, func(r rule.Rule) bool { return r.Kind == "vendor" && r.Family == rule.Default })
		for i := range more {
			r := book.Rules[first]
			r.ID, r.UID, r.Name, r.State = int64(10_000+i), fmt.Sprintf("%016d", i), fmt.Sprintf("Town %d", i), rule.InForce
			r.Body.When = fmt.Sprintf(`city = "Town %d" and credit_limit > %d`, i, i)
			book.Rules = append(book.Rules, r)
		}
		var text bytes.Buffer
		require.NoError(b, book.Write(&text))
		read := func(what string, text []byte) {
			over, longest := make(chan struct{}), make(chan time.Duration)
			go func() {
				most := time.Duration(0)
				for i := 0; ; i++ {
					select {
					case <-over:
						longest <- most
						return
					default:
					}
					begun := time.Now()
					saved, err := d.Records.Save(ctx, contract.SaveRequest{Document: judge.Document{
						Kind: "accounting_document", Company: "10", Type: "JE", Entered: map[string]judge.Item{"text": {Value: fmt.Sprint(what, i)}},
						Lines: []judge.Line{
							{Number: 1, Entered: map[string]judge.Item{"account": {Value: "590000"}, "debit": {Value: "25.10"}, "cost_centre": {Value: "K10900"}}},
							{Number: 2, Entered: map[string]judge.Item{"account": {Value: "159000"}, "credit": {Value: "25.10"}}},
						},
					}})
					if err != nil || saved.Record == nil {
						b.Errorf("not saved: %v %v", err, saved.Outcome.Messages)
						<-over
					}
					most = max(most, time.Since(begun))
				}
			}()
			begun := time.Now()
			changes, err := d.Books.Read(ctx, bytes.NewReader(text), true)
			took := time.Since(begun)
			close(over)
			require.NoError(b, err)
			require.Len(b, changes, more)
			b.ReportMetric(float64(more)/took.Seconds(), what+"/s")
			b.ReportMetric((<-longest).Seconds()*1000, "longest-save-ms-"+what)
		}
		read("added", text.Bytes())
		read("changed", bytes.ReplaceAll(text.Bytes(), []byte(`Town`), []byte(`Village`)))
		d.Close()
		require.NoError(b, s.Close())
	}
}
