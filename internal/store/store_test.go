package store_test

import (
	"bytes"
	"compress/gzip"
	"database/sql"
	"errors"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/codec"
	"codicil/internal/ledger"
	"codicil/internal/standard"
	"codicil/internal/store"
)

var when = time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)

func stamp(by string) record.Stamp {
	return record.Stamp{At: store.Instant(when), By: by, Person: by, Via: "program"}
}

func open(t *testing.T, path string) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	return s
}

func prepared(t *testing.T, path string) *store.Store {
	t.Helper()
	s := open(t, path)
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{{Key: "vendor", Fields: []field.Field{{Key: "b"}, {Key: "a", Type: field.Date}}}}))
	return s
}

func TestWhatIsKeptIsThereAfterOpeningAgain(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	s := prepared(t, path)
	r, err := s.AddRule(t.Context(), rule.Rule{State: rule.Draft, Body: rule.Body{Kind: "vendor", When: "a > b", Scope: rule.Scope{Companies: []string{"30"}}}}, stamp("Ada"))
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
	assert.Equal(t, field.Date, kinds[0].Fields[1].Type)
}

func TestAStaleChangeIsRefusedAndEveryVersionKept(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	r, err := s.AddRule(t.Context(), rule.Rule{State: rule.Draft, Name: "first", Body: rule.Body{Kind: "vendor"}}, stamp("Ada"))
	require.NoError(t, err)
	second := r
	second.Name = "second"
	second, err = s.ChangeRule(t.Context(), second, stamp("Ben"))
	require.NoError(t, err)
	assert.Equal(t, 2, second.Version)
	r.Name = "too late"
	_, err = s.ChangeRule(t.Context(), r, stamp("Cai"))
	assert.ErrorIs(t, err, store.ErrStale)
	versions, err := s.RuleVersions(t.Context(), r.ID)
	require.NoError(t, err)
	require.Len(t, versions, 2)
	assert.Equal(t, "second", versions[0].Name)
	assert.Equal(t, "Ben", versions[0].Changed.By)
	assert.Equal(t, stamp("Ada"), versions[1].Changed)
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
		s.DeleteProof(t.Context(), 9, record.Stamp{}),
	} {
		assert.ErrorIs(t, err, store.ErrNotFound)
	}
}

// What an installation of the first release holds is there after the next release
// has opened it.
func TestTheFirstReleasesDataComesAlong(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	db, err := sql.Open("sqlite3", path)
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
	assert.Equal(t, [2]any{record.Kept, 1}, [2]any{r.State, r.Version})
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
	r, err = s.ChangeRecord(t.Context(), r, "saved", nil, stamp("Ben"))
	require.NoError(t, err)
	assert.Equal(t, 2, r.Version)
	_, err = s.ChangeRecord(t.Context(), record.Record{Ref: record.Ref{Kind: "vendor", Number: "V1"}, Company: "10", Version: 1}, "saved", nil, stamp("Ada"))
	assert.ErrorIs(t, err, store.ErrStale)
}

func TestAFieldAddedByPeopleStaysWhenTheKindsComeAnew(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	require.NoError(t, s.SaveField(t.Context(), "vendor", field.Field{Key: "berth", Added: true}, stamp("Ada")))
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{{Key: "vendor", Fields: []field.Field{{Key: "a"}, {Key: "c"}}}}))
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
	require.NoError(t, s.RemoveField(t.Context(), "vendor", "berth", stamp("Ada")))
	assert.Equal(t, []string{"a", "c"}, keys())
}

// A file may be called whatever a file system takes, and belongs to its owner alone.
func TestAFileIsOpenedUnderItsOwnName(t *testing.T) {
	folder := t.TempDir()
	for _, name := range []string{"plain.db", "what?.db", "50%25.db", "#1 a&b=c.db", "år.db"} {
		path := filepath.Join(folder, name)
		s := prepared(t, path)
		require.NoError(t, s.SaveCompany(t.Context(), record.Company{Key: "10", Rounding: "half-up"}, stamp("Ada")), name)
		info, err := os.Stat(path)
		require.NoError(t, err, name)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), name)
		require.NoError(t, s.Close())
		db, err := sql.Open("sqlite3", "file:"+(&url.URL{Path: path}).EscapedPath()+"?_pragma=foreign_keys(1)")
		require.NoError(t, err)
		var mode string
		require.NoError(t, db.QueryRowContext(t.Context(), "PRAGMA journal_mode").Scan(&mode))
		assert.Equal(t, "wal", mode, "%s: its safety options hold", name)
		require.NoError(t, db.Close())
	}
	// One that others could read is taken from them.
	path := filepath.Join(folder, "open.db")
	require.NoError(t, os.WriteFile(path, nil, 0o600))
	require.NoError(t, os.Chmod(path, 0o644))
	require.NoError(t, prepared(t, path).Close())
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

// The data of an installation before values had origins, and entry rules aspects, comes along.
func TestDataOfBeforeOriginsComesAlong(t *testing.T) {
	s := landed(t, "10")
	defer func() { require.NoError(t, s.Close()) }()
	book, seed, err := s.BookVersion(t.Context())
	require.NoError(t, err)
	assert.Positive(t, book)
	assert.Len(t, seed, 64)
	rules, err := s.Rules(t.Context(), "vendor")
	require.NoError(t, err)
	said := map[string]int{}
	for _, r := range rules {
		if r.Family == rule.Entry {
			e := r.Effect
			said[strings.Join([]string{string(e.Need), string(e.Access), string(e.Cursor), string(e.Keying)}, "/")]++
		}
	}
	assert.Equal(t, map[string]int{"required/open//": 6, "optional/hidden//": 2, "optional/read-only//": 1, "required/open//twice": 1, "//passed over/": 1, "//stop/": 1}, said)
	seen := 0
	for r, err := range s.Records(t.Context(), "vendor", nil) {
		require.NoError(t, err)
		assert.Empty(t, r.Origins, "nobody knows who gave the values of then")
		seen++
	}
	count, err := s.CountRecords(t.Context(), "vendor", nil)
	require.NoError(t, err)
	assert.Positive(t, count)
	assert.Equal(t, count, seen)
	proofs, err := s.Proofs(t.Context(), "vendor")
	require.NoError(t, err)
	versions, err := s.ProofVersions(t.Context(), proofs[0].ID)
	require.NoError(t, err)
	require.Len(t, versions, 1)
	assert.Equal(t, proofs[0].Expect, versions[0].Expect)
	// A change of it is its next version.
	changed, err := s.SaveProof(t.Context(), proofs[0], "accepted", "why", stamp("Ada"))
	require.NoError(t, err)
	assert.Equal(t, 2, changed.Version)
	_, err = s.SaveProof(t.Context(), proofs[0], "accepted", "why", stamp("Ben"))
	assert.ErrorIs(t, err, store.ErrStale)
}

// The data of every state of the program that people have had opens, and holds what it held.
func TestDataOfEveryEarlierStateComesAlong(t *testing.T) {
	samples, err := filepath.Glob("testdata/landed-*.db.gz")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(samples), 7)
	for _, sample := range samples {
		state := strings.TrimSuffix(strings.TrimPrefix(filepath.Base(sample), "landed-"), ".db.gz")
		t.Run(state, func(t *testing.T) {
			s := landed(t, state)
			defer func() { require.NoError(t, s.Close()) }()
			ctx := t.Context()
			companies, err := s.Companies(ctx)
			require.NoError(t, err)
			assert.NotEmpty(t, companies)
			require.NoError(t, standard.Bring(ctx, s))
			kinds, err := standard.Kinds()
			require.NoError(t, err)
			tables, err := s.Tables(ctx)
			require.NoError(t, err)
			before := state < "21" // the kinds listed what could be chosen
			methods := tables.List("payment_methods")
			require.Equal(t, before, methods.Entry("T") != nil, "codes that the program has no longer stay")
			require.Equal(t, before, methods.Entry("TRF") == nil)
			if state > "03" { // before, the kinds said nothing of what can be chosen
				require.Len(t, tables.List("countries").Options(), 12, "as many as could be chosen before")
			}
			require.Len(t, tables.List("countries").Entries, 249)
			counts := map[string]int{}
			for _, kind := range kinds {
				rules, err := s.Rules(ctx, kind.Key)
				require.NoError(t, err, kind.Key)
				counts["rules"] += len(rules)
				for _, r := range rules {
					versions, err := s.RuleVersions(ctx, r.ID)
					require.NoError(t, err)
					require.NotEmpty(t, versions)
					assert.Equal(t, r.Body, versions[0].Body)
					assert.Equal(t, versions[0].Changed.By, versions[0].Changed.Person, "who wrote it is known by name")
				}
				proofs, err := s.Proofs(ctx, kind.Key)
				require.NoError(t, err, kind.Key)
				counts["proofs"] += len(proofs)
				for _, p := range proofs {
					assert.NotEmpty(t, p.Given.Company)
					_, err := s.ProofVersions(ctx, p.ID)
					require.NoError(t, err)
				}
				seen := 0
				for r, err := range s.Records(ctx, kind.Key, nil) {
					require.NoError(t, err, kind.Key)
					counts["records"]++
					if seen++; seen > 5 {
						continue
					}
					versions, err := s.RecordVersions(ctx, r.Kind, r.Number)
					require.NoError(t, err)
					require.Len(t, versions, r.Version)
					stands, err := codec.Write(r.Content)
					require.NoError(t, err)
					last, err := codec.Write(versions[0].Content)
					require.NoError(t, err)
					assert.JSONEq(t, string(last), string(stands), "a record stands as its last version")
				}
				counted, err := s.CountRecords(ctx, kind.Key, nil)
				require.NoError(t, err)
				assert.Equal(t, seen, counted)
				_, err = s.Layouts(ctx, kind.Key)
				require.NoError(t, err)
				_, err = s.AddedFields(ctx, kind.Key)
				require.NoError(t, err)
			}
			for _, name := range []string{ledger.Books, ledger.Practice} {
				postings, err := s.Postings(ctx, store.PostingQuery{Ledger: name, Limit: 1000})
				require.NoError(t, err)
				counts["postings"] += len(postings)
				for _, p := range postings[:min(len(postings), 5)] {
					whole, err := s.Posting(ctx, name, p.Number)
					require.NoError(t, err)
					if whole.Document != nil { // later ones are told again from what they rested on
						require.NotEmpty(t, whole.Trace.Fields)
						assert.NotEmpty(t, whole.Trace.Fields[0].Key)
					}
					assert.Regexp(t, `^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{6}Z$`, whole.Posted.At)
				}
				entries, _, err := s.Entries(ctx, name, nil, 0, 100_000)
				require.NoError(t, err)
				balances, err := s.Balances(ctx, store.BalanceQuery{Ledger: name, By: ledger.ByAccount, Limit: 1000})
				require.NoError(t, err)
				assert.Len(t, balances, len(ledger.Balances(entries, ledger.ByAccount)), "the balances of older data are added up")
			}
			_, err = s.Tables(ctx)
			require.NoError(t, err)
			_, err = s.FollowOns(ctx)
			require.NoError(t, err)
			assert.Positive(t, counts["rules"])
			assert.Positive(t, counts["proofs"])
			assert.Positive(t, counts["records"])
			t.Log(counts)
		})
	}
}

// landed is the data of an installation of an earlier state of the program.
func landed(t *testing.T, state string) *store.Store {
	t.Helper()
	s, _ := landedAt(t, state)
	return s
}

func landedAt(t *testing.T, state string) (*store.Store, string) {
	t.Helper()
	packed, err := os.Open("testdata/landed-" + state + ".db.gz")
	require.NoError(t, err)
	defer func() { require.NoError(t, packed.Close()) }()
	reader, err := gzip.NewReader(packed)
	require.NoError(t, err)
	plain, err := io.ReadAll(reader)
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "landed.db")
	require.NoError(t, os.WriteFile(path, plain, 0o600))
	return open(t, path), path
}

// How far an older file is brought up to date is told; of one that is up to date nothing is.
func TestAnUpgradeTellsItsProgress(t *testing.T) {
	s, path := landedAt(t, "10")
	require.NoError(t, s.Close())
	var told []string
	ctx := store.WithProgress(t.Context(), func(what string, done, of int) {
		if of > 0 && done > of {
			t.Errorf("%s: %d of %d", what, done, of)
		}
		told = append(told, what)
	})
	s, err := store.Open(ctx, path)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	assert.Empty(t, told)
	packed, err := os.ReadFile("testdata/landed-10.db.gz")
	require.NoError(t, err)
	reader, err := gzip.NewReader(bytes.NewReader(packed))
	require.NoError(t, err)
	old, err := io.ReadAll(reader)
	require.NoError(t, err)
	path = filepath.Join(t.TempDir(), "old.db")
	require.NoError(t, os.WriteFile(path, old, 0o600))
	s, err = store.Open(ctx, path)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	told = slices.Compact(told)
	require.GreaterOrEqual(t, len(told), 4, told)
	assert.Contains(t, told[0], "a copy of the file as it was")
	assert.Equal(t, "the tables", told[1])
	assert.Contains(t, told, "the index of vendor")
}

// Names of an earlier state are found by almost equal ones, whatever they were filed by then, and only in their company.
func TestNamesThatComeAlongAreFoundByAlmostEqualOnes(t *testing.T) {
	s := landed(t, "21")
	defer func() { require.NoError(t, s.Close()) }()
	ctx := t.Context()
	rules, err := s.Rules(ctx, "vendor")
	require.NoError(t, err)
	at := slices.IndexFunc(rules, func(r rule.Rule) bool { return r.Effect.Unique != nil && r.Effect.Unique.Near })
	require.GreaterOrEqual(t, at, 0)
	u := rules[at].Effect.Unique
	by := match.Unique{Fields: append([]string{rules[at].Target}, u.With...), Everywhere: u.Everywhere, Ignore: u.Ignore, Near: true}
	slices.Sort(by.Ignore)
	kept, err := s.HasUnique(ctx, "vendor", by)
	require.NoError(t, err)
	assert.True(t, kept, "what was kept before is kept")
	kinds, err := s.Kinds(ctx)
	require.NoError(t, err)
	vendor := kinds[slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == "vendor" })]
	found, looked := 0, 0
	for r, err := range s.Records(ctx, "vendor", nil) {
		require.NoError(t, err)
		texts := []string{r.Values[by.Fields[0]]}
		if len(texts[0]) < 12 || !r.Standing() || len(by.Fields) > 1 {
			continue
		}
		texts[0] = texts[0][:5] + "q" + texts[0][6:]
		if match.Similar(texts[0], r.Values[by.Fields[0]]) < match.Alike {
			continue
		}
		for company := range map[string]bool{r.Company: true, "20": true} {
			looked++
			key, _ := by.Ignore.Key(texts)
			numbers, err := s.SameRecords(ctx, &vendor, by, company, key, texts)
			require.NoError(t, err)
			assert.Equal(t, company == r.Company, slices.Contains(numbers, r.Number), "%s in %s", texts[0], company)
			if company == r.Company {
				found++
			}
		}
	}
	assert.Greater(t, found, 10)
	assert.Greater(t, looked, found)
}

// What is set aside of a rule stays with it, also in data that comes along; it goes with the rule.
func TestWrongVersionsAreSetAside(t *testing.T) {
	s := landed(t, "12")
	defer func() { require.NoError(t, s.Close()) }()
	ctx := t.Context()
	rules, err := s.Rules(ctx, "vendor")
	require.NoError(t, err)
	id := rules[0].ID
	require.NoError(t, s.SaveSetAside(ctx, id, "it acted always", "nobody does that", stamp("Ada")))
	require.NoError(t, s.SaveSetAside(ctx, id, "it acted always", "nobody can do that", stamp("Ben")))
	aside, err := s.SetAsides(ctx, id)
	require.NoError(t, err)
	require.Len(t, aside, 1)
	assert.Equal(t, [2]string{"nobody can do that", "Ben"}, [2]string{aside[0].Reason, aside[0].By.By})
	require.NoError(t, s.DeleteSetAside(ctx, id, "it acted always", record.Stamp{}))
	aside, err = s.SetAsides(ctx, id)
	require.NoError(t, err)
	assert.Empty(t, aside)
	assert.Error(t, s.SaveSetAside(ctx, 99999, "x", "y", stamp("Ada")), "of a rule that is there")
}

// Every change of what documents are judged by moves the version of the book; nothing else does.
func TestTheBookCountsItsChanges(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	ctx := t.Context()
	last, _, err := s.BookVersion(ctx)
	require.NoError(t, err)
	moves := func(what string, want bool, change func() error) {
		require.NoError(t, change(), what)
		now, _, err := s.BookVersion(ctx)
		require.NoError(t, err)
		assert.Equal(t, want, now > last, what)
		last = now
	}
	kinds := []record.Kind{{Key: "vendor", Fields: []field.Field{{Key: "b"}, {Key: "a", Type: field.Date}}}}
	moves("the same kinds again", false, func() error { return s.SaveKinds(ctx, kinds) })
	moves("a company", true, func() error { return s.SaveCompany(ctx, record.Company{Key: "10", Rounding: "half-up"}, stamp("Ada")) })
	moves("a layout for all", true, func() error { return s.SaveLayout(ctx, record.ScopedLayout{Kind: "vendor"}, stamp("Ada")) })
	moves("the same layout again", true, func() error { return s.SaveLayout(ctx, record.ScopedLayout{Kind: "vendor"}, stamp("Ada")) })
	moves("a map", true, func() error { _, err := s.SaveFollowOn(ctx, record.FollowOn{Name: "x"}, stamp("Ada")); return err })
	moves("a record", false, func() error {
		_, err := s.AddRecord(ctx, record.Record{Ref: record.Ref{Kind: "vendor", Number: "V1"}, Company: "10", State: record.Kept, Content: record.Content{Values: map[string]string{}}}, store.Numbering{}, nil, stamp("Ada"))
		return err
	})
	moves("a number", false, func() error { _, err := s.NextNumber(ctx, "x"); return err })
	moves("a preference", false, func() error { return s.SavePreferredFormat(ctx, &field.Plain, stamp("Ada")) })
	f, err := s.PreferredFormat(ctx, "Ada")
	require.NoError(t, err)
	assert.Equal(t, &field.Plain, f)
	moves("no preference", false, func() error { return s.SavePreferredFormat(ctx, nil, stamp("Ada")) })
	f, err = s.PreferredFormat(ctx, "Ada")
	require.NoError(t, err)
	assert.Nil(t, f)
}

func TestASilenceIsKeptUntilItIsTakenBack(t *testing.T) {
	s, ctx := open(t, ""), t.Context()
	require.NoError(t, s.SaveSilence(ctx, "overlap|vendor||r1|r2|", "the older one is right", stamp("Ada")))
	require.NoError(t, s.SaveSilence(ctx, "overlap|vendor||r1|r2|", "agreed so", stamp("Ben")))
	kept, err := s.Silences(ctx)
	require.NoError(t, err)
	require.Len(t, kept, 1)
	assert.Equal(t, "agreed so", kept["overlap|vendor||r1|r2|"].Reason)
	assert.Equal(t, "Ben", kept["overlap|vendor||r1|r2|"].By.By)
	require.NoError(t, s.DeleteSilence(ctx, "overlap|vendor||r1|r2|", record.Stamp{}))
	require.NoError(t, s.DeleteSilence(ctx, "overlap|vendor||r1|r2|", record.Stamp{}), "taken back twice is no error")
	kept, err = s.Silences(ctx)
	require.NoError(t, err)
	assert.Empty(t, kept)
}

// A part that fails is undone alone, and the rest is kept.
func TestAPartOfATransactionFailsAlone(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	failure := errors.New("refused")
	require.NoError(t, s.Transaction(t.Context(), func(tx *store.Store) error {
		for i := range 4 {
			err := tx.Part(func(part *store.Store) error {
				if _, err := part.NextNumber(t.Context(), "x"); err != nil || i%2 == 0 {
					return err
				}
				return failure
			})
			if i%2 == 0 {
				require.NoError(t, err)
			} else {
				require.ErrorIs(t, err, failure)
			}
		}
		return nil
	}))
	n, err := s.NextNumber(t.Context(), "x")
	require.NoError(t, err)
	assert.EqualValues(t, 3, n, "two of four were kept")
}

// What records of an earlier state are sorted by is what it would be, were they saved now.
func TestSortKeysComeAlong(t *testing.T) {
	s, path := landedAt(t, "23")
	ctx := t.Context()
	kinds, err := s.Kinds(ctx)
	require.NoError(t, err)
	want := map[string]string{}
	for _, kind := range kinds {
		indexer := record.NewIndexer(&kind)
		for r, err := range s.Records(ctx, kind.Key, nil) {
			require.NoError(t, err)
			for field, key := range indexer.Of(r).Keys {
				want[strings.Join([]string{kind.Key, r.Number, field}, " ")] = key
			}
		}
	}
	require.Greater(t, len(want), 1000)
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	rows, err := db.QueryContext(ctx, "SELECT r.kind, r.number, c.field, k.key FROM record_keys k JOIN records r ON r.id = k.record JOIN record_columns c ON c.id = k.field WHERE k.key > x''")
	require.NoError(t, err)
	defer func() { require.NoError(t, rows.Close()) }()
	kept := map[string]string{}
	for rows.Next() {
		var kind, number, field string
		var key []byte
		require.NoError(t, rows.Scan(&kind, &number, &field, &key))
		kept[strings.Join([]string{kind, number, field}, " ")] = string(key)
	}
	require.NoError(t, rows.Err())
	assert.Equal(t, want, kept)
}
