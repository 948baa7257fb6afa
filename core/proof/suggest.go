package proof

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"codicil/core/engine"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/rule"
)

// Base is a document that suggestions are made from.
type Base struct {
	Document judge.Document
	Origin   string // what it is, for people
}

// Search looks for documents that show what the proofs of a rule do not show yet. It starts
// from documents that there are, changes what the rule reads, by values next to the rule's own
// constants, and keeps what comes to something new when it is run through the whole plan.
type Search struct {
	// Runner has a book in which the rule is in force.
	Runner *Runner
	Rule   *rule.Compiled
	// Bases are documents to start from, the likeliest first.
	Bases []Base
	// Numbers returns some records that a link may name in a company; more than a few are
	// not looked at.
	Numbers func(kind, company string) []string
	// Results are those of the proofs of the kind.
	Results []Result
}

// Change is one value that is entered otherwise than in the base.
type Change struct {
	Address string
	Value   string // in stored form; "" is blank
}

// Suggestion is a document that shows something new of a rule.
type Suggestion struct {
	Document judge.Document
	Origin   string
	Changes  []Change
	Saved    bool // it changes a record that is taken to be saved as the base is
	Result   Result
	Shows    []Goal
	Notices  []Mutant
}

// Limits on the search, so that it ends in about a second.
const (
	maxBases      = 10   // that documents are made from by more than one change
	maxScopes     = 24   // companies and types that documents are made in
	maxValues     = 14   // of one field
	maxCandidates = 1400 // documents that are run
	maxChanges    = 3    // of one document
	maxDays       = 6    // days that a document is moved to
	maxElsewhere  = 160  // documents that one is taken to other companies, types and days as
)

// candidate is a document on trial.
type candidate struct {
	Suggestion
	cost int // of how many things a person must think who reads it
	acts bool
}

// Run returns the fewest documents that it finds for all that is missing.
func (s *Search) Run(ctx context.Context) ([]Suggestion, error) {
	missing := map[Goal]bool{}
	for _, g := range ConfirmRule(s.Rule, s.Results).Goals {
		if len(g.Proofs) == 0 {
			missing[g.Goal] = true
		}
	}
	strengths, err := s.Runner.Measure(ctx, []*rule.Compiled{s.Rule}, s.Results, nil)
	if err != nil {
		return nil, err
	}
	unnoticed := strengths[0].Unnoticed
	if len(missing) == 0 && len(unnoticed) == 0 {
		return nil, nil
	}
	wrong := make([]version, len(unnoticed))
	for i := range unnoticed {
		wrong[i] = s.Runner.version(s.Rule, &unnoticed[i])
	}
	found, err := s.try(ctx, s.candidates(), missing, unnoticed, wrong)
	if err != nil {
		return nil, err
	}
	// What makes the rule act is near to the rest of what is wanted.
	var near []candidate
	for i := range found {
		if c := &found[i]; c.acts && len(near) < maxBases/2 && len(c.Changes) < maxChanges {
			near = append(near, *c)
		}
	}
	var more []candidate
	for _, base := range near {
		more = append(more, s.elsewhere(base)...)
	}
	for _, base := range near {
		more = append(more, s.rowed(base)...)
	}
	for _, base := range near {
		more = append(more, s.around(base, 1)...)
	}
	again, err := s.try(ctx, limited(more), missing, unnoticed, wrong)
	if err != nil {
		return nil, err
	}
	return choose(append(found, again...), missing, len(unnoticed)), nil
}

func limited(list []candidate) []candidate { return list[:min(len(list), maxCandidates)] }

// try runs candidates and keeps those that make the rule act or come to something new.
func (s *Search) try(ctx context.Context, list []candidate, missing map[Goal]bool, unnoticed []Mutant, wrong []version) ([]candidate, error) {
	err := s.Runner.Each(ctx, len(list), func(i int) {
		c := &list[i]
		coverage := s.runOne(c)
		if c.Result.Err != nil {
			return
		}
		c.acts = coverage[Goal{Show: Acts}]
		for g := range coverage {
			if missing[g] {
				c.Shows = append(c.Shows, g)
			}
		}
		if s.Rule.When == nil && missing[Goal{Show: Still}] && !plan.Covers(s.Rule, c.Result.Plan.Scope) {
			c.Shows = append(c.Shows, Goal{Show: Still})
		}
		expected := Expect(c.Result.Outcome, c.Result.Plan, nil)
		expected.Mind(s.Rule, c.Result.Outcome)
		p := Proof{Given: c.Document, Expect: expected}
		for j := range unnoticed {
			if !unnoticed[j].reaches(s.Rule, wrong[j].turned, c.Result.Plan.Scope) {
				continue
			}
			if again := wrong[j].Run(&p, false); !again.Held() {
				c.Notices = append(c.Notices, unnoticed[j])
			}
		}
	})
	return slices.DeleteFunc(list, func(c candidate) bool {
		return c.Result.Err != nil || (!c.acts && len(c.Shows) == 0 && len(c.Notices) == 0)
	}), err
}

// runOne runs a candidate and returns what it shows of the rule.
func (s *Search) runOne(c *candidate) Sight {
	r := &c.Result
	r.Proof = &Proof{Given: c.Document}
	var coverage Coverage
	judged, err := s.Runner.judge(r.Proof, true, func(p *plan.Plan, engaged *engine.Case) {
		coverage = watch(p, engaged, func(other *rule.Compiled) bool { return other.ID == s.Rule.ID })
	})
	if r.Err = err; err != nil {
		return nil
	}
	r.Plan, r.Case, r.Outcome = judged.Plan, judged.Case, judged.Outcome
	coverage.acts(r.Case, r.Outcome)
	for i := range r.Outcome.Messages {
		// A document that others refuse is a poor example of this rule.
		m := &r.Outcome.Messages[i]
		if m.Rule == nil || m.Rule.ID != s.Rule.ID {
			c.cost += map[rule.Severity]int{rule.Refuse: 20, rule.Confirm: 5}[m.Severity]
		}
	}
	c.cost += len(c.Changes)
	return coverage[s.Rule.ID]
}

// choose takes the documents that show most, until nothing more comes of it.
func choose(list []candidate, missing map[Goal]bool, unnoticed int) []Suggestion {
	chosen := []Suggestion{}
	shown, noticed := map[Goal]bool{}, map[string]bool{}
	gain := func(c *candidate) (count int) {
		for _, g := range c.Shows {
			if !shown[g] {
				count++
			}
		}
		for i := range c.Notices {
			if !noticed[c.Notices[i].Change] {
				count++
			}
		}
		return count
	}
	for len(shown) < len(missing) || len(noticed) < unnoticed {
		best := -1
		for i := range list {
			if gain(&list[i]) > 0 && (best < 0 || worth(&list[i], gain(&list[i])) > worth(&list[best], gain(&list[best]))) {
				best = i
			}
		}
		if best < 0 {
			break
		}
		c := list[best]
		c.Shows = slices.DeleteFunc(slices.Clone(c.Shows), func(g Goal) bool { return shown[g] })
		c.Notices = slices.DeleteFunc(slices.Clone(c.Notices), func(m Mutant) bool { return noticed[m.Change] })
		slices.SortFunc(c.Shows, func(a, b Goal) int {
			return cmp.Or(cmp.Compare(a.Part, b.Part), cmp.Compare(a.Start, b.Start), cmp.Compare(a.Show, b.Show), cmp.Compare(a.Name, b.Name))
		})
		for _, g := range c.Shows {
			shown[g] = true
		}
		for i := range c.Notices {
			noticed[c.Notices[i].Change] = true
		}
		chosen = append(chosen, c.Suggestion)
	}
	return chosen
}

// worth weighs what a document shows against what it costs to read.
func worth(c *candidate, gain int) int { return 100*gain/(4+c.cost) - c.cost }

// candidates makes the first documents: the bases themselves, as new and as saved records,
// and with one or two values changed.
func (s *Search) candidates() (list []candidate) {
	var inside, outside []Base
	for _, b := range s.Bases {
		if p, err := s.Runner.plan(&b.Document); err != nil {
			continue
		} else if plan.Covers(s.Rule, p.Scope) {
			inside = append(inside, b)
		} else {
			outside = append(outside, b)
		}
	}
	list = s.from(byScope(inside), maxCandidates)
	if len(s.Rule.Scope.Companies)+len(s.Rule.Scope.Types) > 0 {
		// What would act if the rule held more widely.
		list = append(list, s.from(byScope(outside), maxCandidates/2)...)
	}
	return list
}

// byScope puts one base of every company and type before the others, so that each is tried.
func byScope(bases []Base) []Base {
	seen := map[[2]string]bool{}
	var first, rest []Base
	for _, b := range bases {
		if at := [2]string{b.Document.Company, b.Document.Type}; !seen[at] && len(first) < maxScopes {
			seen[at] = true
			first = append(first, b)
		} else {
			rest = append(rest, b)
		}
	}
	return append(first, rest...)
}

// from makes documents from bases: first those with few changes, in every company and type.
func (s *Search) from(bases []Base, most int) (list []candidate) {
	for depth := range maxChanges {
		count := maxScopes
		if depth > 1 {
			count = maxBases / 2
		}
		for _, b := range bases[:min(len(bases), count)] {
			for _, start := range s.occasions(b) {
				if list = append(list, s.around(start, depth)...); len(list) >= most {
					return list[:most]
				}
			}
		}
	}
	return list
}

// occasions makes a base a new record and, where the rule runs for changes, a saved one.
func (s *Search) occasions(b Base) (list []candidate) {
	if b.Document.Stored == nil || s.Rule.On.New {
		fresh := b.Document
		fresh.Stored, fresh.StoredLines, fresh.Record = nil, nil, ""
		list = append(list, candidate{Suggestion: Suggestion{Document: fresh, Origin: b.Origin}})
		if more, ok := longer(fresh); ok {
			list = append(list, candidate{Suggestion: Suggestion{Document: more, Origin: b.Origin + ", with its line twice"}})
		}
		if lines := fresh.Lines; len(lines) > 0 {
			blank := fresh
			blank.Lines = append(slices.Clone(lines), judge.Line{Number: lines[len(lines)-1].Number + 1, Entered: map[string]judge.Item{}})
			list = append(list, candidate{Suggestion: Suggestion{Document: blank, Origin: b.Origin + ", with a blank line"}})
		}
		for _, day := range s.days() {
			list = append(list, candidate{Suggestion: Suggestion{Document: s.on(fresh, day), Origin: b.Origin + ", on " + string(day)}})
		}
		if s.Rule.Vocabulary().LooksBack(s.Rule.Reads(), rule.Before...) {
			if after, ok := s.after(fresh); ok {
				list = append(list, candidate{Suggestion: Suggestion{Document: after, Origin: b.Origin + ", after two others"}})
			}
		}
	}
	if s.Rule.On.Change {
		saved := b.Document
		if saved.Stored == nil {
			saved.AsSaved()
		}
		list = append(list, candidate{Suggestion: Suggestion{Document: saved, Origin: b.Origin, Saved: true}})
	}
	return list
}

// around makes documents from one by so many changes of what the rule reads.
func (s *Search) around(base candidate, changes int) []candidate {
	base.Result, base.Shows, base.Notices, base.cost, base.acts = Result{}, nil, nil, 0, false
	if changes == 0 {
		return []candidate{base}
	}
	var list []candidate
	fields := s.values(&base.Document)
	names := slices.Sorted(maps.Keys(fields))
	for i, name := range names {
		for _, text := range fields[name] {
			changed, ok := base.with(name, text)
			if !ok {
				continue
			}
			if changes == 1 {
				list = append(list, changed)
				continue
			}
			for _, other := range names[i+1:] {
				for _, text := range fields[other] {
					if both, ok := changed.with(other, text); ok {
						list = append(list, both)
					}
				}
			}
		}
	}
	return list
}

// with returns the candidate with another value at an address; false when it has it already.
func (c candidate) with(address, text string) (candidate, bool) {
	d := &c.Document
	var place map[string]judge.Item
	if _, line := lineOf(address); line > 0 {
		at := slices.IndexFunc(d.Lines, func(l judge.Line) bool { return l.Number == line })
		if at < 0 {
			return c, false
		}
		d.Lines = slices.Clone(d.Lines)
		d.Lines[at].Entered = maps.Clone(d.Lines[at].Entered)
		place = d.Lines[at].Entered
	} else {
		d.Entered = maps.Clone(d.Entered)
		place = d.Entered
	}
	key, _ := lineOf(address)
	if place[key].Value == text || slices.ContainsFunc(c.Changes, func(other Change) bool { return other.Address == address }) {
		return c, false
	}
	delete(place, key)
	if text != "" {
		place[key] = judge.Item{Value: text}
	}
	c.Changes = append(slices.Clone(c.Changes), Change{address, text})
	return c, true
}

// Near are documents made from the bases as Run tries them, for who looks for another thing near what
// the rule reads; most at most.
func (s *Search) Near(most int) (list []Base) {
	candidates := s.candidates()
	for i := range candidates[:min(len(candidates), most)] {
		list = append(list, Base{Document: candidates[i].Document, Origin: candidates[i].Origin})
	}
	return list
}
