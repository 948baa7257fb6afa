package rule

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/table"
)

// Problem is something wrong with a rule, at a part of it.
type Problem struct {
	// Part is "target", "when", "value", "must", "need", "access", "cursor", "keying", "tie",
	// "lifetime", "severity", "message", "points", "on", "scope" or "whenChanged".
	Part string `json:"part"`
	feel.Problem
}

// Compiled is a rule whose formulas are ready to run. It never changes.
type Compiled struct {
	Rule
	Field    int           // place of the target in the kind; of a section that of its first field
	Fields   []int         // the places of all fields that the rule is on
	When     *feel.Program // nil: always
	Value    *feel.Program // source, default, compute, substitute
	Links    []int         // source: places of the links that lead to the value
	Series   *table.Series // default: gives the value, instead of Value
	Must     *feel.Program // validate
	Message  []Piece       // validate: the message, with the values in it
	Changed  []int         // the fields of WhenChanged
	Unique   []int         // validate: the places of the fields that are unique together
	Bounds   []Bound       // compute: the upper ends of the bands
	Remote   *field.Field  // follow-up: the field of the linked record
	Problems []Problem     // errors and warnings; with an error the rule cannot run
	reads    []int
	// vocabulary is that which the rule was compiled with, for its words.
	vocabulary *Vocabulary
}

// Sound tells whether the rule has no error and so may be put in force.
func (c *Compiled) Sound() bool {
	return !slices.ContainsFunc(c.Problems, func(p Problem) bool { return p.Severity == feel.Error })
}

// LinkedRead is a field of a linked record that a rule reads.
type LinkedRead struct {
	Kind, Field string // keys
	Links       int    // how many lead to the record: 1 or 2
}

// LinkedReads returns the fields of linked records that the rule's condition and value read, with those on the way to them.
// Cost: the parts of both.
func (c *Compiled) LinkedReads() (reads []LinkedRead) {
	for _, program := range []*feel.Program{c.When, c.Value} {
		if program == nil {
			continue
		}
		feel.Walk(program.Root(), func(n feel.Node) {
			path, ok := n.(*feel.Path)
			if !ok {
				return
			}
			if _, own := feel.SlotOf(path); own {
				return
			}
			read := LinkedRead{Field: path.Member, Links: 1}
			if link := c.FieldOf(path.Base); link != nil && link.IsLink() {
				read.Kind = link.Kind
			}
			if before, ok := path.Base.(*feel.Path); ok {
				if _, own := feel.SlotOf(before); !own {
					read.Links = 2
				}
			}
			reads = append(reads, read)
		})
	}
	return reads
}

// Reads returns the slots that the rule's formulas read.
func (c *Compiled) Reads() []int { return c.reads }

// ReadFields returns the keys of the document's fields that the rule reads, each once.
func (c *Compiled) ReadFields() []string {
	keys := []string{}
	for _, slot := range c.reads {
		if read, ok := c.vocabulary.ReadAt(slot); ok && !slices.Contains(keys, c.vocabulary.Kind.Fields[read.Field].Key) {
			keys = append(keys, c.vocabulary.Kind.Fields[read.Field].Key)
		}
	}
	for _, place := range c.Unique {
		if key := c.vocabulary.Kind.Fields[place].Key; !slices.Contains(keys, key) {
			keys = append(keys, key)
		}
	}
	return keys
}

// Compile checks a rule against the names of its kind and compiles its formulas.
// What is wrong stands in Problems, each at its part and place.
func Compile(r Rule, v *Vocabulary) *Compiled {
	c := &Compiled{Rule: r, Field: v.IndexOf(r.Target), Fields: v.fieldsOf(r.Target), vocabulary: v}
	complain := func(part, format string, args ...any) {
		c.Problems = append(c.Problems, Problem{part, feel.Problem{Code: part, Message: fmt.Sprintf(format, args...), Line: 1, Column: 1}})
	}
	if r.Family == FollowUp {
		c.Field, c.Remote = v.remote(r.Target)
		c.Fields = []int{c.Field}
	}
	if c.Field < 0 {
		complain("target", "a %s has no field %q", v.Kind.Noun(), r.Target)
		return c
	}
	if r.breadth() > 0 && r.Family != Entry {
		complain("target", "only an entry rule can be on a whole section; choose a field")
	}
	if r.When != "" {
		c.When = c.formula("when", r.When)
	}
	if conduct, known := families[r.Family]; known {
		conduct.check(c, complain)
	} else {
		complain("family", "there is no rule family %q", r.Family)
	}
	if !r.On.New && !r.On.Change {
		complain("on", "choose at least one occasion: new records or changes")
	}
	c.checkDays(complain)
	for _, program := range []*feel.Program{c.When, c.Value, c.Must} {
		if program != nil {
			c.reads = append(c.reads, program.Reads()...)
		}
	}
	if r.Family == Entry && r.Effect.Keying == NotLower && c.Field >= 0 {
		c.reads = append(c.reads, v.Slot(c.Field, PreviousOfType))
	}
	for _, piece := range c.Message {
		if piece.Program != nil {
			c.reads = append(c.reads, piece.Program.Reads()...)
		}
	}
	return c
}

func (c *Compiled) checkDays(complain func(part, format string, args ...any)) {
	for _, day := range []record.Day{c.Scope.From, c.Scope.Until, c.Note.AskedOn} {
		if day != "" {
			if _, err := record.ParseDay(string(day)); err != nil {
				complain("scope", "%v", err)
			}
		}
	}
	if c.Scope.From != "" && c.Scope.Until != "" && c.Scope.Until < c.Scope.From {
		complain("scope", "the rule ends on %s, before it begins on %s", c.Scope.Until, c.Scope.From)
	}
}

// IndexOf returns the place of the field that a target names, of a section that of its
// first field; -1 when there is none.
func (v *Vocabulary) IndexOf(target string) int {
	if places := v.fieldsOf(target); len(places) > 0 {
		return places[0]
	}
	return -1
}

// TargetOf returns the place from which the formulas of a rule on the target see the
// document, and the field that its value goes into: for a follow-up one of a linked record.
// The place is -1 when there is no such target.
func (v *Vocabulary) TargetOf(target string) (place int, f *field.Field) {
	if place = v.IndexOf(target); place >= 0 {
		return place, &v.Kind.Fields[place]
	}
	return v.remote(target)
}

// fieldsOf returns the places of the fields that a target names.
func (v *Vocabulary) fieldsOf(target string) (places []int) {
	section, isSection := strings.CutPrefix(target, SectionPrefix)
	for i := range v.Kind.Fields {
		f := &v.Kind.Fields[i]
		if f.Key == target || (isSection && f.Section == section) {
			places = append(places, i)
		}
	}
	return places
}

// formula compiles a part of the rule.
func (c *Compiled) formula(part, text string) *feel.Program {
	if strings.TrimSpace(text) == "" {
		c.Problems = append(c.Problems, Problem{part, feel.Problem{Code: "missing", Message: missing[part], Line: 1, Column: 1}})
		return nil
	}
	field := &c.vocabulary.Kind.Fields[c.Field]
	if c.Remote != nil {
		field = c.Remote
	}
	program, problems := c.vocabulary.check(part, text, c.Field, field)
	c.Problems = append(c.Problems, problems...)
	return program
}

// Advised are the problems of the rule, those of its formulas said better, with corrections. Cost:
// a few compilations of every formula with an error, so that it is not done whenever a rule is
// compiled.
func (c *Compiled) Advised() []Problem {
	if c.Sound() || c.Field < 0 {
		return c.Problems
	}
	field := &c.vocabulary.Kind.Fields[c.Field]
	if c.Remote != nil {
		field = c.Remote
	}
	texts := map[string]string{"when": c.Rule.When, "value": c.Effect.Value, "must": c.Effect.Must}
	var list []Problem
	told := map[string]bool{}
	for _, p := range c.Problems {
		text, formula := texts[p.Part]
		if !formula || strings.TrimSpace(text) == "" || p.Severity != feel.Error {
			list = append(list, p)
			continue
		}
		if !told[p.Part] {
			told[p.Part] = true
			if program, advised := c.vocabulary.Part(p.Part, text, c.Field, field); program == nil {
				list = append(list, advised...)
				continue
			}
		} else if slices.ContainsFunc(list, func(q Problem) bool { return q.Part == p.Part }) {
			continue
		}
		list = append(list, p)
	}
	return list
}

// Part is check with what is wrong said better, and corrections that the part takes.
func (v *Vocabulary) Part(part, text string, place int, f *field.Field) (*feel.Program, []Problem) {
	program, problems := v.check(part, text, place, f)
	if program != nil {
		return program, problems
	}
	found := make(feel.Problems, len(problems))
	for i, p := range problems {
		found[i] = p.Problem
	}
	return nil, v.advised(part, text, place, f, found)
}

// check checks and compiles a formula as a part of a rule that sees the document from the
// place of TargetOf: "when" and "must" are conditions, "value" is of the field's type, and a
// constant fits the field. The program is nil when the problems hold an error.
func (v *Vocabulary) check(part, text string, place int, f *field.Field) (*feel.Program, []Problem) {
	program, found := feel.Compile(text, v.ScopeOf(place), feel.Strict)
	problems := make([]Problem, len(found))
	for i, p := range found {
		problems[i] = Problem{part, p}
	}
	if program == nil {
		return nil, problems
	}
	whole := Problem{part, feel.Problem{Code: "type", End: len(text), Line: 1, Column: 1}}
	if part != "value" {
		if !program.Type().Fits(feel.BooleanType) {
			whole.Message = fmt.Sprintf("this gives a %s, but a condition that is true or false is needed", program.Type())
			return nil, append(problems, whole)
		}
		return program, problems
	}
	if want := f.FeelType(); !program.Type().Fits(want) {
		whole.Message = fmt.Sprintf("this gives a %s, but %s holds a %s", program.Type(), f.Label, want)
		return nil, append(problems, whole)
	}
	constant, isConstant := feel.Constant(program.Root())
	if name := v.NameAt(place, program.Root()); name != nil && name.Single() {
		if longer := name.Field.Exceeds(f); longer != "" {
			whole.Severity, whole.Code, whole.Message = feel.Warning, "longer", longer
			problems = append(problems, whole)
		}
	}
	if !isConstant {
		return program, problems
	}
	if _, wrong := f.Settle(constant, field.Surroundings{}); wrong != nil {
		whole.Code, whole.Message = wrong.Code, wrong.String()
		return nil, append(problems, whole)
	}
	if share := feel.AsShare(constant); f.Type == field.Percent && share != "" {
		whole.Severity, whole.Code, whole.Suggestion = feel.Warning, "percent", share
		whole.Message = fmt.Sprintf("%s means %s00 %%: a percent is written as its share, so %s %% is %s", text, text, text, share)
		problems = append(problems, whole)
	}
	return program, problems
}

// advised says better what is wrong with a part, with a correction that the part takes.
func (v *Vocabulary) advised(part, text string, place int, f *field.Field, problems feel.Problems) []Problem {
	want := feel.BooleanType
	if part == "value" {
		want = f.FeelType()
	}
	better := feel.Advise(text, v.ScopeOf(place), feel.Strict, problems, func(p *feel.Program) bool { return p.Type().Fits(want) })
	list := make([]Problem, len(better))
	for i, p := range better {
		list[i] = Problem{part, p}
	}
	return list
}

var missing = map[string]string{
	"value": "write the value that the field gets",
	"must":  "write what must hold",
}

// UniqueBy says what a unique rule compares, in a form by which the keys of records are kept.
func (c *Compiled) UniqueBy() match.Unique {
	kind, u := c.vocabulary.Kind, c.Effect.Unique
	by := match.Unique{Everywhere: u.Everywhere, Ignore: append(match.Differences{}, u.Ignore...), Near: u.Near}
	for _, place := range c.Unique {
		by.Fields = append(by.Fields, kind.Fields[place].Key)
	}
	slices.Sort(by.Ignore)
	return by
}
