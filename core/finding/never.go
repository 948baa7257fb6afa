package finding

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/rule"
)

// never tells what can never happen to the rule, and returns whether it never has a turn.
func (l *look) never() (idle bool) {
	c, k := l.c, l.of(l.c)
	facts := append(slices.Clone(k.facts), l.extent())
	if least, excluded := excluding(k.regions, facts, nil); excluded {
		l.say(NeverActs, "", nil, nil, least, func(w rule.Wording) string {
			return fmt.Sprintf("%s: %s can never act", label(c.Vocabulary(), w, c.Field), c.Label())
		})
		return true
	}
	if l.beaten(facts) {
		return true
	}
	if c.Must != nil {
		l.check(facts)
	}
	return false
}

// excluding tells whether facts leave nothing over that regions do not take, and with which of them
// that is so: none of those can be left out.
func excluding(regions *feel.Regions, facts []fact, taken []fact) (least []reason, excluded bool) {
	empty := func(facts, taken []fact) bool {
		regions.Rest()
		rest := feel.Anywhere
		for _, f := range facts {
			if rest = regions.And(rest, f.region); len(rest) == 0 {
				return true
			}
		}
		for _, f := range taken {
			if rest = regions.Without(rest, f.region); len(rest) == 0 {
				return !regions.Over
			}
		}
		return false
	}
	if !empty(facts, taken) {
		return nil, false
	}
	// The extent and what fields hold are left out first: they say least about the rule.
	for i := len(facts) - 1; i >= 0; i-- {
		if fewer := slices.Delete(slices.Clone(facts), i, i+1); empty(fewer, taken) {
			facts = fewer
		}
	}
	for i := len(taken) - 1; i >= 0; i-- {
		if fewer := slices.Delete(slices.Clone(taken), i, i+1); empty(facts, fewer) {
			taken = fewer
		}
	}
	for _, f := range slices.Concat(taken, facts) {
		least = append(least, f.tell)
	}
	return least, true
}

// beaten tells whether the rules that go before it have the turn wherever it could: at every one of
// its fields, and for every aspect that it says something of.
func (l *look) beaten(facts []fact) bool {
	c := l.c
	if c.Family == rule.Validate || c.Sorts() {
		return false
	}
	aspects := []int{-1}
	if c.Family == rule.Entry {
		aspects = nil
		for aspect := range rule.Aspects {
			if c.Effect.Says(aspect) {
				aspects = append(aspects, aspect)
			}
		}
	}
	var because []reason
	var by []*rule.Compiled
	regions := l.of(c).regions
	for _, at := range stationsOf(c) {
		for _, aspect := range aspects {
			var before []fact
			var rules []*rule.Compiled
			facts := slices.Clone(facts)
			for _, o := range l.stations[at] {
				if o.ID == c.ID {
					break
				}
				if o.Sorts() || aspect >= 0 && !o.Effect.Says(aspect) || l.of(o).over {
					continue
				}
				before = append(before, fact{region: l.acts(o, regions), tell: goesBefore(o)})
				rules = append(rules, o)
				facts = append(facts, l.of(o).beside()...)
			}
			if len(before) == 0 {
				return false
			}
			least, excluded := excluding(regions, facts, before)
			if !excluded {
				return false
			}
			because = append(because, least...)
			for i, o := range rules {
				said := before[i].tell(rule.Wording{})
				if slices.ContainsFunc(least, func(r reason) bool { return r(rule.Wording{}) == said }) && !slices.Contains(by, o) {
					by = append(by, o)
				}
			}
		}
	}
	l.say(AlwaysBeaten, "", by, nil, because, func(w rule.Wording) string {
		return fmt.Sprintf("%s: %s never acts: %s always %s first", label(c.Vocabulary(), w, c.Field), c.Label(), labels(by), verb(len(by), "goes", "go"))
	})
	return true
}

// acts is where another rule of the station has its turn, with the subjects of its formulas known
// to the regions.
func (l *look) acts(o *rule.Compiled, regions *feel.Regions) feel.Region {
	k := l.of(o)
	for name, n := range k.regions.Subjects {
		if regions.Subjects == nil {
			regions.Subjects = map[string]feel.Node{}
		}
		if regions.Subjects[name] == nil {
			regions.Subjects[name] = n
		}
	}
	return k.acts
}

func goesBefore(o *rule.Compiled) reason {
	return func(w rule.Wording) string {
		text := o.Label() + " goes first"
		if where := scopeWords(o, w); where != "" {
			text += " for " + where
		}
		if o.When != nil {
			text += " where " + o.Vocabulary().TellPart(o.When.Root(), o.Field, w)
		}
		return text
	}
}

func labels(rules []*rule.Compiled) string {
	texts := make([]string, len(rules))
	for i, c := range rules {
		texts[i] = c.Label()
	}
	if last := len(texts) - 1; last > 0 {
		return strings.Join(texts[:last], ", ") + " and " + texts[last]
	}
	return strings.Join(texts, "")
}

func verb(count int, one, more string) string {
	if count == 1 {
		return one
	}
	return more
}

// check tells whether every document passes a check, or none does.
func (l *look) check(facts []fact) {
	c, regions := l.c, l.of(l.c).regions
	kept := slices.Clone(facts)
	for _, code := range []Code{PassesAll, RefusesAll} {
		outcome := feel.IsFalse
		if code == RefusesAll {
			outcome = feel.NotFalse
			if _, constant := feel.Constant(c.Must.Root()); constant {
				continue // it says so itself: its condition is all there is to it
			}
		}
		must := l.partFacts(regions, c, c.Must, outcome)
		least, excluded := excluding(regions, slices.Concat(kept, must), nil)
		if !excluded {
			continue
		}
		what := "everything passes " + c.Label()
		if code == RefusesAll {
			what = c.Label() + " refuses everything"
		}
		l.say(code, "", nil, nil, least, func(w rule.Wording) string {
			return fmt.Sprintf("%s: %s", label(c.Vocabulary(), w, c.Field), what)
		})
	}
}

// same tells whether another rule does the same wherever this one acts, so that it could go.
func (l *look) same() {
	c := l.c
	if c.Unique != nil || c.Sorts() || c.Series != nil {
		return
	}
	regions := l.of(c).regions
	own := l.of(c).acts
	for _, o := range l.stations[stationsOf(c)[0]] {
		if !l.with(o) || o.Sorts() || o.Target != c.Target || !sameEffect(c, o) || l.of(o).over || l.of(c).over {
			continue
		}
		theirs := l.acts(o, regions)
		inside := func(a, b feel.Region) bool {
			regions.Rest()
			return len(regions.Without(a, b)) == 0 && !regions.Over
		}
		idle, does := c, o
		switch {
		case inside(own, theirs) && !l.between(c, o, own):
		case inside(theirs, own) && !l.between(o, c, theirs):
			idle, does = o, c
		default:
			continue
		}
		because := []reason{goesWhere(idle), goesWhere(does)}
		l.found(&Finding{Code: SaysTheSame, Kind: c.Kind, Field: c.Field, Rules: []*rule.Compiled{idle, does}, because: because, message: func(w rule.Wording) string {
			return fmt.Sprintf("%s: %s is redundant: %s does the same", label(c.Vocabulary(), w, c.Field), idle.Label(), does.Label())
		}})
	}
}

func goesWhere(c *rule.Compiled) reason {
	return func(w rule.Wording) string { return c.Label() + ": " + rule.Sentence(c, w) }
}

// between tells whether a third rule would have the turn, at least for some of a region, if the
// rule went: one that goes before the other that does the same.
func (l *look) between(idle, does *rule.Compiled, region feel.Region) bool {
	if idle.Family == rule.Validate {
		return false
	}
	regions := l.of(l.c).regions
	for _, at := range stationsOf(idle) {
		for _, o := range l.stations[at] {
			if o.ID == idle.ID || o.ID == does.ID || rule.Less(&o.Rule, &does.Rule) > 0 && rule.Less(&o.Rule, &idle.Rule) > 0 {
				continue
			}
			regions.Rest()
			if len(regions.And(region, l.acts(o, regions))) > 0 {
				return true
			}
		}
	}
	return false
}

// sameEffect tells whether two rules do the same where they act; how a formula is written, and what
// a check says, makes no difference.
func sameEffect(a, b *rule.Compiled) bool {
	x, y := a.Effect, b.Effect
	formula := func(p *feel.Program, text string) string {
		if p == nil {
			return strings.TrimSpace(text)
		}
		return feel.Format(p.Root())
	}
	x.Value, y.Value = formula(a.Value, x.Value), formula(b.Value, y.Value)
	x.Must, y.Must = formula(a.Must, x.Must), formula(b.Must, y.Must)
	x.Message, y.Message, x.Points, y.Points = "", "", "", ""
	return reflect.DeepEqual(x, y)
}

// cases tells which cases of the rule's value never come to their turn.
func (l *look) cases() {
	c := l.c
	if c.Value == nil {
		return
	}
	cases, ok := c.Value.Cases()
	if !ok {
		return
	}
	v := c.Vocabulary()
	for _, f := range cases.Judge(v.ScopeOf(c.Field), v.Steps(&cases, c.Field)) {
		if f.Code != "unreachable" {
			continue
		}
		l.say(CaseUnreachable, fmt.Sprint(f.Row+1), nil, nil, []reason{func(w rule.Wording) string { return goesWhere(c)(w) }}, func(w rule.Wording) string {
			text := fmt.Sprintf("%s: case %d of %s is never reached: ", label(v, w, c.Field), f.Row+1, c.Label())
			if f.Other >= 0 {
				return text + fmt.Sprintf("case %d covers it", f.Other+1)
			}
			return text + "the cases before it cover it"
		})
	}
}
