package app_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/exchange"
)

// claim is a kind of one's own that is posted and makes a journal.
func claim() contract.KindChange {
	return contract.KindChange{
		New: true,
		Kind: record.Kind{
			Label: "Claim", Plural: "Claims", TypeLabel: "Claim type", Prefix: "CL", Digits: 4, Posted: true, Title: []string{"reason"}, Day: "claimed_on",
			Sections: []record.Section{{Key: "general", Label: "Claim"}, {Key: record.LineSection, Label: "Lines"}},
			Journal:  &record.Journal{Account: "lines.account", Debit: "lines.debit", Credit: "lines.credit", Control: "control_for", Partners: []string{"customer"}},
		},
		Fields: []field.Field{
			{Key: "reason", Label: "Reason", Section: "general", Type: field.Text, Length: 60, Searched: true},
			{Key: "claimed_on", Label: "Claimed on", Section: "general", Type: field.Date},
			{Key: "customer", Label: "Customer", Section: "general", Type: field.Link, Kind: "customer"},
			{Key: "country", Label: "Country", Section: "general", Type: field.Choice, List: "countries"},
			{Key: "lines.account", Label: "Account", Type: field.Link, Kind: "gl_account"},
			{Key: "lines.debit", Label: "Debit", Type: field.Amount},
			{Key: "lines.credit", Label: "Credit", Type: field.Amount},
		},
		Types: []record.Type{{Key: "WARR", Label: "Warranty"}},
	}
}

// A kind that an administrator makes is one like any other: records, rules, postings, searches.
func TestAKindOfOnesOwnIsOneLikeAnyOther(t *testing.T) {
	d, ctx := harbour(t), as(t)
	entry, err := d.Kinds.Save(ctx, "claim", claim())
	require.NoError(t, err)
	assert.True(t, entry.Kind.Own)
	assert.Len(t, entry.Kind.Fields, 7)
	assert.Equal(t, "WARR", entry.Types[0].Key)
	_, err = d.Kinds.Save(ctx, "claim", claim())
	assert.Equal(t, "key-taken", codeOf(t, err))

	add(t, d, rule.Body{Kind: "claim", Family: rule.Default, Target: "country", Effect: rule.Effect{Value: "customer.country", Lifetime: rule.NewOnly}, On: rule.Occasions{New: true}}, rule.InForce)
	grocer := save(t, d, document("customer", "10", "WHOL", values{"name": "Quay Grocers", "country": "IE"}))
	made := save(t, d, document("claim", "10", "WARR", values{"reason": "Torn sacks", "claimed_on": "2026-11-20", "customer": grocer.Number},
		values{"account": "4000", "debit": "120"}, values{"account": "1000", "credit": "120"}))
	assert.Equal(t, "CL100001", made.Number)
	assert.Equal(t, "IE", made.Content.Values["country"])
	posted := post(t, d, made)
	require.NotNil(t, posted.Record, "%v", posted.Outcome.Messages)
	journal, err := d.Posting.Journal(ctx, "books", "", nil)
	require.NoError(t, err)
	assert.Len(t, journal.Entries, 2)

	// What posted documents rest on stays; the rest may change, and says what it touches.
	change := contract.KindChange{Kind: entry.Kind}
	change.Kind.Prefix, change.Kind.Journal = "CLM", nil
	check, err := d.Kinds.Check(ctx, change)
	require.NoError(t, err)
	require.Len(t, check.Problems, 1)
	assert.Equal(t, "kind-is-posted", check.Problems[0].Code)
	assert.Equal(t, "numbers-stay", check.Touches[0].Code)
	change.Kind.Journal = entry.Kind.Journal
	change.Kind.Label = "Complaint"
	renamed, err := d.Kinds.Save(ctx, "claim", change)
	require.NoError(t, err)
	assert.Equal(t, "Complaint", renamed.Kind.Label)
	assert.Len(t, renamed.Kind.Fields, 7)
	next := save(t, d, document("claim", "10", "WARR", values{"reason": "Wet salt"}))
	assert.Equal(t, "CLM100002", next.Number)
	assert.Equal(t, "in-use", codeOf(t, d.Kinds.Delete(ctx, "claim")))
	assert.Equal(t, "shipped-kind", codeOf(t, d.Kinds.Delete(ctx, "vendor")))
}

func TestWhatIsWrongWithAKindIsSaidAtItsPart(t *testing.T) {
	d, ctx := harbour(t), as(t)
	for part, spoil := range map[string]func(*contract.KindChange){
		"key":       func(c *contract.KindChange) { c.Kind.Key = "No key" },
		"label":     func(c *contract.KindChange) { c.Kind.Plural = " " },
		"typeLabel": func(c *contract.KindChange) { c.Kind.TypeLabel = "" },
		"prefix":    func(c *contract.KindChange) { c.Kind.Prefix = "V" },
		"digits":    func(c *contract.KindChange) { c.Kind.Digits = 0 },
		"sections":  func(c *contract.KindChange) { c.Kind.Sections = c.Kind.Sections[:1] },
		"title":     func(c *contract.KindChange) { c.Kind.Title = []string{"lines.debit"} },
		"listed":    func(c *contract.KindChange) { c.Kind.Listed = []string{"nothing"} },
		"day":       func(c *contract.KindChange) { c.Kind.Day = "reason" },
		"signed":    func(c *contract.KindChange) { c.Kind.Signed = []string{"reason"} },
		"journal":   func(c *contract.KindChange) { c.Kind.Posted = false },
		"fields":    func(c *contract.KindChange) { c.Fields[3].List = "nowhere" },
		"types":     func(c *contract.KindChange) { c.Types = nil },
	} {
		change := claim()
		change.Kind.Key = "claim"
		spoil(&change)
		check, err := d.Kinds.Check(ctx, change)
		require.NoError(t, err)
		parts := []string{}
		for _, p := range check.Problems {
			parts = append(parts, p.Part)
		}
		assert.Contains(t, parts, part)
		if part != "key" { // which stands in the address where it is saved
			_, err = d.Kinds.Save(ctx, "claim", change)
			assert.Equal(t, "kind-problems", codeOf(t, err), part)
		}
	}
	require.NoError(t, func() error { _, err := d.Kinds.Save(ctx, "claim", claim()); return err }(), "nothing of what was refused is left")
	require.NoError(t, d.Kinds.Delete(ctx, "claim"))
	_, err := d.Kinds.Save(ctx, "claim", claim())
	require.NoError(t, err, "a kind that is gone can be made again")
}

// Standard fields that nobody uses can be put away, and come back with their values.
func TestAStandardFieldIsPutAway(t *testing.T) {
	d, ctx := harbour(t), as(t)
	before := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay", "website": "https://quay.example"}))
	assert.Equal(t, "needed-field", codeOf(t, d.Fields.Remove(ctx, "vendor", "name")))
	assert.Equal(t, "needed-field", codeOf(t, d.Fields.Remove(ctx, "vendor", "country")), "other fields stand beside it")
	rule := add(t, d, rule.Body{Kind: "vendor", Family: rule.Validate, Target: "website", When: "is filled(website)", Effect: rule.Effect{Must: `starts with(website, "https")`, Severity: rule.Refuse, Message: "Write the whole address."}, On: rule.Occasions{New: true, Change: true}}, rule.InForce)
	assert.Equal(t, "in-use", codeOf(t, d.Fields.Remove(ctx, "vendor", "website")))
	_, err := d.Rules.Move(ctx, rule.ID, contract.RuleMove{State: "suspended", Version: rule.Version, Reason: "a test"})
	require.NoError(t, err)
	require.NoError(t, d.Fields.Remove(ctx, "vendor", "website"))
	kind := kindOf(t, d, "vendor")
	assert.Nil(t, kind.Field("website"))
	removed, err := d.Fields.Removed(ctx, "vendor")
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.Equal(t, 1, removed[0].Values)
	_, err = d.Fields.Restore(ctx, "vendor", "website")
	require.NoError(t, err)
	kind = kindOf(t, d, "vendor")
	assert.NotNil(t, kind.Field("website"))
	assert.Equal(t, "https://quay.example", get(t, d, "vendor", before.Number).Content.Values["website"])
}

func kindOf(t *testing.T, d *app.App, key string) *record.Kind {
	t.Helper()
	c, err := d.Catalog.Catalog(as(t))
	require.NoError(t, err)
	for i := range c.Kinds {
		if c.Kinds[i].Kind.Key == key {
			return &c.Kinds[i].Kind
		}
	}
	require.Fail(t, "there is no kind", key)
	return nil
}

func listOf(label string, codes ...string) table.List {
	l := table.List{Label: label}
	for _, code := range codes {
		l.Entries = append(l.Entries, table.Entry{Code: code, Label: code})
	}
	return l
}

// A book takes kinds along, with what rests on them.
func TestABookTakesKindsAlong(t *testing.T) {
	d, ctx := harbour(t), as(t)
	_, err := d.Kinds.Save(ctx, "claim", claim())
	require.NoError(t, err)
	_, err = d.Lists.Save(ctx, "ports", contract.CodeListChange{List: listOf("Ports", "SKL", "CAR")})
	require.NoError(t, err)
	_, err = d.Fields.Add(ctx, "claim", field.Field{Key: "port", Label: "Port", Section: "general", Type: field.Choice, List: "ports"})
	require.NoError(t, err)
	require.NoError(t, d.Fields.Remove(ctx, "vendor", "website"))
	add(t, d, rule.Body{Kind: "claim", Family: rule.Default, Target: "port", Effect: rule.Effect{Value: `"SKL"`, Lifetime: rule.NewOnly}, On: rule.Occasions{New: true}}, rule.InForce)
	book, err := d.Books.Export(ctx)
	require.NoError(t, err)
	var text bytes.Buffer
	require.NoError(t, book.Write(&text))
	read, err := exchange.ReadBook(bytes.NewReader(text.Bytes()))
	require.NoError(t, err)

	elsewhere := harbour(t)
	_, err = elsewhere.Books.Import(ctx, read, false)
	require.NoError(t, err)
	again, err := elsewhere.Books.Export(ctx)
	require.NoError(t, err)
	assert.Equal(t, book.Kinds, again.Kinds)
	assert.Equal(t, book.Fields, again.Fields)
	made := save(t, elsewhere, document("claim", "10", "WARR", values{"reason": "Torn sacks"}))
	assert.Equal(t, "SKL", made.Content.Values["port"])
	twice, err := elsewhere.Books.Import(ctx, read, false)
	require.NoError(t, err)
	assert.Empty(t, twice, "what is there already is no change")
}

// The file of a book is told before it is read in, and what is no book is refused with the reason.
func TestTheFileOfABookIsRead(t *testing.T) {
	d, ctx := harbour(t), as(t)
	_, err := d.Kinds.Save(ctx, "claim", claim())
	require.NoError(t, err)
	book, err := d.Books.Export(ctx)
	require.NoError(t, err)
	var text bytes.Buffer
	require.NoError(t, book.Write(&text))

	elsewhere := harbour(t)
	told, err := elsewhere.Books.Read(ctx, bytes.NewReader(text.Bytes()), false)
	require.NoError(t, err)
	assert.NotEmpty(t, told)
	again, err := elsewhere.Books.Read(ctx, bytes.NewReader(text.Bytes()), true)
	require.NoError(t, err)
	assert.Equal(t, told, again, "nothing was kept the first time")
	assert.NotNil(t, kindOf(t, elsewhere, "claim"))
	_, err = elsewhere.Books.Read(ctx, bytes.NewReader([]byte("salt: yes")), true)
	assert.Equal(t, "not-a-book", codeOf(t, err))
}

// What a spreadsheet holds is guessed from any form of file, with lines where it has them.
func TestASpreadsheetIsGuessedWithItsLines(t *testing.T) {
	d, ctx := harbour(t), as(t)
	flat := "Order,Boat,Article\nS-1,Petrel,rope\nS-1,Petrel,oar\nS-2,Skua,rope\n"
	nested := `{"order":"S-1","boat":"Petrel","lines":[{"article":"rope"},{"article":"oar"}]}` + "\n" + `{"order":"S-2","boat":"Skua","lines":[{"article":"rope"}]}` + "\n"
	for name, text := range map[string]string{"Orders.csv": flat, "Orders.ndjson": nested} {
		guess, err := d.Kinds.Guess(ctx, name, "", false, strings.NewReader(text))
		require.NoError(t, err, name)
		assert.Equal(t, [3]int{3, 3, 2}, [3]int{guess.Rows, guess.Looked, guess.Records}, name)
		assert.Equal(t, name == "Orders.ndjson", guess.Nested, name)
		assert.Equal(t, record.LineSection, guess.Kind.Sections[1].Key, name)
		for _, c := range guess.Columns {
			article := strings.HasSuffix(strings.ToLower(c.Name), "article")
			assert.Equal(t, article, c.Line, "%s %s", name, c.Name)
			assert.Equal(t, article, c.Field.OfLine(), "%s %s", name, c.Name)
		}
	}
	guess, err := d.Kinds.Guess(ctx, "Orders.csv", "", true, strings.NewReader(flat))
	require.NoError(t, err)
	assert.Equal(t, 3, guess.Records)
	assert.Len(t, guess.Kind.Sections, 1)
	_, err = d.Kinds.Guess(ctx, "Orders.csv", "Ship", false, strings.NewReader(flat))
	assert.Equal(t, "unknown-column", codeOf(t, err))
}

// ofTypeT is a kind with one type and a note that is searched.
func ofTypeT(label string, fields ...field.Field) contract.KindChange {
	return contract.KindChange{
		New:    true,
		Kind:   record.Kind{Label: label, Plural: label + "s", TypeLabel: "Type", Prefix: strings.ToUpper(label[:2]), Digits: 4, Title: []string{}, Sections: []record.Section{{Key: "general", Label: "General"}}},
		Fields: append([]field.Field{{Key: "note", Label: "Note", Section: "general", Type: field.Text, Length: 60, Searched: true}}, fields...),
		Types:  []record.Type{{Key: "T", Label: "T"}},
	}
}

// Records that are called by the records that they link to have a name and are found, though those lead back to them; so do records
// of a kind that no field gives a name.
func TestRecordsThatAreCalledByEachOther(t *testing.T) {
	d, ctx := harbour(t), as(t)
	_, err := d.Kinds.Save(ctx, "crew", ofTypeT("Crew"))
	require.NoError(t, err)
	ship := ofTypeT("Ship", field.Field{Key: "crew", Label: "Crew", Section: "general", Type: field.Link, Kind: "crew"})
	ship.Kind.Title = []string{"crew"}
	_, err = d.Kinds.Save(ctx, "ship", ship)
	require.NoError(t, err)
	nameless := save(t, d, document("crew", "10", "T", values{"note": "Night watch"}))
	found := func(kind, words string) (numbers []string) {
		options, err := d.Records.FindLinks(ctx, kind, words, "10")
		require.NoError(t, err)
		for _, o := range options {
			numbers = append(numbers, o.Number)
		}
		return numbers
	}
	assert.Equal(t, []string{nameless.Number}, found("crew", "watch"))

	for _, f := range []field.Field{{Key: "ship", Label: "Ship", Kind: "ship"}, {Key: "former", Label: "Former crew", Kind: "crew"}} {
		f.Section, f.Type = "general", field.Link
		_, err := d.Fields.Add(ctx, "crew", f)
		require.NoError(t, err)
	}
	crew := ofTypeT("Crew").Kind
	crew.Key = "crew"
	for _, by := range []string{"ship", "former"} {
		crew.Title = []string{by}
		_, err = d.Kinds.Save(ctx, "crew", contract.KindChange{Kind: crew})
		require.NoError(t, err)
		watch := save(t, d, document("crew", "10", "T", values{"note": "Day watch " + by}))
		boat := save(t, d, document("ship", "10", "T", values{"note": "Ketch " + by, "crew": watch.Number}))
		change := document("crew", "10", "T", values{"note": "Day watch " + by, "ship": boat.Number, "former": watch.Number})
		change.Record = watch.Number
		answer, err := d.Records.Save(ctx, contract.SaveRequest{Document: change, Version: watch.Version})
		require.NoError(t, err)
		require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
		assert.NotEmpty(t, answer.Record.Title)
		assert.Contains(t, found("crew", watch.Number), watch.Number)
		assert.Contains(t, found("ship", strings.ToLower(boat.Number)), boat.Number)
		_, err = d.Records.List(ctx, contract.ListRequest{Kind: "crew", Selection: record.Selection{Search: "watch"}})
		require.NoError(t, err)
	}
}
