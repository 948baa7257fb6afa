// Package learn proposes rules from what saved records hold: what is always filled, what follows from
// what, what is computed, what never differs in an order or a form. It counts, and no more: the same
// records give the same proposals, each with how many records bear it out and which do not.
//
// It must never know where records are kept, nor which rules there are already. Start reading at Learner
// and Proposal; each sort of rule is found in a file of its own, over a sheet of columns (sheet.go).
package learn

import (
	"cmp"
	"context"
	"slices"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// Form is what sort of rule was learned.
type Form string

// The forms, in the order in which they are told.
const (
	Computed  Form = "computed"  // the field is worked out from others
	Source    Form = "source"    // it is that of a linked record, or of another field
	Constant  Form = "constant"  // it is nearly always the same
	Follows   Form = "follows"   // it follows from one or two other fields
	Required  Form = "required"  // it is always filled, or where a condition holds
	Blank     Form = "blank"     // nobody fills it
	Unchanged Form = "unchanged" // nobody changes it after the first save
	Order     Form = "order"     // one date or number is never before another
	Range     Form = "range"     // a number stays within bounds
	Pattern   Form = "pattern"   // texts have one form
	Pairs     Form = "pairs"     // two codes stand together only in some pairs
	Unique    Form = "unique"    // no two records share it
	Numbers   Form = "numbers"   // texts count up
)

var forms = []Form{Computed, Source, Constant, Follows, Required, Blank, Unchanged, Order, Range, Pattern, Pairs, Unique, Numbers}

// Place is a record, and a line of it; 0: the header.
type Place struct {
	Number string
	Line   int
}

// Proposal is a rule that records bear out.
type Proposal struct {
	Form Form
	// Rule is what would be made; it has no note.
	Rule rule.Body
	// Crosswalk is the table that the rule looks up and that would be made with it; nil: none.
	Crosswalk *table.Crosswalk
	// Series gives the numbers, and would be made with the rule; nil: none.
	Series *table.Series
	// Given are the last counts of such a series by year, where it begins anew each year: it goes on after them.
	Given map[string]int64 `json:",omitempty"`
	// Holds is how many records, or lines, bear the rule out, and Breaks how many do not; the others
	// have nothing to say of it.
	Holds, Breaks int
	// Exceptions are the first that do not.
	Exceptions []Place
	// Acts is one where the rule has something to do, and Still one where it keeps still; no number:
	// there is none.
	Acts, Still Place
	// Sample are some of those that bear it out, from the first to the last.
	Sample []Place
	// Reads are the keys of the fields that decide.
	Reads []string
	// Instead are other forms of the same, narrower or wider, the better ones first.
	Instead []Proposal
	// Unsure tells that records cannot tell whether a source is copied or live.
	Unsure bool
}

// Share is how much of what speaks of the rule bears it out, from 0 to 1.
func (p *Proposal) Share() float64 {
	if p.Holds+p.Breaks == 0 {
		return 0
	}
	return float64(p.Holds) / float64(p.Holds+p.Breaks)
}

const (
	// MostRecords is how many records are looked at; what comes after them is counted only.
	MostRecords = 200_000
	// MostLines is how many of their lines are looked at.
	MostLines = 400_000
	// mostExceptions is how many exceptions a proposal names.
	mostExceptions = 200
	// mostSampled is how many a proposal has at least, where there are so many, of those that bear it out.
	mostSampled = 20
	// enough is how many records have to speak for a rule.
	enough = 20
)

// Learner takes records and proposes rules. It may be used by one goroutine.
type Learner struct {
	kind    *record.Kind
	kinds   []record.Kind
	texts   *texts
	header  *sheet
	lines   *sheet
	linked  map[string]*linkedSheet
	formers map[former]bool
	// others is how many values a field of a linked record had before, by former without a value.
	others map[former]int
	// Seen is how many records there were, also those that were not looked at.
	Seen int
	// versions tells of each record that was changed which fields were, and of how many that is known.
	changed map[string]int
	revised int
	company []record.Company
}

// former is a value that a linked record had before.
type former struct {
	kind, number, field string
	value               int32
}

// New returns a learner for records of a kind; kinds are all, as links may lead to them, and companies
// those whose country and currency fields may hold.
func New(kind *record.Kind, kinds []record.Kind, companies []record.Company) *Learner {
	l := &Learner{kind: kind, kinds: kinds, texts: newTexts(), linked: map[string]*linkedSheet{}, formers: map[former]bool{}, others: map[former]int{}, changed: map[string]int{}, company: companies}
	l.header = newSheet(l.texts, kind.Fields[:kind.Headers()])
	l.lines = newSheet(l.texts, kind.Fields[kind.Headers():])
	l.lines.parent = l.header
	return l
}

// Links are the kinds that fields of the kind lead to: their records are worth telling by Link.
func (l *Learner) Links() (kinds []string) {
	for i := range l.kind.Fields {
		if f := &l.kind.Fields[i]; f.IsLink() && !slices.Contains(kinds, f.Kind) {
			kinds = append(kinds, f.Kind)
		}
	}
	return kinds
}

// Add takes a record. Cost: its values.
func (l *Learner) Add(r *record.Record) {
	l.Seen++
	if l.header.rows() >= MostRecords {
		return
	}
	l.header.add(r.Company, r.Type, Place{Number: r.Number}, r.Values, -1)
	for i := range r.Lines {
		if l.lines.rows() >= MostLines {
			break
		}
		line := &r.Lines[i]
		l.lines.add(r.Company, r.Type, Place{r.Number, line.Number}, line.Values, int32(l.header.rows()-1))
	}
}

// Revised takes the first and the last of a record's versions, where it has several.
func (l *Learner) Revised(first, last *record.Content) {
	l.revised++
	seen := map[string]bool{}
	for _, c := range record.Changes(l.kind, first, last) {
		key := c.Field
		if !seen[key] {
			seen[key] = true
			l.changed[key]++
		}
	}
}

// Link takes a record that links lead to. Cost: its values.
func (l *Learner) Link(r *record.Record) {
	s := l.linkedOf(r.Kind)
	if s == nil || s.rows() >= MostRecords {
		return
	}
	s.add(r)
}

// Formerly takes a value that a linked record had before; it tells a copied source from a live one.
func (l *Learner) Formerly(kind, number, key, value string) {
	if s := l.linkedOf(kind); s != nil && len(l.formers) < MostRecords {
		of := former{kind: kind, number: number, field: key}
		was := of
		if was.value = l.texts.id(s.kind.Field(key), value); !l.formers[was] {
			l.formers[was] = true
			l.others[of]++
		}
	}
}

func (l *Learner) linkedOf(kind string) *linkedSheet {
	if s := l.linked[kind]; s != nil {
		return s
	}
	i := slices.IndexFunc(l.kinds, func(k record.Kind) bool { return k.Key == kind })
	if i < 0 {
		return nil
	}
	s := newLinkedSheet(l.texts, &l.kinds[i])
	l.linked[kind] = s
	return s
}

// Propose returns the rules that the records bear out, by form and then in the order of their fields.
// It ends early, with the error of the context, when nobody waits any more. Cost: the records by the
// fields, and for what follows from two fields the records by pairs of those that have few values.
func (l *Learner) Propose(ctx context.Context) ([]Proposal, error) {
	f := &finder{Learner: l, ctx: ctx, valued: map[string]bool{}, bound: map[string]bool{}}
	for _, s := range []*sheet{l.header, l.lines} {
		if s.rows() < enough || len(s.columns) == 0 {
			continue
		}
		s.finish()
		f.sheet = s
		for _, look := range []func(){f.computedFields, f.sources, f.following, f.presence, f.unchanged, f.orders, f.ranges, f.patterns, f.pairs, f.unique, f.numbers} {
			look()
			if err := ctx.Err(); err != nil {
				return nil, err
			}
		}
	}
	slices.SortStableFunc(f.found, func(a, b Proposal) int {
		return cmp.Or(cmp.Compare(slices.Index(forms, a.Form), slices.Index(forms, b.Form)), cmp.Compare(l.kind.Index(a.Rule.Target), l.kind.Index(b.Rule.Target)))
	})
	return f.found, nil
}

// finder looks for rules in one sheet after the other.
type finder struct {
	*Learner
	ctx   context.Context
	sheet *sheet
	found []Proposal
	// valued are the fields that a rule was found to give a value, and bound those that one rule binds
	// together: it says nothing new the other way round.
	valued map[string]bool
	bound  map[string]bool
}

func (f *finder) stopped() bool { return f.ctx.Err() != nil }

// propose notes a proposal on a field of the sheet.
func (f *finder) propose(p Proposal) {
	p.Rule.Kind = f.kind.Key
	if !p.Rule.On.New && !p.Rule.On.Change {
		p.Rule.On = rule.Occasions{New: true, Change: true}
	}
	if p.Rule.Scope.Companies == nil {
		p.Rule.Scope.Companies = []string{}
	}
	if p.Rule.Scope.Types == nil {
		p.Rule.Scope.Types = []string{}
	}
	f.found = append(f.found, p)
}

// name is how a formula of a rule on the sheet's fields names one of its columns.
func (f *finder) name(c *column) string {
	if c.field == nil {
		return c.key // company.key, type.key
	}
	if c.field.OfLine() {
		return "line." + c.field.Column()
	}
	return c.field.Key
}

// literal writes a value of a field in a formula.
func literal(of *field.Field, text string) string {
	if v, wrong := of.Parse(text); wrong == nil {
		return v.String()
	}
	return `"` + text + `"`
}

// formerly says of a row that it bears a proposal out as things were then: nothing that stands now shows it.
const formerly = 2

// told adds up what bears a proposal out: for each row 1 where it does, -1 where it does not, formerly, or 0 where
// it says nothing.
func (f *finder) told(p *Proposal, rows int, says func(row int) int) {
	p.Holds, p.Breaks, p.Exceptions = 0, 0, nil
	step := 1 // of those that bear it out every so many is in the sample
	for row := range rows {
		switch says(row) {
		case 1:
			if p.Acts.Number == "" {
				p.Acts = f.sheet.place(row)
			}
			if p.Holds%step == 0 {
				p.Sample = append(p.Sample, f.sheet.place(row))
			}
			if len(p.Sample) > 2*mostSampled { // every second stays
				for i := range mostSampled {
					p.Sample[i] = p.Sample[2*i]
				}
				p.Sample, step = p.Sample[:mostSampled], 2*step
			}
			p.Holds++
		case formerly:
			p.Holds++
		case -1:
			p.Breaks++
			if len(p.Exceptions) < mostExceptions {
				p.Exceptions = append(p.Exceptions, f.sheet.place(row))
			}
		default:
			if p.Still.Number == "" {
				p.Still = f.sheet.place(row)
			}
		}
	}
}
