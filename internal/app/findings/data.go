package findings

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/finding"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/view"
)

// quiet is how long a rule may not act before it is told.
const quiet = 365 * 24 * time.Hour

// Data looks over the saved records: for codes that rules look up without finding a row, for values
// that conditions name and no record has, for records that fit no case, and for rules that have not
// given a value for a year. write is told how far the look is, and then what is found. Cost: every
// record is judged once as it stands.
func (s *Service) Data(ctx context.Context, write func(any) error) error {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return err
	}
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return err
	}
	progress := contract.FindingProgress{}
	for i := range ref.Kinds {
		count, err := s.base.Store.CountRecords(ctx, ref.Kinds[i].Key, access.Scope(ctx))
		if err != nil {
			return err
		}
		progress.Total += count
	}
	if err := write(progress); err != nil {
		return err
	}
	t, err := s.teller(ctx, ref, func(f contract.Finding) error { return write(f) })
	if err != nil {
		return err
	}
	for i := range ref.Kinds {
		kind := &ref.Kinds[i]
		seen, err := s.over(ctx, t, kind, func() error {
			if progress.Done++; progress.Done%50 == 0 {
				return write(progress)
			}
			return nil
		})
		if err != nil {
			return err
		}
		if err := seen.tell(); err != nil {
			return err
		}
		if t.failed != nil {
			return t.failed
		}
	}
	progress.Done = progress.Total
	return write(progress)
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
	noCase  map[int64][]string // numbers of the records that fit no case
	cases   []*rule.Compiled
}

// missed are codes that a rule looks up without finding a row.
type missed struct {
	crosswalk string
	rule      *rule.Compiled
	codes     []string
	records   []string
}

// over looks over the records of a kind; each is told.
func (s *Service) over(ctx context.Context, t *teller, kind *record.Kind, each func() error) (*sight, error) {
	book, err := s.base.Cache.SeenBook(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	changed, err := s.base.Store.LastChanges(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	v := &sight{
		teller: t, kind: kind, book: book, now: s.base.Clock(), begun: map[int64]time.Time{}, uses: map[string][]judging.LookUp{}, index: table.NewIndex(t.ref.Tables.Crosswalks, s.base.Today(nil)),
		missed: map[string]*missed{}, gave: map[int64]bool{}, unknown: map[int]bool{}, noCase: map[int64][]string{}, named: finding.NamedBy(book), cases: finding.WithoutOther(book),
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
	for r, err := range s.base.Store.Records(ctx, kind.Key, access.Scope(ctx)) {
		if err != nil {
			return nil, err
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := each(); err != nil {
			return nil, err
		}
		v.stored(r)
		if judged, err := s.base.Again(ctx, r); err == nil { // one that no longer fits its kind tells so elsewhere
			v.judged(r, judged)
		}
	}
	return v, nil
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

// judged looks at what rules make of a record as it stands.
func (v *sight) judged(r *record.Record, t *judging.Trial) {
	for i := range v.named {
		if n := &v.named[i]; !n.Found && plan.Covers(n.Rule, t.Plan.Scope) {
			n.Look(t.Plan, t.Case, t.Judged.Outcome)
		}
	}
	for key, uses := range v.uses {
		for i := range uses {
			if !plan.Covers(uses[i].Rule, t.Plan.Scope) || uses[i].Rule.State != rule.InForce {
				continue
			}
			for _, codes := range uses[i].Codes(t) {
				if v.index.Has(key, codes) || v.hasOther(key) {
					continue
				}
				texts := view.List(codes, field.Write)
				id := fmt.Sprint(key, uses[i].Rule.ID, texts)
				if v.missed[id] == nil {
					v.missed[id] = &missed{crosswalk: key, rule: uses[i].Rule, codes: texts}
					v.order = append(v.order, id)
				}
				v.missed[id].records = append(v.missed[id].records, r.Number)
			}
		}
	}
	for _, c := range v.cases {
		if finding.FitsNone(c, t.Judged.Outcome) {
			v.noCase[c.ID] = append(v.noCase[c.ID], r.Number)
		}
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
	say := func(code, part string, c *rule.Compiled, message string) {
		shown := contract.Finding{
			Key: finding.KeyOf(code, v.kind.Key, "", []int64{c.ID}, part), Code: code, Sort: inData, Kind: v.kind.Key, Family: string(c.Family),
			Field: v.kind.Fields[c.Field].Key, Message: message, Because: []string{}, Rules: []contract.FoundRule{view.FoundRule(c, wording)},
		}
		v.teller.tell(shown)
	}
	for _, id := range v.order {
		m := v.missed[id]
		say("code-without-row", strings.Join(append([]string{m.crosswalk}, m.codes...), " "), m.rule, fmt.Sprintf("%s looks up %s in %s and finds no row: %s", m.rule.Label(), strings.Join(m.codes, ", "), v.ref.Tables.Crosswalk(m.crosswalk).Label, v.those(m.records)))
	}
	for _, c := range v.cases {
		if numbers := v.noCase[c.ID]; len(numbers) > 0 {
			say("no-case-in-data", "", c, fmt.Sprintf("no case of %s fits %s, and %s stays blank there", c.Label(), v.those(numbers), v.kind.Fields[c.Field].Label))
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
		say("not-acted", "", c, fmt.Sprintf("%s has given no value of a record for a year; it stands as it is since %s", c.Label(), since.Format(time.DateOnly)))
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
func (v *sight) those(numbers []string) string {
	numbers = slices.Compact(numbers)
	if len(numbers) == 1 {
		return v.kind.Noun() + " " + numbers[0]
	}
	text := fmt.Sprintf("%d %s, such as ", len(numbers), strings.ToLower(v.kind.Plural))
	return text + strings.Join(numbers[:min(len(numbers), 3)], ", ")
}
