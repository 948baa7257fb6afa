package app_test

import (
	"bytes"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
)

func bring(t *testing.T, d *app.App, kind, name, text string) contract.Load {
	t.Helper()
	l, err := d.Loads.Bring(as(t), kind, name, strings.NewReader(text))
	require.NoError(t, err)
	return l
}

func setUp(t *testing.T, d *app.App, l contract.Load, change func(*contract.LoadSetup)) contract.Load {
	t.Helper()
	setup := l.Setup
	change(&setup)
	l, err := d.Loads.SetUp(as(t), l.ID, setup)
	require.NoError(t, err)
	return l
}

// told are the hits of a run in a few words, by row.
func told(hits []contract.RunHit) []string {
	all := make([]string, len(hits))
	for i, h := range hits {
		all[i] = fmt.Sprintf("%d %s %s", h.Row, h.What, h.Told)
	}
	return all
}

func checked(t *testing.T, d *app.App, id int64) (contract.Run, []contract.RunHit) {
	t.Helper()
	r, err := d.Loads.Check(as(t), id)
	require.NoError(t, err)
	return done(t, d, r.ID)
}

func loaded(t *testing.T, d *app.App, id int64) (contract.Run, []contract.RunHit) {
	t.Helper()
	r, err := d.Loads.Start(as(t), id)
	require.NoError(t, err)
	return done(t, d, r.ID)
}

// takenBack takes back the newest run of a load that wrote something.
func takenBack(t *testing.T, d *app.App, id int64) (contract.Run, []contract.RunHit) {
	t.Helper()
	l, err := d.Loads.Get(as(t), id)
	require.NoError(t, err)
	at := slices.IndexFunc(l.Runs, func(r contract.Run) bool { return r.Writes > 0 })
	require.GreaterOrEqual(t, at, 0)
	r, err := d.TakeBack.Start(as(t), l.Runs[at].ID)
	require.NoError(t, err)
	return done(t, d, r.ID)
}

const vendorsFile = "Company;Type;Name;Street;Payment terms;Notes of ours\n10;TRAD;Quay Ltd;Pier 1;N30;x\n10;TRAD;Tern Ltd;;N99;y\n10;TRAD;quay ltd;Pier 2;N14;z\n"

// uniqueNames refuses two vendors of one name in a company.
func uniqueNames(t *testing.T, d *app.App) {
	t.Helper()
	add(t, d, body("vendor", rule.Validate, "name", rule.Effect{Severity: rule.Refuse, Unique: &rule.Unique{Ignore: match.Differences{match.Case}}, Message: "A vendor has this name."}), rule.InForce)
}

// A file goes through the rules as by hand: what they give is given, what they refuse comes back with the reason, and the
// corrected rows are loaded; the same file twice changes nothing; all of it is taken back.
func TestAFileIsLoadedCorrectedAndTakenBack(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	uniqueNames(t, d)
	add(t, d, body("vendor", rule.Default, "street", rule.Effect{Value: `"Quay 1"`, Lifetime: rule.NewOnly}), rule.InForce)
	l := bring(t, d, "vendor", "vendors.csv", vendorsFile)
	assert.Equal(t, [3]string{"csv", "utf-8", ";"}, [3]string{string(l.Form), l.Encoding, l.Separator})
	assert.Equal(t, map[string]string{"Company": "company", "Type": "type", "Name": "name", "Street": "street", "Payment terms": "payment_terms"}, l.Setup.Columns, "columns are matched by their names")
	assert.Equal(t, []string{"name"}, l.Setup.Key, "the field that must be unique is the key")

	preview, err := d.Loads.Preview(as(t), l.ID, nil)
	require.NoError(t, err)
	require.Len(t, preview.Entries, 3)
	assert.EqualValues(t, "add", preview.Entries[0].What)
	assert.EqualValues(t, "refuse", preview.Entries[1].What)
	var wrong []string
	for _, c := range preview.Entries[1].Cells {
		if c.Problem != "" {
			wrong = append(wrong, c.Label+": "+c.Typed)
		}
	}
	assert.Equal(t, []string{"Payment terms: N99"}, wrong, "what does not fit is told at its cell")

	run, hits := checked(t, d, l.ID)
	assert.Equal(t, map[string]int{"add": 1, "refuse": 2}, run.Counts)
	assert.Contains(t, told(hits)[1], "4 refuse Row 2 of this file is about the same record")
	all, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Zero(t, all.Total, "a check keeps nothing")

	run, hits = loaded(t, d, l.ID)
	assert.Equal(t, map[string]int{"add": 1, "refuse": 2}, run.Counts)
	number := hits[2].Number
	kept, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: number})
	require.NoError(t, err)
	assert.Equal(t, record.Load, kept.Content.Origins["name"])
	why, err := d.Records.ToldOf(as(t), record.Ref{Kind: "vendor", Number: number}, 1, "name", nil)
	require.NoError(t, err)
	assert.Equal(t, contract.Again, why.Told, "its trace is computed again")
	var refused strings.Builder
	require.NoError(t, d.Loads.Refused(as(t), l.ID, &refused))
	assert.Contains(t, refused.String(), "Company,Type,Name,Street,Payment terms,Notes of ours,Why it was not loaded\n10,TRAD,Tern Ltd,,N99,y,")

	again := bring(t, d, "vendor", "again.csv", vendorsFile)
	assert.Equal(t, l.Setup.Columns, again.Setup.Columns)
	run, _ = loaded(t, d, again.ID)
	assert.Equal(t, map[string]int{"same": 1, "refuse": 2}, run.Counts, "the same file twice changes nothing")

	mended := strings.NewReplacer("N99", "N14", "quay ltd", "Gull Ltd").Replace(refused.String())
	second := bring(t, d, "vendor", "mended.csv", mended)
	assert.NotContains(t, second.Setup.Columns, "Why it was not loaded")
	run, hits = loaded(t, d, second.ID)
	assert.Equal(t, map[string]int{"add": 2}, run.Counts)
	assert.Contains(t, told(hits)[0], "Street blank → Quay 1", "it says what the rules gave")

	// What was changed or linked since stays.
	kept, err = d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: hits[0].Number})
	require.NoError(t, err)
	change := document("vendor", "10", "TRAD", values{"name": "Tern Ltd", "street": "Pier 9"})
	change.Record = kept.Number
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: change, Version: kept.Version})
	require.NoError(t, err)
	run, hits = takenBack(t, d, second.ID)
	assert.Equal(t, map[string]int{"withdrawn": 1, "stays": 1}, run.Counts)
	assert.Equal(t, "it was changed since", hits[0].Said)
	_, err = d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: hits[1].Number})
	assert.Equal(t, "not-found", code(t, err))
	next := save(t, d, document("vendor", "10", "TRAD", values{"name": "Skua Ltd"}))
	assert.NotEqual(t, hits[1].Number, next.Number, "its number is not given again")
	now, err := d.Loads.Get(as(t), second.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, now.Runs[1].Writes)
}

// A record that is found is changed by what is filled; blanks clear where that is asked for; taken back, it is what it was.
func TestALoadChangesWhatItFinds(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	was := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay", "street": "Pier 1", "payment_terms": "N30"}))
	file := "number,name,street,payment_terms\n" + was.Number + ",,Pier 2,\n,Tern,,\nV999,Skua,,\n"
	l := setUp(t, d, bring(t, d, "vendor", "v.csv", file), func(s *contract.LoadSetup) {
		assert.Equal(t, []string{"number"}, s.Key)
		s.Constants = map[string]string{"company": "10", "type": "TRAD", "payment_terms": "N14"}
	})
	run, hits := loaded(t, d, l.ID)
	assert.Equal(t, map[string]int{"change": 1, "add": 1, "refuse": 1}, run.Counts)
	assert.Contains(t, told(hits)[0], "4 refuse There is no vendor V999. The numbers of new records are given when they are saved")
	assert.Equal(t, "2 change Street Pier 1 → Pier 2", told(hits)[1])
	now, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: was.Number})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"name": "Quay", "street": "Pier 2", "payment_terms": "N30"}, now.Content.Values)
	assert.Equal(t, []record.Origin{record.Load, record.Person}, []record.Origin{now.Content.Origins["street"], now.Content.Origins["name"]})
	added, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: hits[2].Number})
	require.NoError(t, err)
	assert.Equal(t, "N14", added.Content.Values["payment_terms"], "what every row has fills what a row leaves blank")

	run, hits = takenBack(t, d, l.ID)
	assert.Equal(t, map[string]int{"withdrawn": 1, "restored": 1}, run.Counts)
	assert.Equal(t, "Pier 1", hits[1].Changes[0].After.Text)
	now, err = d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: was.Number})
	require.NoError(t, err)
	assert.Equal(t, was.Content.Values, now.Content.Values)
	assert.Equal(t, 3, now.Version)
	_, err = d.TakeBack.Start(as(t), run.ID)
	assert.Equal(t, "nothing-to-take-back", code(t, err))

	// What one load wrote twice is taken back step by step.
	l = bring(t, d, "vendor", "v.csv", "number,street\n"+was.Number+",Pier 3\n")
	loaded(t, d, l.ID)
	l = setUp(t, d, l, func(s *contract.LoadSetup) {
		s.Columns, s.Constants = map[string]string{"number": "number"}, map[string]string{"street": "Pier 4"}
	})
	loaded(t, d, l.ID)
	for range 2 {
		run, _ = takenBack(t, d, l.ID)
		assert.Equal(t, map[string]int{"restored": 1}, run.Counts)
	}
	now, err = d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: was.Number})
	require.NoError(t, err)
	assert.Equal(t, was.Content.Values, now.Content.Values)

	for found, counts := range map[contract.LoadSetupFound]map[string]int{"skip": {"skip": 1}, "refuse": {"refuse": 1}, "update": {"change": 1}} {
		l := setUp(t, d, bring(t, d, "vendor", "v.csv", "number,name,street,payment_terms\n"+was.Number+",Quay,,\n"), func(s *contract.LoadSetup) { s.Found, s.Blanks = found, contract.Clear })
		run, _ := checked(t, d, l.ID)
		assert.Equal(t, counts, run.Counts, found)
	}
	for missing, what := range map[contract.LoadSetupMissing]string{"skip": "skip", "refuse": "refuse", "add": "add"} {
		l := setUp(t, d, bring(t, d, "vendor", "v.csv", "number,name\n,Gull\n"), func(s *contract.LoadSetup) {
			s.Missing, s.Constants = missing, map[string]string{"company": "10", "type": "TRAD"}
		})
		run, _ := checked(t, d, l.ID)
		assert.Equal(t, map[string]int{what: 1}, run.Counts, missing)
	}
}

// Rows of one record are its lines, in CSV by its key and in NDJSON as they are; formats are found out.
func TestALoadReadsLinesInEveryForm(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	book := excelize.NewFile()
	for i, row := range [][]any{{"Company", "Type", "Reference", "Ordered on", "Quantity"}, {"10", "SO", "A-1", 46350, 2.5}, {nil, nil, nil, nil, 3}, {"10", "SO", "A-2", "24.11.2026", "1,5"}} {
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	var workbook bytes.Buffer
	require.NoError(t, book.Write(&workbook))
	want := map[string]string{"A-1": "2026-11-24 2.5 3", "A-2": "2026-11-24 1.5"}
	for name, text := range map[string]string{
		"o.csv":    "Company;Type;Reference;Ordered on;Quantity\n10;SO;A-1;24.11.2026;2,5\n;;;;3\n10;SO;A-2;24.11.2026;1,5\n",
		"same.csv": "company,type,reference,ordered_on,line,lines.quantity\n10,SO,A-1,2026-11-24,1,2.5\n10,SO,A-1,2026-11-24,2,3\n10,SO,A-2,2026-11-24,1,1.5\n",
		"o.ndjson": `{"company":"10","type":"SO","reference":"A-1","ordered_on":"2026-11-24","lines":[{"quantity":2.5},{"quantity":"3"}]}` + "\n" + `{"company":"10","type":"SO","reference":"A-2","ordered_on":"2026-11-24","lines":[{"quantity":1.5}]}`,
		"o.xlsx":   workbook.String(),
	} {
		l := bring(t, d, "sales_order", name, text)
		run, hits := loaded(t, d, l.ID)
		require.Equal(t, map[string]int{"add": 2}, run.Counts, "%s: %v", name, told(hits))
		for _, h := range hits {
			r, err := d.Records.Get(as(t), record.Ref{Kind: "sales_order", Number: h.Number})
			require.NoError(t, err)
			said := r.Content.Values["ordered_on"]
			for _, line := range r.Content.Lines {
				said += " " + line.Values["quantity"]
			}
			assert.Equal(t, want[r.Content.Values["reference"]], said, name)
		}
	}
}

// What a rule asks about is asked once for all rows, and a load of all rows or none keeps nothing where one is refused.
func TestALoadGivesReasonsAndLoadsAllOrNone(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	asks := add(t, d, body("vendor", rule.Validate, "street", rule.Effect{Severity: rule.Confirm, Must: "is filled(street)", Message: "There is no street."}), rule.InForce)
	uniqueNames(t, d)
	var file strings.Builder
	file.WriteString("name,company,type\n")
	for i := range 250 {
		fmt.Fprintf(&file, "Vendor %d,10,TRAD\n", i)
	}
	l := bring(t, d, "vendor", "v.csv", file.String())
	run, hits := checked(t, d, l.ID)
	assert.Equal(t, map[string]int{"confirm": 250}, run.Counts)
	require.Equal(t, []contract.AskedRule{{Rule: asks.ID, Text: "There is no street.", Count: 250}}, run.Asked)
	assert.Equal(t, []int64{asks.ID}, hits[0].Asks)

	reason := func(s *contract.LoadSetup) { s.Reasons = map[string]string{fmt.Sprint(asks.ID): "Taken over"} }
	broken := setUp(t, d, bring(t, d, "vendor", "w.csv", file.String()+"Vendor 7,10,TRAD\n"), func(s *contract.LoadSetup) { reason(s); s.Whole, s.Key = true, []string{} })
	run, hits = loaded(t, d, broken.ID)
	assert.Equal(t, map[string]int{"skip": 250, "refuse": 1}, run.Counts)
	assert.Contains(t, hits[0].Said, "A vendor has this name.")
	page, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Zero(t, page.Total)

	l = setUp(t, d, l, func(s *contract.LoadSetup) { reason(s); s.Whole = true })
	run, _ = loaded(t, d, l.ID)
	assert.Equal(t, map[string]int{"add": 250}, run.Counts)
	page, err = d.Records.List(as(t), contract.ListRequest{Kind: "vendor", Selection: record.Selection{Sort: "number"}, Columns: []string{"name"}})
	require.NoError(t, err)
	assert.Equal(t, 250, page.Total)
	assert.Equal(t, "Vendor 0", page.Rows[0].Title, "numbers are given in the order of the file")
	r, err := d.Records.Get(as(t), record.Ref{Kind: "vendor", Number: page.Rows[0].Number})
	require.NoError(t, err)
	require.Len(t, r.Content.Reasons, 1)
	assert.Equal(t, "Taken over", r.Content.Reasons[0].Text)
}

// A load whose program ends in the midst of it goes on where it was, and comes to what one comes to that is not cut off.
func TestALoadThatIsCutOffGoesOn(t *testing.T) {
	var file strings.Builder
	file.WriteString("name,company,type,payment_terms\n")
	for i := range 1000 {
		fmt.Fprintf(&file, "Vendor %d,10,TRAD,%s\n", i%900, []string{"N30", "N99", "N14"}[i%3])
	}
	outcome := func(t *testing.T, cut bool) (counts map[string]int, numbers []string) {
		t.Helper()
		path := filepath.Join(t.TempDir(), "harbour.db")
		d, s := onDisk(t, path)
		if !cut {
			t.Cleanup(func() { d.Close(); assert.NoError(t, s.Close()) })
		}
		fillHarbour(t, s)
		uniqueNames(t, d)
		l := setUp(t, d, bring(t, d, "vendor", "v.csv", file.String()), func(s *contract.LoadSetup) { s.Key = []string{} })
		run, err := d.Loads.Start(as(t), l.ID)
		require.NoError(t, err)
		if cut {
			require.Eventually(t, func() bool {
				r, err := d.Runs.Get(as(t), run.ID)
				return err == nil && (r.Done >= 100 || r.EndedAt != nil)
			}, time.Minute, time.Millisecond)
			d.Close()
			require.NoError(t, s.Close())
			d, s = onDisk(t, path)
			t.Cleanup(func() { d.Close(); assert.NoError(t, s.Close()) })
			cutOff, err := d.Runs.Get(as(t), run.ID)
			require.NoError(t, err)
			require.Equal(t, contract.RunStateCutOff, cutOff.State)
			require.NoError(t, d.Resume(as(t)))
		}
		run, _ = done(t, d, run.ID)
		for after := ""; ; {
			page, err := d.Runs.Hits(as(t), run.ID, after, 500)
			require.NoError(t, err)
			for _, h := range page.Hits {
				numbers = append(numbers, fmt.Sprintf("%d %s %s", h.Row, h.What, h.Number))
			}
			if after = page.Next; after == "" {
				break
			}
		}
		return run.Counts, numbers
	}
	counts, rows := outcome(t, false)
	assert.Len(t, rows, 1000)
	cutCounts, cutRows := outcome(t, true)
	assert.Equal(t, counts, cutCounts)
	assert.Equal(t, rows, cutRows)
}

// What is being taken back when the program ends is taken back whole when it goes on.
func TestATakingBackThatIsCutOffGoesOn(t *testing.T) {
	const vendors = 300
	var file strings.Builder
	file.WriteString("name,company,type\n")
	for i := range vendors {
		fmt.Fprintf(&file, "Vendor %d,10,TRAD\n", i)
	}
	path := filepath.Join(t.TempDir(), "harbour.db")
	d, s := onDisk(t, path)
	fillHarbour(t, s)
	l := setUp(t, d, bring(t, d, "vendor", "v.csv", file.String()), func(s *contract.LoadSetup) { s.Key = []string{} })
	run, _ := loaded(t, d, l.ID)
	require.Equal(t, map[string]int{"add": vendors}, run.Counts)
	back, err := d.TakeBack.Start(as(t), run.ID)
	require.NoError(t, err)
	for reached := 50; reached < vendors; reached += 50 { // it ends several times
		require.Eventually(t, func() bool {
			r, err := d.Runs.Get(as(t), back.ID)
			return err == nil && (r.Done >= reached || r.EndedAt != nil)
		}, time.Minute, time.Millisecond)
		d.Close()
		require.NoError(t, s.Close())
		d, s = onDisk(t, path)
		require.NoError(t, d.Resume(as(t)))
	}
	t.Cleanup(func() { d.Close(); assert.NoError(t, s.Close()) })
	back, _ = done(t, d, back.ID)
	assert.Equal(t, map[string]int{"withdrawn": vendors}, back.Counts)
	all, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor"})
	require.NoError(t, err)
	assert.Zero(t, all.Total)
}

// What is wrong with a set-up is told, and nothing begins.
func TestASetUpThatCannotBeIsRefused(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	l := bring(t, d, "vendor", "v.csv", "name,other,more\nQuay,x,y\n")
	for want, change := range map[string]func(*contract.LoadSetup){
		"unknown-column":  func(s *contract.LoadSetup) { s.Columns = map[string]string{"nope": "name"} },
		"unknown-field":   func(s *contract.LoadSetup) { s.Columns = map[string]string{"other": "nope"} },
		"column-twice":    func(s *contract.LoadSetup) { s.Columns = map[string]string{"name": "name", "other": "name"} },
		"unsuited-key":    func(s *contract.LoadSetup) { s.Key = []string{"name"} },
		"no-key-column":   func(s *contract.LoadSetup) { s.Key = []string{"number"} },
		"not-a-rule":      func(s *contract.LoadSetup) { s.Reasons = map[string]string{"x": "y"} },
		"file-unreadable": func(s *contract.LoadSetup) { s.Encoding = "klingon" },
	} {
		setup := l.Setup
		change(&setup)
		_, err := d.Loads.SetUp(as(t), l.ID, setup)
		assert.Equal(t, want, code(t, err), want)
	}
	_, err := d.Loads.Check(as(t), l.ID)
	assert.Equal(t, "no-scope", code(t, err))
	_, err = d.Loads.Bring(as(t), "vendor", "v.csv", strings.NewReader(""))
	assert.Equal(t, "file-unreadable", code(t, err))
	all, err := d.Loads.List(as(t))
	require.NoError(t, err)
	assert.Len(t, all, 1, "what cannot be read is not kept")
	require.NoError(t, d.Loads.Remove(as(t), l.ID))
	_, err = d.Loads.Get(as(t), l.ID)
	assert.Equal(t, "not-found", code(t, err))
}

// Documents are posted as they are saved, where that is asked for; one that does not balance stays saved, and is told.
// What is posted is not taken back.
func TestALoadPostsWhatItSaved(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	file := "company,type,text,posting_date,lines.account,lines.debit,lines.credit\n" +
		"10,JE,Good,2026-11-20,1000,12.50,\n,,,,4000,,12.50\n" +
		"Salt Works,type je,Uneven,2026-11-20,1000,12.50,\n,,,,4000,,1\n"
	l := setUp(t, d, bring(t, d, "accounting_document", "j.csv", file), func(s *contract.LoadSetup) { s.Post = true })
	run, hits := loaded(t, d, l.ID)
	assert.Equal(t, map[string]int{"add": 2, "posted": 1, "unposted": 1}, run.Counts)
	assert.Contains(t, hits[0].Said, "saved, but not posted; ")
	run, hits = takenBack(t, d, l.ID)
	assert.Equal(t, map[string]int{"withdrawn": 1, "stays": 1}, run.Counts)
	assert.Equal(t, "it is posted", hits[0].Said)

	vendors := bring(t, d, "vendor", "v.csv", "name,company,type\nQuay,10,TRAD\n")
	vendors = setUp(t, d, vendors, func(s *contract.LoadSetup) { s.Post = true })
	_, err := d.Loads.Start(as(t), vendors.ID)
	assert.Equal(t, "load-not-posted", code(t, err))
}

// Lines of a document that is found are changed by their numbers, and added; without numbers they are those of the document
// in their order. Blank cells of lines keep or clear like those of the header.
func TestALoadChangesLines(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	was := save(t, d, document("sales_order", "10", "SO", values{"reference": "A"}, values{"quantity": "1", "price": "10"}, values{"quantity": "2", "price": "20"}))
	lines := func() (all []string) {
		r, err := d.Records.Get(as(t), record.Ref{Kind: "sales_order", Number: was.Number})
		require.NoError(t, err)
		for _, l := range r.Content.Lines {
			all = append(all, fmt.Sprintf("%d: %s × %s", l.Number, l.Values["quantity"], l.Values["price"]))
		}
		return all
	}
	load := func(text string, change func(*contract.LoadSetup)) map[string]int {
		run, _ := loaded(t, d, setUp(t, d, bring(t, d, "sales_order", "o.csv", text), change).ID)
		return run.Counts
	}
	keep := func(*contract.LoadSetup) {}
	assert.Equal(t, map[string]int{"change": 1}, load("number,line,lines.quantity,lines.price\n"+was.Number+",2,5,\n"+was.Number+",3,7,70\n", keep))
	assert.Equal(t, []string{"1: 1 × 10", "2: 5 × 20", "3: 7 × 70"}, lines(), "lines that are not named stay")
	assert.Equal(t, map[string]int{"refuse": 1}, load("number,line,lines.quantity\n"+was.Number+",two,5\n", keep))
	assert.Equal(t, map[string]int{"change": 1}, load("number,lines.quantity,lines.price\n"+was.Number+",9,\n"+was.Number+",8,\n", func(s *contract.LoadSetup) { s.Blanks = contract.Clear }))
	assert.Equal(t, []string{"1: 9 × ", "2: 8 × "}, lines(), "without numbers the lines of the file are those of the document")
}

// What a record names stays when a load is taken back; a set-up that was named fits the next file with its columns.
func TestWhatIsNamedStays(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	l := setUp(t, d, bring(t, d, "vendor", "v.csv", "Firm,Who\nQuay,x\nTern,y\n"), func(s *contract.LoadSetup) {
		s.Name, s.Columns, s.Constants = "Harbour list", map[string]string{"Firm": "name"}, map[string]string{"company": "10", "type": "TRAD"}
	})
	_, hits := loaded(t, d, l.ID)
	save(t, d, document("accounting_document", "10", "JE", values{"vendor": hits[0].Number, "text": "Names it"}))
	run, back := takenBack(t, d, l.ID)
	assert.Equal(t, map[string]int{"withdrawn": 1, "stays": 1}, run.Counts)
	assert.Contains(t, back[0].Said, hits[0].Number)
	again := bring(t, d, "vendor", "next.csv", "Who,Firm\nz,Skua\n")
	assert.Equal(t, "Harbour list", again.Setup.Name)
	assert.Equal(t, map[string]string{"Firm": "name"}, again.Setup.Columns)
	require.NoError(t, d.Loads.RemoveSetup(as(t), "vendor", "Harbour list"))
	assert.Equal(t, "not-found", code(t, d.Loads.RemoveSetup(as(t), "vendor", "Harbour list")))
	kept, err := d.Loads.Get(as(t), again.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"Firm": "name"}, kept.Setup.Columns, "what was set up by it stays")
	assert.Empty(t, bring(t, d, "vendor", "third.csv", "Who,Firm\nz,Skua\n").Setup.Name)
}

// A file that is too large for one commit is loaded all or none too: all is checked before the first row is written, and what
// was written is taken back where it does not come to its end.
func TestALargeLoadIsAllOrNone(t *testing.T) {
	d := harbour(t)
	d.Loads.InOneCommit = 100
	add(t, d, rule.Body{Kind: "vendor", Family: rule.Validate, Target: "name", Effect: rule.Effect{Severity: rule.Refuse, Message: "A vendor has this name.", Unique: &rule.Unique{}}, On: rule.Occasions{New: true, Change: true}}, rule.InForce)
	const rows = 1500
	file := func(prefix, last string) int64 {
		var text strings.Builder
		text.WriteString("name,company,type\n")
		for i := range rows {
			fmt.Fprintf(&text, "%s %d,10,TRAD\n", prefix, i)
		}
		l := setUp(t, d, bring(t, d, "vendor", prefix+".csv", text.String()+last), func(s *contract.LoadSetup) { s.Whole, s.Key = true, []string{} })
		return l.ID
	}
	standing := func() int {
		page, err := d.Records.List(as(t), contract.ListRequest{Kind: "vendor", Selection: record.Selection{States: []string{record.Kept}}})
		require.NoError(t, err)
		return page.Total
	}
	begun := func(prefix string) contract.Run {
		r, err := d.Loads.Start(as(t), file(prefix, ""))
		require.NoError(t, err)
		require.Eventually(t, func() bool { return standing() > 0 }, time.Minute, time.Millisecond)
		return r
	}
	back := func(load int64) contract.Run {
		all, err := d.Runs.About(as(t), load)
		require.NoError(t, err)
		at := slices.IndexFunc(all, func(r contract.Run) bool { return r.What == contract.RunWhatTakeBack })
		require.GreaterOrEqual(t, at, 0)
		return ended(t, d, all[at].ID)
	}

	run, hits := loaded(t, d, file("Early", "Nowhere,99,TRAD\n"))
	assert.Equal(t, map[string]int{"skip": rows, "refuse": 1}, run.Counts)
	assert.Equal(t, contract.RunHitWhat("refuse"), hits[0].What)
	assert.Zero(t, standing())

	// Somebody saves what a later row brings.
	run = begun("Late")
	save(t, d, document("vendor", "10", "TRAD", values{"name": fmt.Sprintf("Late %d", rows-1)}))
	run = ended(t, d, run.ID)
	assert.Equal(t, contract.RunStateFailed, run.State)
	assert.Contains(t, run.Problem, "1 rows were refused that were accepted when all were checked")
	assert.Equal(t, rows-1, back(run.Load).Counts["withdrawn"])
	assert.Equal(t, 1, standing(), "what was saved by hand")

	// Somebody stops it.
	run = begun("Stopped")
	require.Eventually(t, func() bool { return standing() > 1 }, time.Minute, time.Millisecond)
	_, err := d.Runs.Stop(as(t), run.ID)
	require.NoError(t, err)
	run = ended(t, d, run.ID)
	assert.Equal(t, contract.RunStateStopped, run.State)
	back(run.Load)
	assert.Equal(t, 1, standing())

	run, _ = loaded(t, d, file("Good", ""))
	assert.Equal(t, map[string]int{"add": rows}, run.Counts)
	assert.Equal(t, rows+1, standing())
}
