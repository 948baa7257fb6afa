package loads

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

var (
	unknownFileColumn = notice.Define("unknown-column.file", "the file has no column {column:q}")
	unknownTarget     = notice.Define("unknown-field.load", "a {kind} has no field {field:q} that a column could hold")
	notLoaded         = notice.Define("not-loaded", "{field} takes no part in loads; an administrator can include it under Tables, Fields")
	twice             = notice.Define("column-twice", "the columns {first:q} and {second:q} both hold {field}; leave one out")
	noPlace           = notice.Define("no-scope", "choose the {what} of the records, or the column that holds it")
	unsuitedKey       = notice.Define("unsuited-key", "records cannot be found by {fields}: no rule in force says that it is unique")
	keyless           = notice.Define("no-key-column", "records are to be found by {field}, but no column holds it")
	noRule            = notice.Define("not-a-rule", "{rule:q} is not the number of a rule")
)

// plan says how the rows of a file become records.
type plan struct {
	ref     *cache.Reference
	kind    *record.Kind
	setup   *contract.LoadSetup
	columns []string // what each column of the file holds: a target, or ""
	own     []int    // the columns of the file that are not our own
	format  field.Format
	unique  *match.Unique // by which records are found; nil: by number, or not at all
	reasons map[int64]string
	lined   bool // a column holds a field of the lines
}

// plan makes the plan of a load, or says what is wrong with its set-up.
func (s *Service) plan(ctx context.Context, ref *cache.Reference, kind *record.Kind, f *file) (*plan, error) {
	setup := &f.setup
	p := &plan{ref: ref, kind: kind, setup: setup, format: setup.Format.OrPlain(), reasons: map[int64]string{}}
	known, held := targetsOf(ref, kind), map[string]string{}
	check := func(to string) error {
		at := known.of(to)
		if at < 0 {
			return fault.Bad(unknownTarget, kind.Noun(), to)
		}
		if known.all[at].leftOut {
			return fault.Bad(notLoaded, known.all[at].label)
		}
		return nil
	}
	for column := range setup.Columns {
		if !slices.Contains(f.about.Source.Columns, column) {
			return nil, fault.Bad(unknownFileColumn, column)
		}
	}
	p.columns = make([]string, len(f.about.Source.Columns))
	for i, column := range f.about.Source.Columns {
		if column != why {
			p.own = append(p.own, i)
		}
		to := setup.Columns[column]
		if to == "" {
			continue
		}
		if err := check(to); err != nil {
			return nil, err
		}
		if first, there := held[to]; there {
			return nil, fault.Bad(twice, first, column, known.all[known.of(to)].label)
		}
		held[to] = column
		p.columns[i] = to
		p.lined = p.lined || strings.HasPrefix(to, field.LinePrefix)
	}
	for to := range setup.Constants {
		if err := check(to); err != nil {
			return nil, err
		}
	}
	for number, reason := range setup.Reasons {
		id, err := strconv.ParseInt(number, 10, 64)
		if err != nil {
			return nil, fault.Bad(noRule, number)
		}
		if reason = strings.TrimSpace(reason); reason != "" {
			p.reasons[id] = reason
		}
	}
	for _, key := range setup.Key {
		if held[key] == "" && setup.Constants[key] == "" {
			at := known.of(key)
			if at < 0 {
				return nil, fault.Bad(unknownTarget, kind.Noun(), key)
			}
			return nil, fault.Bad(keyless, known.all[at].label)
		}
	}
	if len(setup.Key) == 0 || slices.Equal(setup.Key, []string{toNumber}) {
		return p, nil
	}
	book, err := s.base.Cache.Book(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	for _, c := range book.Rules {
		if c.State == rule.InForce && len(c.Unique) > 0 && c.Sound() && slices.Equal(c.UniqueBy().Fields, setup.Key) {
			by := c.UniqueBy()
			p.unique = &by
			return p, nil
		}
	}
	return nil, fault.Bad(unsuitedKey, strings.Join(setup.Key, ", "))
}

// sound says what is missing for its rows to become records.
func (p *plan) sound() error {
	for _, need := range []struct{ to, label string }{{toCompany, "company"}, {toType, strings.ToLower(p.kind.TypeLabel)}} {
		if !slices.Contains(p.columns, need.to) && p.setup.Constants[need.to] == "" && !slices.Equal(p.setup.Key, []string{toNumber}) {
			return fault.Bad(noPlace, need.label)
		}
	}
	return nil
}
