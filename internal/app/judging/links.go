package judging

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/app/commit"
	"codicil/internal/cache"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// MostTold is how many records are told where any number may be meant: those that follow one, say.
const MostTold = 100

// Links follows links for a document of one company, and knows what records are called.
type Links struct {
	records   *cache.Records
	store     *store.Store
	ctx       context.Context
	reference *cache.Reference
	company   string
	// reads notes which records are read; nil: nobody relies on them.
	reads *commit.ReadSet
	// over are records as they would be, or were, which go before those that are saved; nil: there is none.
	over map[record.Ref]*record.Record
	// asOf returns what is not among over as it was, and is remembered there; nil: it is read as it is.
	asOf func(at record.Ref, now *record.Record) (*record.Record, error)
	// asIs leaves numbers as they are that lead to another record: what is taken back is taken back of the same.
	asIs bool
	// failed is the first error of reading records; the run it happened in is not to be used.
	failed error
}

// Links returns what follows links for documents of a company; "": of any.
func (s *Service) Links(ctx context.Context, ref *cache.Reference, company string) *Links {
	return &Links{records: s.Cache.Records, store: s.Store, ctx: ctx, reference: ref, company: company}
}

// Err is the first error of reading records.
func (l *Links) Err() error { return l.failed }

// Find returns a record with its kind; nil for what is not there. The number of one that was merged into another leads
// to that.
func (l *Links) Find(at record.Ref) (*record.Kind, *record.Record) {
	k, err := l.reference.Kind(at.Kind)
	if err != nil {
		return nil, nil
	}
	r := l.find(at)
	if r == nil {
		if survivor := l.survivor(at); survivor != "" {
			r = l.find(record.Ref{Kind: at.Kind, Number: survivor})
		}
	}
	return k, r
}

func (l *Links) find(at record.Ref) *record.Record {
	if r, there := l.over[at]; there {
		return r
	}
	r, err := l.records.Find(l.ctx, at)
	if err != nil {
		l.failed = cmp.Or(l.failed, err)
		return nil
	}
	if l.asOf != nil {
		if r, err = l.asOf(at, r); err != nil {
			l.failed = cmp.Or(l.failed, err)
			return nil
		}
		l.over[at] = r
		return r
	}
	l.reads.Record(at, r)
	return r
}

// survivor is the number to which the number of a record leads that is no longer there; "" where it was not merged.
func (l *Links) survivor(at record.Ref) string {
	if at.Number == "" {
		return ""
	}
	number, err := l.store.Survivor(l.ctx, at)
	l.failed = cmp.Or(l.failed, err)
	return number
}

// Now is the number of the record to which a number leads.
func (l *Links) Now(kind, key string) string {
	at := record.Ref{Kind: kind, Number: key}
	if _, err := l.reference.Kind(kind); err != nil || l.asIs || l.find(at) != nil {
		return key
	}
	return cmp.Or(l.survivor(at), key)
}

// Follow returns a field of a linked record, or its lines; null when there is no
// such record.
func (l *Links) Follow(kind, key, of string) feel.Value {
	k, r := l.Find(record.Ref{Kind: kind, Number: key})
	if r == nil || (!k.Shared && l.company != "" && r.Company != l.company) { // of another company, which no document may name
		return feel.NullValue
	}
	if of == "lines" {
		return linesOf(k, r.Lines)
	}
	f := k.Field(of)
	if f == nil {
		return feel.NullValue
	}
	v, _ := f.Parse(r.Values[of])
	return v
}

func linesOf(k *record.Kind, lines []record.Line) feel.Value {
	keys := []string{"number"}
	for i := k.Headers(); i < len(k.Fields); i++ {
		keys = append(keys, k.Fields[i].Column())
	}
	contexts := make([]feel.Value, len(lines))
	for i, line := range lines {
		values := []feel.Value{feel.IntegerOf(int64(line.Number))}
		for place := k.Headers(); place < len(k.Fields); place++ {
			v, _ := k.Fields[place].Parse(line.Values[k.Fields[place].Column()])
			values = append(values, v)
		}
		contexts[i] = feel.ContextOf(&feel.Entries{Keys: keys, Values: values})
	}
	return feel.ListOf(contexts)
}

// Missing says why a document of the company may not name the record; "" when it may.
func (l *Links) Missing(kind, key string) string {
	k, r := l.Find(record.Ref{Kind: kind, Number: key})
	switch {
	case k == nil:
		return "there is no kind of record " + kind
	case r == nil || !l.seen(r):
		return "there is no " + k.Noun() + " " + key + "; choose one from the list"
	case !k.Shared && r.Company != l.company:
		return k.Noun() + " " + key + " belongs to another company; choose one of company " + l.company
	}
	return ""
}

// seen tells whether who asks may know of a record: it is of one of their companies, or of a kind that all companies share.
func (l *Links) seen(r *record.Record) bool {
	if access.In(l.ctx, r.Company) {
		return true
	}
	k, err := l.reference.Kind(r.Kind)
	return err == nil && k.Shared
}

// Elsewhere tells whether a record is in a company that is not of who asks.
func (l *Links) Elsewhere(kind, number string) bool {
	if access.Everywhere(l.ctx) || number == "" {
		return false
	}
	_, r := l.Find(record.Ref{Kind: kind, Number: number})
	return r != nil && !l.seen(r)
}

// deepest is through how many links a record is called by the name of another. Records may lead in a circle.
const deepest = 3

// Title returns the name of a record, or "" when there is none.
func (l *Links) Title(kind, key string) string { return l.title(kind, key, deepest) }

func (l *Links) title(kind, key string, deep int) string {
	k, r := l.Find(record.Ref{Kind: kind, Number: key})
	if r == nil || !l.seen(r) {
		return ""
	}
	return l.titleOf(k, r.Values, deep)
}

// TitleOf returns what people call a record: the first of the kind's title fields
// that is filled, by name where it is a link.
func (l *Links) TitleOf(k *record.Kind, values map[string]string) string {
	return l.titleOf(k, values, deepest)
}

func (l *Links) titleOf(k *record.Kind, values map[string]string, deep int) string {
	for _, key := range k.Title {
		text := values[key]
		if f := k.Field(key); text != "" && deep > 0 && f != nil && f.IsLink() {
			if name := l.title(f.Kind, text, deep-1); name != "" {
				return name
			}
		}
		if text != "" {
			return text
		}
	}
	return k.Label + " without a name"
}

// Link writes a link as people read it: number, the number to which it leads where that is another, and name.
func (l *Links) Link(kind, key string) string {
	name := l.Title(kind, key)
	if name == "" {
		return key
	}
	if now := l.Now(kind, key); now != key {
		return key + " → " + now + " " + name
	}
	return key + " " + name
}

// Use names a record.
func (l *Links) Use(r record.Record) fault.Use {
	return fault.Use{What: r.Kind, Key: r.Number, Title: l.Title(r.Kind, r.Number)}
}

// Resolve finds the record that a person means: by its number, by number and name
// as we show them, or by a part of its name that fits no other as well. What it does not
// find it returns as typed.
func (l *Links) Resolve(kind, typed string) string {
	typed = strings.TrimSpace(typed)
	first, _, _ := strings.Cut(typed, " ")
	for _, number := range []string{typed, strings.ToUpper(typed), first, strings.ToUpper(first)} {
		r, err := l.records.Find(l.ctx, record.Ref{Kind: kind, Number: number})
		if err != nil {
			l.failed = cmp.Or(l.failed, err)
			return typed
		}
		if r != nil && l.seen(r) {
			return number
		}
	}
	for _, number := range []string{typed, strings.ToUpper(typed), first, strings.ToUpper(first)} {
		if survivor := l.survivor(record.Ref{Kind: kind, Number: number}); survivor != "" && !l.Elsewhere(kind, survivor) {
			return survivor
		}
	}
	if hits := l.Search(kind, typed); len(hits) == 1 || (len(hits) > 1 && hits[0].rank < hits[1].rank) {
		return hits[0].Number // no other fits as well
	}
	return typed
}

// Meant returns the number of the record that a text names, for a link; any other
// text as it is.
func (l *Links) Meant(f *field.Field, text string) string {
	if f == nil || !f.IsLink() || text == "" {
		return text
	}
	return l.Resolve(f.Kind, text)
}

// Hit is a record that fits the words of a search.
type Hit struct {
	rank int // how well, 1 best
	// Title is its name, and About tells it from another of the same name.
	Title, About string
	*record.Record
}

// mostHits is how many records a search for a link looks at for each way to find them.
const mostHits = 40

// Search returns some records that fit the words, best first: those the company may name, by number first,
// then by name. Where what a record is called is a link, the linked record's name counts. Cost: those
// that are looked at.
func (l *Links) Search(kind, words string) []Hit {
	k, err := l.reference.Kind(kind)
	if err != nil {
		return nil
	}
	return l.search(k, words, l.within(k), deepest)
}

// within are the companies whose records of a kind may be named; nil: all.
func (l *Links) within(k *record.Kind) []string {
	switch {
	case k.Shared:
		return nil
	case l.company != "":
		return []string{l.company}
	}
	return access.Scope(l.ctx)
}

func (l *Links) search(k *record.Kind, words string, companies []string, deep int) []Hit {
	wanted := strings.Fields(strings.ToLower(words))
	whole := strings.Join(wanted, " ")
	var hits []Hit
	seen := map[string]bool{}
	take := func(rows []record.Record, err error) {
		l.failed = cmp.Or(l.failed, err)
		for i := range rows {
			r := &rows[i]
			if seen[r.Number] || (companies != nil && !slices.Contains(companies, r.Company)) {
				continue
			}
			seen[r.Number] = true
			h := Hit{0, l.TitleOf(k, r.Values), about(k, r), r}
			if h.rank = rankOf(wanted, strings.ToLower(r.Number), strings.ToLower(h.Title), strings.ToLower(h.About+" "+strings.Join(r.Former, " "))); h.rank > 0 {
				hits = append(hits, h)
			}
		}
	}
	selection := record.Selection{Search: words, Companies: companies}
	if companies != nil && len(companies) == 0 {
		return nil
	}
	if whole != "" {
		for _, number := range slices.Compact([]string{whole, strings.ToUpper(whole)}) {
			take(l.store.RecordsFrom(l.ctx, store.RecordsFrom{Kind: k, Companies: companies, Number: number, Limit: mostHits}))
		}
		l.searchTitle(k, words, companies, deep, take)
	}
	selector, wrong := record.NewSelector(k, selection, field.Plain)
	if wrong == nil {
		page, err := l.store.List(l.ctx, store.ListQuery{Selector: selector, Limit: mostHits, Uncounted: true})
		take(page.Rows, err)
	}
	slices.SortStableFunc(hits, func(a, b Hit) int { return cmp.Compare(a.rank, b.rank) })
	return hits
}

// searchTitle takes the records of which the first title begins with the words, or leads to what is found by them.
func (l *Links) searchTitle(k *record.Kind, words string, companies []string, deep int, take func([]record.Record, error)) {
	if len(k.Title) == 0 {
		return
	}
	title := k.Field(k.Title[0])
	if title == nil {
		return
	}
	if !title.IsLink() {
		take(l.store.RecordsFrom(l.ctx, store.RecordsFrom{Kind: k, Companies: companies, Title: field.SortsFrom(strings.Join(strings.Fields(strings.ToLower(words)), " ")), Limit: mostHits}))
		return
	}
	to, err := l.reference.Kind(title.Kind)
	if err != nil || deep == 0 {
		return
	}
	var named []record.Ref
	for _, h := range l.search(to, words, nil, deep-1) {
		named = append(named, h.Ref)
	}
	if len(named) > 0 {
		take(l.store.RecordsNaming(l.ctx, store.NamedBy{Records: named, Kinds: []string{k.Key}, Limit: mostHits}))
	}
}

// rankOf ranks how well a record fits: 1 best, 0 not at all.
func rankOf(wanted []string, number, title, about string) int {
	whole := strings.Join(wanted, " ")
	switch {
	case number == whole:
		return 1
	case strings.HasPrefix(number, whole):
		return 2
	case strings.HasPrefix(title, whole):
		return 3
	}
	all := number + " " + title + " " + about
	for _, word := range wanted {
		if !strings.Contains(all, word) {
			return 0
		}
	}
	return 4
}

func about(k *record.Kind, r *record.Record) string {
	var parts []string
	for i := range k.Fields {
		if f := &k.Fields[i]; f.Searched && !f.OfLine() && r.Values[f.Key] != "" {
			parts = append(parts, r.Values[f.Key])
		}
	}
	return strings.Join(parts, " · ")
}
