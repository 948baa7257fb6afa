package codicils

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/store"
	"codicil/internal/view"
)

// teller tells changes in words.
type teller struct {
	service *Service
	// ref is the reference data of today, and with the codicil on top, so that what it adds has a name.
	ref       *cache.Reference
	format    field.Format
	days      func(record.Day) string
	overtaken map[store.Thing]bool
	others    map[store.Thing][]store.Codicil
	codicils  map[int64]store.Codicil
	seen      *cache.Cache
}

// teller returns one for a codicil; nil: for changes of several.
func (s *Service) teller(ctx context.Context, c *store.Codicil) (*teller, error) {
	format := actor.Of(ctx).Format
	t := &teller{service: s, format: format, days: view.Days(format), overtaken: map[store.Thing]bool{}, codicils: map[int64]store.Codicil{}, seen: s.base.Cache}
	var err error
	if c != nil && !c.State.Ended() {
		parts, err := s.view(ctx, store.View{Codicil: c.ID})
		if err != nil {
			return nil, err
		}
		t.seen = parts.Base.Cache
		contents, err := s.base.Store.ChangesOf(ctx, c.ID, 0)
		if err != nil {
			return nil, err
		}
		things, err := s.base.Store.Overtaken(ctx, contents)
		if err != nil {
			return nil, err
		}
		for _, thing := range things {
			t.overtaken[thing] = true
		}
		if t.others, err = s.base.Store.InCodicils(ctx); err != nil {
			return nil, err
		}
	}
	t.ref, err = t.seen.Reference(ctx)
	return t, err
}

func (t *teller) codicil(ctx context.Context, id int64) (*contract.CodicilRef, error) {
	c, known := t.codicils[id]
	if !known {
		var err error
		if c, err = t.service.base.Store.Codicil(ctx, id); err != nil {
			return nil, err
		}
		t.codicils[id] = c
	}
	return judging.CodicilRef(&c), nil
}

// tell says what a change is.
func (t *teller) tell(ctx context.Context, c *store.CodicilChange) (contract.CodicilChange, error) {
	v := contract.CodicilChange{
		What: contract.ThingKind(c.What), Key: c.Key, Title: t.title(c), Deed: deed(c), Before: []string{}, After: []string{},
		Overtaken: t.overtaken[c.Thing], Others: []contract.CodicilRef{}, ChangedAt: view.At(c.Changed), ChangedBy: c.Changed.By,
	}
	of, err := t.codicil(ctx, c.Codicil)
	if err != nil {
		return v, err
	}
	v.Codicil = *of
	for _, other := range t.others[c.Thing] {
		if other.ID != c.Codicil {
			v.Others = append(v.Others, *judging.CodicilRef(&other))
		}
	}
	before, err := c.Definition(c.Before)
	if err != nil {
		return v, err
	}
	after, err := c.Definition(c.After)
	if err != nil {
		return v, err
	}
	v.Kind, v.About = t.about(c, before, after)
	if c.What == "rule" {
		if v.RuleBefore, err = t.rule(ctx, before, c); err != nil {
			return v, err
		}
		if v.RuleAfter, err = t.rule(ctx, after, c); err != nil {
			return v, err
		}
		for _, side := range []struct {
			of   *contract.RuleVersion
			into *[]string
		}{{v.RuleBefore, &v.Before}, {v.RuleAfter, &v.After}} {
			if side.of != nil {
				*side.into = append(*side.into, side.of.Sentence)
			}
		}
		return v, nil
	}
	v.Before, v.After = differing(t.lines(before), t.lines(after))
	return v, nil
}

func deed(c *store.CodicilChange) contract.CodicilChangeDeed {
	switch {
	case c.Before == nil:
		return contract.Added
	case c.After == nil:
		return contract.Removed
	}
	return contract.Changed
}

// rule tells one side of a change of a rule; nil: there was none.
func (t *teller) rule(ctx context.Context, definition any, c *store.CodicilChange) (*contract.RuleVersion, error) {
	r, is := definition.(rule.Rule)
	if !is {
		return nil, nil
	}
	r.ID = c.Number()
	book, err := t.seen.Book(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	told := view.RuleVersion(rule.Compile(judging.Ours(ctx, r), book.Vocabulary), t.ref.Wording(book.Vocabulary.Kind, t.format), c.Changed)
	return &told, nil
}

// title is what people call a thing.
func (t *teller) title(c *store.CodicilChange) string {
	definition, err := c.Definition(c.After)
	if err != nil || definition == nil {
		definition, err = c.Definition(c.Before)
	}
	if err != nil {
		return c.Key
	}
	switch d := definition.(type) {
	case rule.Rule:
		return d.Name
	case table.Standing:
		return d.Field.Label
	case table.Crosswalk:
		return d.Label
	case table.Series:
		return d.Label
	case table.List:
		return d.Label
	case field.Field:
		return d.Label
	case record.FollowOn:
		return d.Name
	case record.Layout:
		parts := strings.Split(c.Key, "/")
		title := "Layout of " + strings.ToLower(t.plural(parts[0]))
		if parts[2] != "" {
			if kt := t.ref.Type(parts[0], parts[2]); kt != nil {
				title = "Layout of " + strings.ToLower(kt.Label) + " " + strings.ToLower(t.plural(parts[0]))
			}
		}
		if parts[1] != "" {
			title += " in " + parts[1]
		}
		return title
	}
	return c.Key
}

func (t *teller) plural(kind string) string {
	if k, err := t.ref.Kind(kind); err == nil {
		return k.Plural
	}
	return kind
}

// about says what sort of thing is changed, and of which kind of records.
func (t *teller) about(c *store.CodicilChange, definitions ...any) (kind, about string) {
	switch c.What {
	case "standing":
		return "", "Standing value"
	case "crosswalk":
		return "", "Crosswalk"
	case "series":
		return "", "Number series"
	case "list":
		return "", "List"
	case "field", "layout":
		kind, _, _ = strings.Cut(c.Key, "/")
		return kind, map[string]string{"field": "Added field of ", "layout": "Layout of "}[c.What] + strings.ToLower(t.plural(kind))
	}
	for _, d := range definitions {
		switch d := d.(type) {
		case rule.Rule:
			return d.Kind, "Rule for " + strings.ToLower(t.plural(d.Kind))
		case record.FollowOn:
			return d.From, "Map from " + strings.ToLower(t.plural(d.From)) + " to " + strings.ToLower(t.plural(d.To))
		}
	}
	return "", c.What
}

// lines tells a definition, a line for each of its parts.
func (t *teller) lines(definition any) []string {
	switch d := definition.(type) {
	case table.Standing:
		lines := append(plain(d.Field), "Note: "+d.Note)
		return append(lines, t.periodsOf(&d)...)
	case table.Crosswalk:
		lines := []string{"Name: " + d.Label, "Note: " + d.Note}
		for _, column := range slices.Concat(d.Keys, d.Results) {
			lines = append(lines, "Column "+column.Label+": "+strings.Join(plain(column), ", "))
		}
		lines = append(lines, t.rowsOf(&d)...)
		if len(d.Default) > 0 {
			lines = append(lines, "All other codes → "+t.values(d.Results, d.Default))
		}
		return lines
	case table.List:
		return append([]string{"Name: " + d.Label, "Note: " + d.Note}, t.entriesOf(&d)...)
	case record.Layout:
		return layoutLines(d)
	case record.FollowOn:
		lines := []string{"Name: " + d.Name}
		if d.When != "" {
			lines = append(lines, "Only when "+d.When)
		}
		if len(d.Types) > 0 {
			lines = append(lines, "Only of "+strings.Join(d.Types, ", "))
		}
		if d.Type != "" {
			lines = append(lines, "New type: "+d.Type)
		}
		for _, p := range d.Pairs {
			from := p.From
			if from == "" {
				from = fmt.Sprintf("%q", p.Constant)
			}
			line := from + " → " + p.To
			if p.Line > 0 {
				line += fmt.Sprintf(", line %d", p.Line)
			}
			lines = append(lines, line)
		}
		return lines
	case nil:
		return nil
	}
	return plain(definition)
}

func (t *teller) periodsOf(d *table.Standing) (lines []string) {
	for _, p := range d.Periods {
		lines = append(lines, t.value(&d.Field, p.Value)+t.where(p.Company)+t.when(p.Period))
	}
	return lines
}

func (t *teller) rowsOf(d *table.Crosswalk) (lines []string) {
	for _, r := range d.Rows {
		lines = append(lines, t.values(d.Keys, r.Keys)+" → "+t.values(d.Results, r.Results)+t.when(r.Period))
	}
	return lines
}

// entriesOf tells the entries of a list, and what companies make of each that they do not use as it is.
func (t *teller) entriesOf(d *table.List) (lines []string) {
	for _, e := range d.Entries {
		line := e.Code + " " + e.Label
		if e.Decimals != nil {
			line += fmt.Sprintf(", %d decimals", *e.Decimals)
		}
		for _, v := range d.Views {
			where := "for all companies"
			if v.Company != "" {
				where = "in " + v.Company
			}
			switch label := v.Labels[e.Code]; {
			case len(v.Only) > 0 && !slices.Contains(v.Only, e.Code):
				line += ", not used " + where
			case label != "":
				line += ", called " + label + " " + where
			}
		}
		lines = append(lines, line+t.when(e.Period))
	}
	return lines
}

func layoutLines(l record.Layout) (lines []string) {
	for _, s := range l.Sections {
		section := s.Label
		if section == "" {
			section = s.Key
		}
		if s.Hidden {
			lines = append(lines, "Section "+section+" is hidden")
		}
		for i, f := range s.Fields {
			line := fmt.Sprintf("%s, place %d: %s", section, i+1, f.Key)
			if f.Label != "" {
				line += " as “" + f.Label + "”"
			}
			if f.Width > 0 {
				line += fmt.Sprintf(", %d wide", f.Width)
			}
			if f.Hidden {
				line += ", hidden"
			}
			lines = append(lines, line)
		}
	}
	return lines
}

func (t *teller) value(f *field.Field, text string) string {
	v, wrong := f.Parse(text)
	if wrong != nil {
		return text
	}
	return f.Tell(v, t.format.OrPlain())
}

func (t *teller) values(columns []field.Field, texts []string) string {
	told := make([]string, len(texts))
	for i, text := range texts {
		if told[i] = text; i < len(columns) {
			told[i] = t.value(&columns[i], text)
		}
	}
	return strings.Join(told, ", ")
}

func (t *teller) where(company string) string {
	if company == "" {
		return ""
	}
	return " in " + company
}

func (t *teller) when(p table.Period) (told string) {
	if p.From != "" {
		told += " from " + t.days(p.From)
	}
	if p.Until != "" {
		told += " until " + t.days(p.Until)
	}
	return told
}

// plain tells all parts of a definition by their names.
func plain(definition any) (lines []string) {
	text, err := json.Marshal(definition)
	if err != nil {
		return nil
	}
	var parts map[string]any
	if json.Unmarshal(text, &parts) != nil {
		return nil
	}
	for _, name := range slices.Sorted(maps.Keys(parts)) {
		part := reflect.ValueOf(parts[name])
		if !part.IsValid() || part.IsZero() || ((part.Kind() == reflect.Slice || part.Kind() == reflect.Map) && part.Len() == 0) {
			continue
		}
		value := fmt.Sprint(parts[name])
		if part.Kind() == reflect.Slice || part.Kind() == reflect.Map {
			inner, _ := json.Marshal(parts[name])
			value = string(inner)
		}
		lines = append(lines, strings.ToUpper(name[:1])+name[1:]+": "+value)
	}
	return lines
}

// mostLines is how many lines of each side are told of a change.
const mostLines = 200

// differing keeps the lines that stand on one side only. Cost: both sides once.
func differing(before, after []string) (gone, come []string) {
	counts := map[string]int{}
	for _, line := range after {
		counts[line]++
	}
	gone, come = []string{}, []string{}
	for _, line := range before {
		if counts[line]--; counts[line] < 0 && len(gone) < mostLines {
			gone = append(gone, line)
		}
	}
	clear(counts)
	for _, line := range before {
		counts[line]++
	}
	for _, line := range after {
		if counts[line]--; counts[line] < 0 && len(come) < mostLines {
			come = append(come, line)
		}
	}
	return gone, come
}
