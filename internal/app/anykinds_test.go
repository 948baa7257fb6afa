package app_test

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// anyKinds are kinds as nobody would make them: of any fields, called by any of them, leading to each other in any way.
type anyKinds struct {
	*rapid.T
	d    *app.App
	s    *store.Store
	keys []string
	log  []string
}

// answers takes an answer, or a refusal that says why; anything else is a fault of the program.
func (k *anyKinds) answers(what string, err error) bool {
	k.log = append(k.log, fmt.Sprint(what, ": ", err))
	var own *fault.Fault
	require.True(k, err == nil || errors.As(err, &own) && own.Reason != fault.Unable, "%v\n%s", err, strings.Join(k.log, "\n"))
	return err == nil
}

func (k *anyKinds) some(label string, from []string, most int) []string {
	picked := []string{}
	for range rapid.IntRange(0, most).Draw(k.T, label) {
		if len(from) > 0 {
			picked = append(picked, rapid.SampledFrom(from).Draw(k.T, label))
		}
	}
	slices.Sort(picked)
	return slices.Compact(picked)
}

// field draws one of the header or of lines.
func (k *anyKinds) field(at int, lines bool) field.Field {
	f := field.Field{
		Key: fmt.Sprint("f", at), Label: fmt.Sprint("Field ", at), Section: "general", Type: rapid.SampledFrom(append(field.Names(), field.Link, field.Link, field.Link, field.Link, field.Text, field.Text)).Draw(k.T, "type"),
		Searched: rapid.Bool().Draw(k.T, "searched"), Personal: rapid.Bool().Draw(k.T, "personal"),
	}
	if lines {
		f.Key, f.Section = field.LinePrefix+f.Key, ""
	}
	switch f.Type {
	case field.Text:
		f.Length = 20
	case field.Choice:
		f.List = "countries"
	case field.Link:
		f.Kind = rapid.SampledFrom(slices.Concat(k.keys, k.keys, []string{"vendor"})).Draw(k.T, "kind")
	case field.Number, field.Quantity, field.Percent:
		f.Decimals = 2
	}
	return f
}

// kind makes one.
func (k *anyKinds) kind() {
	key := fmt.Sprint("k", len(k.keys))
	change := contract.KindChange{New: true, Kind: record.Kind{
		Key: key, Label: strings.ToUpper(key), Plural: strings.ToUpper(key) + "s", TypeLabel: "Type", Prefix: "K" + string(rune('A'+len(k.keys))), Digits: 3, Title: []string{},
		Shared: rapid.Bool().Draw(k.T, "shared"), Posted: rapid.Bool().Draw(k.T, "posted"), Sections: []record.Section{{Key: "general", Label: "General"}},
	}, Types: []record.Type{{Key: "T", Label: "T"}}}
	change.Kind.Posted = change.Kind.Posted && !change.Kind.Shared
	if rapid.Bool().Draw(k.T, "lines") {
		change.Kind.Sections = append(change.Kind.Sections, record.Section{Key: record.LineSection, Label: "Lines"})
	}
	_, err := k.d.Kinds.Save(as(nobody{}), key, change)
	if !k.answers("kind "+key, err) {
		return
	}
	k.keys = append(k.keys, key)
}

// fill gives a kind its fields, and arranges it.
func (k *anyKinds) fill(key string) {
	lines := slices.ContainsFunc(k.now(key).Sections, func(s record.Section) bool { return s.Key == record.LineSection })
	for i := range rapid.IntRange(0, 5).Draw(k.T, "fields") {
		_, err := k.d.Fields.Add(as(nobody{}), key, k.field(i, lines && rapid.IntRange(0, 2).Draw(k.T, "of lines") == 0))
		k.answers("field of "+key, err)
	}
	k.arrange(k.now(key))
}

// arrange says by what the records of a kind are called, and what lists of them show.
func (k *anyKinds) arrange(kind *record.Kind) {
	now, keys := *kind, []string{}
	for i := range kind.Fields {
		if !kind.Fields[i].OfLine() || rapid.IntRange(0, 5).Draw(k.T, "a line's") == 0 {
			keys = append(keys, kind.Fields[i].Key)
		}
	}
	now.Title, now.Listed, now.Signed = k.some("title", keys, 2), k.some("listed", keys, 3), k.some("signed", keys, 1)
	now.Day = rapid.SampledFrom(append(keys, "", "")).Draw(k.T, "day")
	for {
		check, err := k.d.Kinds.Check(as(nobody{}), contract.KindChange{Kind: now})
		if !k.answers("check of "+now.Key, err) {
			return
		}
		if len(check.Problems) == 0 {
			break
		}
		switch part := check.Problems[0].Part; part {
		case "title":
			now.Title = []string{}
		case "listed":
			now.Listed = nil
		case "signed":
			now.Signed = nil
		case "day":
			now.Day = ""
		default:
			return
		}
	}
	_, err := k.d.Kinds.Save(as(nobody{}), now.Key, contract.KindChange{Kind: now})
	k.answers("arranged "+now.Key+fmt.Sprint(now.Title), err)
}

// now is a kind as it is.
func (k *anyKinds) now(key string) *record.Kind {
	catalog, err := k.d.Catalog.Catalog(as(nobody{}))
	require.NoError(k, err)
	return &catalog.Kinds[slices.IndexFunc(catalog.Kinds, func(e contract.KindEntry) bool { return e.Kind.Key == key })].Kind
}

func (k *anyKinds) numbers(kind string) []string {
	page, err := k.d.Records.List(as(nobody{}), contract.ListRequest{Kind: kind})
	k.answers("list of "+kind, err)
	numbers := []string{""}
	for _, r := range page.Rows {
		numbers = append(numbers, r.Number)
	}
	return numbers
}

func (k *anyKinds) value(f *field.Field) string {
	if f.IsLink() {
		numbers := k.numbers(f.Kind)
		return rapid.SampledFrom(append(numbers, numbers[1:]...)).Draw(k.T, f.Key)
	}
	values := []string{"", "a", "12", "2026-01-05", "true"}
	for _, v := range f.Samples(field.Surroundings{}) {
		values = append(values, field.Write(v))
	}
	return rapid.SampledFrom(values).Draw(k.T, f.Key)
}

func (k *anyKinds) document(kind *record.Kind) judge.Document {
	header, line := values{}, values{}
	for i := range kind.Fields {
		if f := &kind.Fields[i]; f.OfLine() {
			line[f.Column()] = k.value(f)
		} else {
			header[f.Key] = k.value(f)
		}
	}
	if len(line) == 0 {
		return document(kind.Key, "10", "T", header)
	}
	return document(kind.Key, "10", "T", header, line)
}

// step does one thing with records of one kind, or asks for one.
func (k *anyKinds) step() {
	kind, ctx := k.now(rapid.SampledFrom(k.keys).Draw(k.T, "kind")), as(nobody{})
	numbers := k.numbers(kind.Key)
	number := rapid.SampledFrom(numbers[min(len(numbers)-1, rapid.IntRange(0, 5).Draw(k.T, "none")):]).Draw(k.T, "number")
	at := record.Ref{Kind: kind.Key, Number: number}
	var fields []string
	for i := range kind.Fields {
		fields = append(fields, kind.Fields[i].Key)
	}
	one := rapid.SampledFrom(append(fields, "nothing")).Draw(k.T, "field")
	switch what := rapid.SampledFrom([]string{"save", "save", "save", "change", "change", "change", "post", "reverse", "read", "list", "search", "rule", "learn", "scan", "merge", "derive", "export", "breaks", "find", "arrange", "field", "other field", "remove", "restore", "delete", "layout", "map", "book"}).Draw(k.T, "what"); what {
	case "save":
		_, err := k.d.Records.Save(ctx, contract.SaveRequest{Document: k.document(kind)})
		k.answers(what+" "+kind.Key, err)
	case "change":
		if now, err := k.d.Records.Get(ctx, at); k.answers(what, err) {
			d := k.document(kind)
			d.Record = number
			_, err = k.d.Records.Save(ctx, contract.SaveRequest{Document: d, Version: now.Version})
			k.answers(what+" "+number, err)
		}
	case "post":
		if now, err := k.d.Records.Get(ctx, at); k.answers(what, err) {
			_, err := k.d.Posting.Post(ctx, at, contract.PostRequest{Version: now.Version})
			k.answers(what+" "+number, err)
		}
	case "reverse":
		if now, err := k.d.Records.Get(ctx, at); k.answers(what, err) {
			_, err := k.d.Posting.Reverse(ctx, at, contract.ReverseRequest{Version: now.Version, Day: "2026-11-24"})
			k.answers(what+" "+number, err)
		}
	case "read":
		_, err := k.d.Records.Get(ctx, at)
		k.answers(what, err)
		_, err = k.d.Records.History(ctx, at, &field.Plain)
		k.answers("history", err)
		_, err = k.d.Records.ToldOf(ctx, at, 1, "", nil)
		k.answers("why", err)
	case "list":
		for _, relation := range []string{"is", "is-not", "contains", "from", "is-blank", "is-filled"} {
			request := contract.ListRequest{Kind: kind.Key, Columns: fields, Selection: record.Selection{Sort: one, Filters: []record.Filter{{Field: one, Relation: relation, Value: "1"}}}}
			_, err := k.d.Records.List(ctx, request)
			k.answers(what+" by "+one+" "+relation, err)
			_, err = k.d.Records.Count(ctx, request)
			k.answers("count", err)
		}
	case "search":
		for _, words := range []string{"a", "k", "salt 1", number, ""} {
			_, err := k.d.Records.FindLinks(ctx, kind.Key, words, "10")
			k.answers(what+" "+kind.Key+" "+words, err)
			_, err = k.d.Records.List(ctx, contract.ListRequest{Kind: kind.Key, Selection: record.Selection{Search: words}})
			k.answers(what+" list", err)
		}
	case "rule":
		f := kind.Field(one)
		if f == nil {
			return
		}
		b := body(kind.Key, rule.Default, one, rule.Effect{Lifetime: rule.WheneverBlank, Value: "f0"})
		if rapid.Bool().Draw(k.T, "live") {
			b = body(kind.Key, rule.Source, one, rule.Effect{Mode: rule.Live, Value: k.path(kind)})
		}
		v, err := k.d.Rules.Create(ctx, contract.RuleChange{Body: b})
		if k.answers(what+" "+b.Target+" "+b.Effect.Value, err) && v.Sound {
			_, err = k.d.Rules.Move(ctx, v.ID, contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "as drawn"})
			k.answers("in force", err)
		}
	case "learn":
		k.ends(k.d.Learning.Start(ctx, kind.Key))
	case "scan":
		by := match.Unique{Fields: k.some("by", fields, 2), Near: rapid.Bool().Draw(k.T, "near"), Ignore: match.AllIgnored, Everywhere: true}
		k.ends(k.d.Duplicates.Start(ctx, contract.ScanRequest{Kind: kind.Key, Name: "Scan", By: by}))
	case "merge":
		k.ends(k.d.Merging.Start(ctx, contract.MergeRequest{Kind: kind.Key, Apply: true, Reason: "one", Merges: []contract.RecordMerge{{Survivor: number, Merged: []string{rapid.SampledFrom(numbers).Draw(k.T, "other")}}}}))
	case "derive":
		k.ends(k.d.Derive.Start(ctx, contract.DeriveRequest{Kind: kind.Key, Fields: k.some("fields", fields, 2), Apply: rapid.Bool().Draw(k.T, "apply"), Reason: "again"}))
	case "export":
		k.answers(what, k.d.Records.Export(ctx, contract.ListRequest{Kind: kind.Key, Columns: fields}, io.Discard))
	case "breaks":
		k.ends(k.d.Breaks.Start(ctx, kind.Key))
	case "find":
		k.answers(what, k.d.Findings.Kind(ctx, kind.Key, func(contract.Finding) error { return nil }))
		_, err := k.d.Coverage.Kind(ctx, kind.Key, true)
		k.answers("coverage", err)
	case "arrange":
		k.arrange(kind)
	case "field":
		_, err := k.d.Fields.Add(ctx, kind.Key, k.field(len(k.log), one != "nothing" && kind.Field(one).OfLine()))
		k.answers(what, err)
	case "other field":
		if f := kind.Field(one); f != nil {
			other := k.field(0, f.OfLine())
			other.Key, other.Label = f.Key, f.Label
			_, err := k.d.Fields.Change(ctx, kind.Key, one, other)
			k.answers(fmt.Sprint(what, " ", one, " ", f.Type, " ", other.Type), err)
		}
	case "restore":
		removed, err := k.d.Fields.Removed(ctx, kind.Key)
		k.answers("removed", err)
		for _, r := range removed {
			_, err := k.d.Fields.Restore(ctx, kind.Key, r.Field.Key)
			k.answers(what+" "+r.Field.Key, err)
		}
	case "remove":
		k.answers(what+" "+one, k.d.Fields.Remove(ctx, kind.Key, one))
	case "delete":
		k.answers(what+" "+number, k.d.Records.Delete(ctx, at))
	case "layout":
		_, err := k.d.Catalog.Layout(ctx, kind.Key, "10", "T")
		k.answers(what, err)
		_, err = k.d.Formulas.Names(ctx, kind.Key, one)
		k.answers("names", err)
	case "map":
		to := rapid.SampledFrom(k.keys).Draw(k.T, "to")
		m, err := k.d.Catalog.SaveFollowOn(ctx, record.FollowOn{Name: fmt.Sprint("To ", len(k.log)), From: kind.Key, To: to, Type: "T", Pairs: []record.Pair{{From: one, To: one}, {From: "#", To: "f0"}}})
		if k.answers(what, err) {
			_, err = k.d.Records.Begin(ctx, m.ID, contract.BeginRequest{Number: number})
			k.answers("begin", err)
		}
	case "book":
		_, err := k.d.Books.Export(ctx)
		k.answers(what, err)
	}
}

// path draws a field of a linked record, one or two links away.
func (k *anyKinds) path(kind *record.Kind) string {
	path := "f0"
	for range rapid.IntRange(1, 2).Draw(k.T, "links") {
		var links []field.Field
		for _, f := range kind.Fields {
			if f.IsLink() && !f.OfLine() {
				links = append(links, f)
			}
		}
		if len(links) == 0 {
			return path
		}
		link := rapid.SampledFrom(links).Draw(k.T, "link")
		kind = k.now(link.Kind)
		path = strings.TrimSuffix(path, "f0") + link.Key + ".f0"
	}
	if len(kind.Fields) > 0 {
		path = strings.TrimSuffix(path, "f0") + rapid.SampledFrom(kind.Fields).Draw(k.T, "of it").Key
	}
	return path
}

// ends waits for a run, which may find what it finds, but does not fail.
func (k *anyKinds) ends(r contract.Run, err error) {
	if !k.answers("run "+string(r.What), err) {
		return
	}
	var now contract.Run
	require.Eventually(k, func() bool {
		now, err = k.d.Runs.Get(as(nobody{}), r.ID)
		return err != nil || now.EndedAt != nil
	}, time.Minute, time.Millisecond)
	require.NoError(k, err)
	require.NotEqual(k, contract.RunStateFailed, now.State, "%s\n%s", now.Problem, strings.Join(k.log, "\n"))
}

// found is what is kept beside the records, with what some words find.
func (k *anyKinds) found(path string) map[string][]string {
	all := besideRecords(k, path)
	for _, kind := range k.keys {
		for _, word := range []string{"a", "k", "12", "salt", "2026", "de", "v1"} {
			page, err := k.d.Records.List(as(nobody{}), contract.ListRequest{Kind: kind, Limit: 200, Selection: record.Selection{Search: word}})
			require.NoError(k, err)
			for _, r := range page.Rows {
				all["words"] = append(all["words"], word+" "+kind+" "+r.Number)
			}
		}
	}
	return all
}

func (k *anyKinds) open(path string) {
	var err error
	k.s, err = store.Open(as(nobody{}), path)
	require.NoError(k, err)
	k.d = app.New(k.s, morning)
}

func (k *anyKinds) close() {
	k.d.Close()
	require.NoError(k, k.s.Close())
}

// Whatever an administrator makes of kinds and their fields, each thing that is asked of them is answered, or refused with a reason; and
// their records are found as if all had been filed by what the kinds are in the end.
func TestAnyKindsAreAnswered(t *testing.T) {
	require.NoError(t, onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) }).Check(t.Context()))
	dir := t.TempDir()
	rapid.Check(t, func(r *rapid.T) {
		if !rapid.SampledFrom([]bool{false, true}).Draw(r, "made") {
			return // one takes a fifth of a second
		}
		path := filepath.Join(dir, "kinds.db")
		require.NoError(r, os.WriteFile(path, harbourFile, 0o600))
		k := &anyKinds{T: r}
		k.open(path)
		for range rapid.IntRange(1, 3).Draw(r, "kinds") {
			k.kind()
		}
		for _, key := range k.keys {
			k.fill(key)
		}
		for range rapid.IntRange(5, 40).Draw(r, "steps") {
			k.step()
		}
		require.NoError(r, k.d.Records.CatchUp(as(nobody{})))
		before := k.found(path)
		k.close()
		anew := forgetful(r, path)
		k.open(anew)
		sameSets(r, "as made anew\n"+strings.Join(k.log, "\n"), k.found(anew), before)
		k.close()
		require.NoError(r, os.Remove(path))
	})
}
