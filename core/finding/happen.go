package finding

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/proof"
	"codicil/core/rule"
)

// happens tells what can happen because of the rule, as far as a document shows it.
func (l *look) happens() {
	switch l.c.Family {
	case rule.Entry:
		l.overlaps()
		l.hidden()
		return
	case rule.Validate:
		l.contradictions()
		l.refused()
		for _, o := range l.at(l.c.Field, rule.Entry) {
			if closes(o) && l.with(o) && !l.fills(l.c.Field) {
				(&look{Finder: l.Finder, ctx: l.ctx, c: o, with: l.with, found: l.found}).closedBut(l.c.Field, l.c)
			}
		}
		return
	case rule.FollowUp:
		l.overlaps()
		return
	}
	l.overlaps()
	l.replaced()
	l.unfit()
	l.refused()
	l.noCase()
}

// overlaps tells which rules of the same rank have their turn for the same documents and do another
// thing: which of them acts is then decided by their age alone.
func (l *look) overlaps() {
	c := l.c
	if c.Sorts() {
		return
	}
	regions := l.of(c).regions
	for _, o := range l.stations[stationsOf(c)[0]] {
		if !l.with(o) || o.Sorts() || o.Target != c.Target || !sameRank(c, o) || sameEffect(c, o) || !sharesAspect(c, o) {
			continue
		}
		regions.Rest()
		both := l.inside(regions, l.of(c).acts, l.acts(o, regions))
		if len(both) == 0 {
			continue
		}
		first, second := c, o
		if rule.Less(&o.Rule, &c.Rule) < 0 {
			first, second = o, c
		}
		w := l.witness(both, regions, l.differs(first, second))
		if w == nil {
			continue
		}
		l.pair(Overlap, first, second, w, func(w rule.Wording) string {
			return fmt.Sprintf("%s: %s and %s have the same priority and both apply. %s acts because it is older", label(c.Vocabulary(), w, c.Field), first.Label(), second.Label(), capital(first.Label()))
		})
	}
}

// pair tells a finding about two rules, which is the same whichever is looked at.
func (l *look) pair(code Code, first, second *rule.Compiled, w *Witness, message func(rule.Wording) string) {
	l.found(&Finding{Code: code, Kind: first.Kind, Field: first.Field, Rules: []*rule.Compiled{first, second}, Witness: w, message: message})
}

func capital(text string) string { return strings.ToUpper(text[:1]) + text[1:] }

func sameRank(a, b *rule.Compiled) bool {
	return a.Priority == b.Priority && a.Scope.Width() == b.Scope.Width()
}

func sharesAspect(a, b *rule.Compiled) bool {
	if a.Family != rule.Entry {
		return true
	}
	for aspect := range rule.Aspects {
		if a.Effect.Says(aspect) && b.Effect.Says(aspect) && said(a, aspect) != said(b, aspect) {
			return true
		}
	}
	return false
}

// said is what an entry rule says of an aspect.
func said(c *rule.Compiled, aspect int) string {
	return []string{string(c.Effect.Need), string(c.Effect.Access), string(c.Effect.Cursor), string(c.Effect.Keying)}[aspect]
}

// inside is what is in all regions, and where rules of the kind can stand.
func (l *look) inside(regions *feel.Regions, all ...feel.Region) feel.Region {
	both := feel.Anywhere
	for _, region := range all {
		both = regions.And(both, region)
	}
	return regions.And(both, l.extent().region)
}

// differs is a document in which both rules want their turn, and that comes out otherwise without
// the one that gets it.
func (l *look) differs(first, second *rule.Compiled) showing {
	var without *proof.Runner
	return func(r *proof.Result) (int, bool) {
		for _, place := range first.Fields {
			for _, cell := range cells(r, place) {
				had := did(&cell, first, engine.Acted)
				if !had || !did(&cell, second, engine.Beaten) && first.Family != rule.Entry || !holdsAt(r, &cell, second) {
					continue
				}
				if without == nil {
					gone := first.Rule
					gone.State = rule.Retired
					without = l.Runner.With(gone)
				}
				again := without.Run(&proof.Proof{Given: r.Proof.Given}, true)
				if again.Err != nil {
					continue
				}
				other := again.Outcome.Field(place, cell.Line)
				if other == nil {
					continue
				}
				if first.Family == rule.FollowUp {
					return cell.Line, true
				}
				now := engine.Cell{Index: place, Line: cell.Line, Field: other}
				if first.Family == rule.Entry {
					if met(cell.Field) != met(other) {
						return cell.Line, true
					}
				} else if did(&now, second, engine.Acted) && !feel.Same(act(&now, second).After, act(&cell, first).After) {
					return cell.Line, true
				}
			}
		}
		return 0, false
	}
}

// met is how a field is met.
func met(f *engine.Field) string {
	return fmt.Sprint(f.Need, "|", f.Access, "|", f.Cursor, "|", f.Twice, f.NotLower)
}

// replaced tells whether what the rule fills in is always replaced at a later station; of a fixed
// default, whether it ever is.
func (l *look) replaced() {
	c := l.c
	later := map[rule.Family][]rule.Family{rule.Source: {rule.Compute, rule.Substitute}, rule.Default: {rule.Compute, rule.Substitute}, rule.Compute: {rule.Substitute}}[c.Family]
	regions := l.of(c).regions
	own := l.of(c).acts
	for _, family := range later {
		for _, o := range l.at(c.Field, family) {
			if o.Sorts() || readsItself(o) || c.Sorts() {
				continue
			}
			theirs := l.acts(o, regions)
			regions.Rest()
			always := len(regions.Without(own, theirs)) == 0 && !regions.Over && !l.of(o).over
			fixed := c.Effect.Fixed && family == rule.Compute
			if !always && !fixed {
				continue
			}
			regions.Rest()
			w := l.witness(l.inside(regions, own, theirs), regions, anywhere(c.Field, func(r *proof.Result, cell *engine.Cell) bool {
				return did(cell, c, engine.Acted) && did(cell, o, engine.Acted) && !feel.Same(act(cell, c).After, act(cell, o).After)
			}))
			if w == nil {
				continue
			}
			l.say(Replaced, "", []*rule.Compiled{o}, w, nil, func(w rule.Wording) string {
				text := label(c.Vocabulary(), w, c.Field) + ": what " + c.Label() + " gives is "
				if always {
					return text + "always replaced by " + o.Label()
				}
				return text + "fixed, and " + o.Label() + " computes the field all the same"
			})
		}
	}
}

func readsItself(c *rule.Compiled) bool {
	return slices.ContainsFunc(c.Reads(), func(slot int) bool {
		read, ok := c.Vocabulary().ReadAt(slot)
		return ok && read.Form == rule.SoFar && read.Field == c.Field && !read.List
	})
}

// noCase tells whether a rule with several cases leaves its field blank where none of them fits.
func (l *look) noCase() {
	c := l.c
	if c.Value == nil {
		return
	}
	first, ok := c.Value.Root().(*feel.If)
	if !ok {
		return
	}
	regions := l.of(c).regions
	regions.Rest()
	region, count := l.of(c).acts, 0
	var last feel.Node = first
	for {
		choice, more := last.(*feel.If)
		if !more {
			break
		}
		region = regions.And(region, regions.Of(choice.Condition, feel.NotTrue))
		count++
		last = choice.Else
	}
	if v, constant := feel.Constant(last); !constant || !v.IsNull() || count < 2 {
		return
	}
	// What fields can hold counts as well: a choice has its codes only.
	for _, f := range l.partFacts(regions, c, c.Value, feel.NotFalse) {
		if f.beside {
			region = regions.And(region, f.region)
		}
	}
	filled := make(feel.Region, 0, len(region))
	for _, box := range l.inside(regions, region) {
		if !blankOnly(box) {
			filled = append(filled, box)
		}
	}
	if len(filled) == 0 {
		return // only what is blank fits no case
	}
	w := l.witness(filled, regions, anywhere(c.Field, func(r *proof.Result, cell *engine.Cell) bool {
		return did(cell, c, engine.Acted) && act(cell, c).After.IsNull() && readsFilled(r, cell, c)
	}))
	if w == nil {
		return
	}
	l.say(NoCase, "", nil, w, nil, func(w rule.Wording) string {
		return fmt.Sprintf("%s: no case of %s fits, so that it gives nothing", label(c.Vocabulary(), w, c.Field), c.Label())
	})
}

// readsFilled tells whether everything that the rule reads of the document has a value.
func readsFilled(r *proof.Result, cell *engine.Cell, c *rule.Compiled) bool {
	for _, key := range c.ReadFields() {
		place := c.Vocabulary().Kind.Index(key)
		if place == c.Field {
			continue
		}
		line := 0
		if c.Vocabulary().Kind.Fields[place].OfLine() {
			line = cell.Line
		}
		if f := r.Outcome.Field(place, line); f != nil && f.Final.IsNull() {
			return false
		}
	}
	return true
}

// blankOnly tells whether a box asks that something is blank.
func blankOnly(box feel.Box) bool {
	for _, s := range box {
		if s.Null && len(s.Values) == 0 {
			return true
		}
	}
	return false
}

// contradictions tells which two checks of one field no value passes, for a document that both apply to.
func (l *look) contradictions() {
	c := l.c
	if c.Must == nil || c.Effect.Severity != rule.Refuse {
		return
	}
	regions := l.of(c).regions
	for _, o := range l.at(c.Field, rule.Validate) {
		if !l.with(o) || o.Must == nil || o.Effect.Severity != rule.Refuse || o.ID == c.ID {
			continue
		}
		regions.Rest()
		filled := feel.Region{{ownName(c): {Values: feel.Everything}}}
		both := l.inside(regions, l.of(c).acts, l.acts(o, regions), filled)
		if len(both) == 0 {
			continue
		}
		// Passing both is excluded although passing either is not.
		passes := func(of *rule.Compiled, within feel.Region) feel.Region {
			return regions.And(within, regions.Of(of.Must.Root(), feel.NotFalse))
		}
		if len(passes(o, passes(c, both))) > 0 || len(passes(c, both)) == 0 || len(passes(o, both)) == 0 || regions.Over {
			continue
		}
		// What passes the one is refused by the other.
		w := l.witness(append(passes(c, both), both...), regions, anywhere(c.Field, func(r *proof.Result, cell *engine.Cell) bool {
			mine, theirs := act(cell, c), act(cell, o)
			return mine != nil && theirs != nil && holdsAt(r, cell, c) && holdsAt(r, cell, o) && (mine.Did == engine.Speaks || theirs.Did == engine.Speaks)
		}))
		if w == nil {
			continue
		}
		first, second := c, o
		if second.ID < first.ID {
			first, second = o, c
		}
		l.pair(Contradiction, first, second, w, func(w rule.Wording) string {
			return fmt.Sprintf("%s: no value passes both %s and %s, and both can apply", label(c.Vocabulary(), w, c.Field), first.Label(), second.Label())
		})
	}
}
