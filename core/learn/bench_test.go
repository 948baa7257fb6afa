package learn_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"codicil/core/learn"
)

// BenchmarkLearning proposes rules from a hundred thousand records of some forty fields, with lines.
func BenchmarkLearning(b *testing.B) {
	s := newScenery(1)
	records := s.papers(100_000, 0.01, 1)
	b.ReportMetric(float64(len(s.kind.Fields)), "fields")
	for b.Loop() {
		l := learn.New(&s.kind, s.kinds, companies)
		for i := range s.vendors {
			l.Link(&s.vendors[i])
		}
		for i := range s.items {
			l.Link(&s.items[i])
		}
		for i := range records {
			l.Add(&records[i])
		}
		found, err := l.Propose(b.Context())
		require.NoError(b, err)
		require.NotEmpty(b, found)
	}
}
