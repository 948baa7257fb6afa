package store_test

import (
	"errors"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/store"
)

var when = time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)

func open(t *testing.T, path string) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	return s
}

func prepared(t *testing.T, path string) *store.Store {
	t.Helper()
	s := open(t, path)
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{{Key: "vendor", Fields: []record.Field{{Key: "b"}, {Key: "a", Type: record.Date}}}}))
	return s
}

func TestWhatIsKeptIsThereAfterOpeningAgain(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	s := prepared(t, path)
	r, err := s.AddRule(t.Context(), rule.Rule{State: rule.Draft, Body: rule.Body{Kind: "vendor", When: "a > b", Scope: rule.Scope{Companies: []string{"30"}}}}, when, "Ada")
	require.NoError(t, err)
	require.NoError(t, s.Close())

	s = open(t, path)
	defer func() { require.NoError(t, s.Close()) }()
	again, err := s.Rule(t.Context(), r.ID)
	require.NoError(t, err)
	assert.Equal(t, r, again)
	kinds, err := s.Kinds(t.Context())
	require.NoError(t, err)
	require.Len(t, kinds, 1)
	assert.Equal(t, "b", kinds[0].Fields[0].Key, "fields keep their order")
	assert.Equal(t, record.Date, kinds[0].Fields[1].Type)
}

func TestAStaleChangeIsRefusedAndEveryVersionKept(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	r, err := s.AddRule(t.Context(), rule.Rule{State: rule.Draft, Name: "first", Body: rule.Body{Kind: "vendor"}}, when, "Ada")
	require.NoError(t, err)
	second := r
	second.Name = "second"
	second, err = s.ChangeRule(t.Context(), second, when, "Ben")
	require.NoError(t, err)
	assert.Equal(t, 2, second.Version)
	r.Name = "too late"
	_, err = s.ChangeRule(t.Context(), r, when, "Cai")
	assert.ErrorIs(t, err, store.ErrStale)
	versions, err := s.RuleVersions(t.Context(), r.ID)
	require.NoError(t, err)
	require.Len(t, versions, 2)
	assert.Equal(t, "second", versions[0].Name)
	assert.Equal(t, "Ben", versions[0].ChangedBy)
	assert.True(t, when.Equal(versions[1].ChangedAt))
}

func TestANumberOfAFailedTransactionIsNotTaken(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	failure := errors.New("refused")
	err := s.Transaction(t.Context(), func(tx *store.Store) error {
		n, err := tx.NextNumber(t.Context(), "x")
		require.NoError(t, err)
		assert.EqualValues(t, 1, n)
		return failure
	})
	require.ErrorIs(t, err, failure)
	n, err := s.NextNumber(t.Context(), "x")
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
}

func TestWhatIsNotThereIsSaid(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	for _, err := range []error{
		func() error { _, err := s.Rule(t.Context(), 9); return err }(),
		func() error { _, err := s.Proof(t.Context(), 9); return err }(),
		func() error { _, err := s.Posting(t.Context(), "practice", "P1"); return err }(),
		func() error { _, err := s.Record(t.Context(), "vendor", "V1"); return err }(),
		s.DeleteProof(t.Context(), 9),
	} {
		assert.ErrorIs(t, err, store.ErrNotFound)
	}
}
