package store_test

import (
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
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

// What an installation of the first release holds is there after the next release
// has opened it.
func TestTheFirstReleasesDataComesAlong(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	db, err := sql.Open("sqlite", path)
	require.NoError(t, err)
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = provider.UpTo(t.Context(), 1)
	require.NoError(t, err)
	for _, statement := range []string{
		`INSERT INTO companies VALUES ('10', 'Salt Works', 'IE', 'EUR', 'half-up')`,
		`INSERT INTO kinds VALUES ('vendor', 'Vendor', 'Vendors', 'Vendor group', '[]')`,
		`INSERT INTO fields VALUES ('vendor', 'name', 0, '{}')`,
		`INSERT INTO records VALUES ('vendor', 'V1', '10', 'TRAD', '{"name":"Quay Ropes"}')`,
		`INSERT INTO proofs (kind, name, rules, given, expect) VALUES ('vendor', 'One', '[]', '{"kind":"vendor"}', '{}')`,
		`INSERT INTO postings VALUES ('PV10-00001', 1, 'vendor', '10', 'TRAD', '2026-11-24', 'Quay Ropes', '{}', '{}', '2026-11-24 09:00:00', 'Ada')`,
	} {
		_, err := db.ExecContext(t.Context(), statement)
		require.NoError(t, err, statement)
	}
	require.NoError(t, db.Close())

	s := open(t, path)
	defer func() { require.NoError(t, s.Close()) }()
	r, err := s.Record(t.Context(), "vendor", "V1")
	require.NoError(t, err)
	assert.Equal(t, "Quay Ropes", r.Values["name"])
	assert.Equal(t, [2]any{store.Kept, 1}, [2]any{r.State, r.Version})
	versions, err := s.RecordVersions(t.Context(), "vendor", "V1")
	require.NoError(t, err)
	require.Len(t, versions, 1)
	assert.Equal(t, "Quay Ropes", versions[0].Content.Values["name"])
	companies, err := s.Companies(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int{6, 7}, companies[0].Calendar.FreeDays)
	p, err := s.Posting(t.Context(), "practice", "PV10-00001")
	require.NoError(t, err)
	assert.Equal(t, "Quay Ropes", p.Title)
	proof, err := s.Proof(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "One", proof.Name)
	// A change of the old record is its next version.
	r.Values["name"] = "Quay Ropes Ltd"
	r, err = s.ChangeRecord(t.Context(), r, "saved", when, "Ben")
	require.NoError(t, err)
	assert.Equal(t, 2, r.Version)
	_, err = s.ChangeRecord(t.Context(), store.Record{Kind: "vendor", Number: "V1", Company: "10", Version: 1}, "saved", when, "Ada")
	assert.ErrorIs(t, err, store.ErrStale)
}

func TestAFieldAddedByPeopleStaysWhenTheKindsComeAnew(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	require.NoError(t, s.SaveField(t.Context(), "vendor", record.Field{Key: "berth", Added: true}))
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{{Key: "vendor", Fields: []record.Field{{Key: "a"}, {Key: "c"}}}}))
	keys := func() []string {
		kinds, err := s.Kinds(t.Context())
		require.NoError(t, err)
		list := []string{}
		for _, f := range kinds[0].Fields {
			list = append(list, f.Key)
		}
		return list
	}
	assert.Equal(t, []string{"a", "c", "berth"}, keys())
	require.NoError(t, s.RemoveField(t.Context(), "vendor", "berth", when, "Ada"))
	assert.Equal(t, []string{"a", "c"}, keys())
}
