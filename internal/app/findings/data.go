package findings

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/finding"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/view"
)

// quiet is how long a rule may not act before it is told.
const quiet = 365 * 24 * time.Hour

// Look begins a run that looks over the saved records: for codes that rules look up without finding a row, for values that
// conditions name and no record has, for records that fit no case, and for rules that have not given a value for a year. Cost:
// every record that who asks may see is judged once as it stands, on all processors; some of them in memory.
func (s *Service) Look(ctx context.Context) (contract.Run, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Run{}, err
	}
	r, err := s.runs.Start(ctx, string(contract.RunWhatFindings), "all records", runs.Subject{}, s.work)
	return runs.Shown(&r), err
}

func (s *Service) work(ctx context.Context, w *runs.Writer) error {
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return err
	}
	total := 0
	for i := range ref.Kinds {
		count, err := s.base.Store.CountRecords(ctx, ref.Kinds[i].Key, access.Scope(ctx))
		if err != nil {
			return err
		}
		total += count
	}
	w.Total(total)
	done, counts := 0, runs.Counts{"findings": 0}
	t, err := s.teller(ctx, ref, func(f contract.Finding) error {
		counts["findings"]++
		f.Silenced = nil // it is told as it is when somebody reads it
		hit := contract.RunHit{Kind: f.Kind, What: contract.RunHitWhatFinding, Title: f.Rules[0].Name, Rule: f.Rules[0].ID, Said: f.Message, Told: f.Message, Changes: []contract.ValueChange{}, Finding: &f}
		w.Found(0, hit)
		return w.Came(ctx, done, counts)
	})
	if err != nil {
		return err
	}
	for i := range ref.Kinds {
		shown, err := s.over(ctx, t, &ref.Kinds[i], func() error {
			if done++; done%toldEach != 0 {
				return nil
			}
			return w.Came(ctx, done, counts)
		})
		if err != nil {
			return err
		}
		if err := errors.Join(shown.tell(), t.failed); err != nil {
			return err
		}
	}
	w.Total(done) // records come and go meanwhile
	return w.Came(ctx, done, counts)
}

// toldEach is after how many records a look tells how far it is.
const toldEach = 200

// Data tells what the last look over the saved records found that who asks may see, with what was silenced since; what it found
// of rules that have changed since is left out. Cost: the rules, the runs that are kept, and what was found: some of each rule, and
// at most mostMissed codes of a kind.
func (s *Service) Data(ctx context.Context) (contract.DataFindings, error) {
	found := contract.DataFindings{Findings: []contract.Finding{}}
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return found, err
	}
	all, err := s.runs.List(ctx)
	if err != nil {
		return found, err
	}
	for i := range all { // the newest first
		switch r := &all[i]; {
		case r.What != contract.RunWhatFindings:
		case r.EndedAt == nil:
			found.Looking = r
		case found.Run == nil, found.Run.State != contract.RunStateDone && r.State == contract.RunStateDone:
			found.Run = r
		}
	}
	if found.Run == nil {
		return found, nil
	}
	silences, err := s.base.Store.Silences(ctx)
	if err != nil {
		return found, err
	}
	now, err := s.asFound(ctx)
	if err != nil {
		return found, err
	}
	for after := ""; ; {
		page, err := s.runs.Hits(ctx, found.Run.ID, after, mostMissed)
		if err != nil {
			return found, err
		}
		for _, h := range page.Hits {
			if h.Finding == nil {
				continue
			}
			if !now(h.Finding) {
				found.Outdated++
				continue
			}
			if silence, silenced := silences[h.Finding.Key]; silenced {
				h.Finding.Silenced = view.Silenced(silence.Reason, silence.By)
			}
			found.Findings = append(found.Findings, *h.Finding)
		}
		if after = page.Next; after == "" {
			return found, nil
		}
	}
}

// asFound tells of findings whether their rules are as they were found.
func (s *Service) asFound(ctx context.Context) (func(*contract.Finding) bool, error) {
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return nil, err
	}
	versions := map[int64]int{}
	for i := range ref.Kinds {
		book, err := s.base.Cache.SeenBook(ctx, ref.Kinds[i].Key)
		if err != nil {
			return nil, err
		}
		for _, c := range book.Rules {
			versions[c.ID] = c.Version
		}
	}
	return func(f *contract.Finding) bool {
		return !slices.ContainsFunc(f.Rules, func(r contract.FoundRule) bool { return versions[r.ID] != r.Version })
	}, nil
}

// sight is what the records of a kind show of its rules.
type sight struct {
	*teller
	kind  *record.Kind
	book  *plan.Book
	now   time.Time
	begun map[int64]time.Time // since when a rule is as it is
	// named are the values that conditions name, with whether a record has them.
	named []finding.Named
	// uses are where crosswalks are looked up, missed the codes without a row by use and codes.
	uses   map[string][]judging.LookUp
	index  *table.Index
	missed map[string]*missed
	order  []string
	// gave tells rules that gave a value that is stored, and unknown the fields with values of
	// which nobody knows who gave them.
	gave    map[int64]bool
	unknown map[int]bool
	more    map[int64]missing  // of rules that look up more codes without a row than are kept, one
	noCase  map[int64]*records // the records that fit no case
	cases   []*rule.Compiled
}

// mostMissed is of how many codes without a row it is kept which records have them.
const mostMissed = 1000

// missed are codes that a rule looks up without finding a row, and where.
type missed struct {
	missing
	records records
}

// records are some records: how many, and the first of them.
type records struct {
	count int
	first []string
	last  string
}

// add counts a record once; those of one record come one after the other.
func (r *records) add(number string) {
	if r.count > 0 && r.last == number {
		return
	}
	if r.count++; len(r.first) < 3 {
		r.first = append(r.first, number)
	}
	r.last = number
}

// over looks over the records of a kind; each is told.
func (s *Service) over(ctx context.Context, t *teller, kind *record.Kind, each func() error) (*sight, error) {
	_, runner, err := s.base.Runner(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	book := runner.Book
	changed, err := s.base.Store.LastChanges(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	v := &sight{
		teller: t, kind: kind, book: book, now: s.base.Clock(), begun: map[int64]time.Time{}, uses: map[string][]judging.LookUp{}, index: table.NewIndex(t.ref.Tables.Crosswalks, s.base.Today(nil)),
		missed: map[string]*missed{}, gave: map[int64]bool{}, unknown: map[int]bool{}, more: map[int64]missing{}, noCase: map[int64]*records{}, named: finding.NamedBy(book), cases: finding.WithoutOther(book),
	}
	for id, by := range changed {
		if at, known := clock.When(by); known {
			v.begun[id] = at
		}
	}
	for i := range t.ref.Tables.Crosswalks {
		if uses := judging.LookUps(book, &t.ref.Tables.Crosswalks[i]); len(uses) > 0 {
			v.uses[t.ref.Tables.Crosswalks[i].Key] = uses
		}
	}
	err = judging.Look(ctx, s.base, t.ref, runner, v.reads(), v.look, func(r *record.Record, seen seen) error {
		v.stored(r)
		v.note(r, &seen)
		return each()
	})
	return v, err
}

// stored looks at what a record holds, and who gave it.
func (v *sight) stored(r *record.Record) {
	at, known := clock.When(r.Changed)
	recent := known && v.now.Sub(at) < quiet
	see := func(key string, values map[string]string, origins record.Origins) {
		for column, value := range values {
			place := v.kind.Index(key + column)
			if place < 0 || value == "" {
				continue
			}
			origin := origins[column]
			if id, _, ok := origin.Rule(); ok {
				v.gave[id] = v.gave[id] || recent
			} else if origin == record.Unknown && recent {
				v.unknown[place] = true
			}
		}
	}
	see("", r.Values, r.Origins)
	for _, line := range r.Lines {
		see(field.LinePrefix, line.Values, line.Origins)
	}
}

// reads are the slots of all formulas that are tried on records.
func (v *sight) reads() (slots []int) {
	for i := range v.named {
		slots = append(slots, v.named[i].Reads()...)
	}
	for _, uses := range v.uses {
		for i := range uses {
			slots = append(slots, uses[i].Reads()...)
		}
	}
	return slots
}

// seen is what one record shows.
type seen struct {
	named  []int // places of the values that it has
	missed []missing
	noCase []int64 // rules of which no case fits it
}

// missing are codes that a rule looks up in a record without finding a row.
type missing struct {
	crosswalk string
	rule      *rule.Compiled
	codes     []string
}

// look looks at what rules make of a record as it stands.
func (v *sight) look(p *engine.Probes) (s seen) {
	for i := range v.named {
		if n := &v.named[i]; !n.Found && plan.Covers(n.Rule, p.Plan.Scope) && n.In(p) {
			s.named = append(s.named, i)
		}
	}
	for key, uses := range v.uses {
		for i := range uses {
			if !plan.Covers(uses[i].Rule, p.Plan.Scope) || uses[i].Rule.State != rule.InForce {
				continue
			}
			for _, codes := range uses[i].Codes(p) {
				if !v.index.Has(key, codes) && !v.hasOther(key) {
					s.missed = append(s.missed, missing{key, uses[i].Rule, view.List(codes, field.Write)})
				}
			}
		}
	}
	for _, c := range v.cases {
		if finding.FitsNone(c, p.Out) {
			s.noCase = append(s.noCase, c.ID)
		}
	}
	return s
}

// note keeps what a record shows.
func (v *sight) note(r *record.Record, s *seen) {
	for _, i := range s.named {
		v.named[i].Found = true
	}
	for _, m := range s.missed {
		id := fmt.Sprint(m.crosswalk, m.rule.ID, m.codes)
		if v.missed[id] == nil {
			if len(v.order) == mostMissed {
				v.more[m.rule.ID] = m
				continue
			}
			v.missed[id] = &missed{missing: m}
			v.order = append(v.order, id)
		}
		v.missed[id].records.add(r.Number)
	}
	for _, id := range s.noCase {
		if v.noCase[id] == nil {
			v.noCase[id] = &records{}
		}
		v.noCase[id].add(r.Number)
	}
}

// hasOther tells whether a crosswalk gives something for every other code.
func (v *sight) hasOther(key string) bool {
	c := v.ref.Tables.Crosswalk(key)
	return c != nil && len(c.Default) > 0
}

// tell tells what the records showed.
func (v *sight) tell() error {
	wording := v.ref.Wording(v.kind, actor.Of(v.ctx).Format)
	days := view.Days(actor.Of(v.ctx).Format)
	say := func(code, part string, c *rule.Compiled, message string) {
		shown := contract.Finding{
			Key: finding.KeyOf(code, v.kind.Key, "", []int64{c.ID}, part), Code: code, Sort: inData, Kind: v.kind.Key, Family: string(c.Family),
			Field: v.kind.Fields[c.Field].Key, Message: message, Because: []string{}, Rules: []contract.FoundRule{view.FoundRule(c, wording)},
		}
		v.teller.tell(shown)
	}
	for _, id := range v.order {
		m := v.missed[id]
		say("code-without-row", strings.Join(append([]string{m.crosswalk}, m.codes...), " "), m.rule, fmt.Sprintf("%s looks up %s in %s and finds no row: %s", m.rule.Label(), strings.Join(m.codes, ", "), v.ref.Tables.Crosswalk(m.crosswalk).Label, v.those(&m.records)))
	}
	for _, id := range slices.Sorted(maps.Keys(v.more)) {
		m := v.more[id]
		say("code-without-row", m.crosswalk, m.rule, fmt.Sprintf("%s looks up more codes in %s and finds no row than are told one by one, such as %s", m.rule.Label(), v.ref.Tables.Crosswalk(m.crosswalk).Label, strings.Join(m.codes, ", ")))
	}
	for _, c := range v.cases {
		if fits := v.noCase[c.ID]; fits != nil {
			say("no-case-in-data", "", c, fmt.Sprintf("no case of %s fits %s, and %s stays blank there", c.Label(), v.those(fits), v.kind.Fields[c.Field].Label))
		}
	}
	for i := range v.named {
		n := &v.named[i]
		if n.Found || v.exists(n) {
			continue
		}
		say("value-nowhere", n.Subject+" "+n.Value.String(), n.Rule, fmt.Sprintf("%s names %s, and no record that it holds for has that", n.Rule.Label(), n.Words(wording)))
	}
	for _, c := range v.book.Rules {
		since, known := v.begun[c.ID]
		gives := slices.Contains([]rule.Family{rule.Source, rule.Default, rule.Compute, rule.Substitute}, c.Family) && !c.Sorts()
		if c.State != rule.InForce || !c.Sound() || !gives || !known || v.now.Sub(since) < quiet || v.gave[c.ID] || v.unknown[c.Field] {
			continue
		}
		say("not-acted", "", c, fmt.Sprintf("%s has given no value of a record for a year; it stands as it is since %s", c.Label(), days(record.Day(since.Format(time.DateOnly)))))
	}
	return v.failed
}

// exists tells whether a value that no document has is a record all the same: of a link.
func (v *sight) exists(n *finding.Named) bool {
	if !n.Field.IsLink() {
		return false
	}
	number, _ := n.Value.Text()
	_, r := v.base.Links(v.ctx, v.ref, "").Find(record.Ref{Kind: n.Field.Kind, Number: number})
	return r != nil
}

// those names some records, and tells how many there are.
func (v *sight) those(r *records) string {
	if r.count == 1 {
		return v.kind.Noun() + " " + r.first[0]
	}
	return fmt.Sprintf("%d %s, such as ", r.count, strings.ToLower(v.kind.Plural)) + strings.Join(r.first, ", ")
}
