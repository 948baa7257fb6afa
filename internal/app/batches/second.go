package batches

import (
	"context"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/posting"
	"codicil/internal/app/records"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// compared are the fields of a record that a second person keys, as they stand: all that are keyed are those that a person
// gave, the first or the second. Cost: the fields and lines once.
func (p *progress) compared(r *record.Record, second *record.Content) (header, columns []string) {
	if !slices.Contains(p.batch.Second, All) {
		for _, key := range p.batch.Second {
			if column, of := strings.CutPrefix(key, field.LinePrefix); of {
				columns = append(columns, column)
			} else {
				header = append(header, key)
			}
		}
		return header, columns
	}
	given := func(prefix string, contents ...func(key string) record.Origin) (keys []string) {
		for i := range p.viewer.Kind.Fields {
			key := p.viewer.Kind.Fields[i].Key
			column, of := strings.CutPrefix(key, field.LinePrefix)
			if of != (prefix != "") {
				continue
			}
			if slices.ContainsFunc(contents, func(origin func(string) record.Origin) bool { return origin(column) == record.Person }) {
				keys = append(keys, column)
			}
		}
		return keys
	}
	header = given("", func(key string) record.Origin { return r.Origins[key] }, func(key string) record.Origin { return second.Origins[key] })
	inLines := func(lines []record.Line) func(string) record.Origin {
		return func(key string) record.Origin {
			for _, l := range lines {
				if l.Origins[key] == record.Person {
					return record.Person
				}
			}
			return ""
		}
	}
	return header, given(field.LinePrefix, inLines(r.Lines), inLines(second.Lines))
}

// differences are what a second person keyed otherwise. Lines are compared in their order.
func (p *progress) differences(i int) []contract.BatchDifference {
	differences := []contract.BatchDifference{}
	r, second := p.records[i], p.entries[i].Second
	if r == nil || second == nil || r.State != record.Kept {
		return differences
	}
	header, columns := p.compared(r, second)
	kind := p.viewer.Kind
	differ := func(key string, line int, one, two string, oneLine, twoLine int) {
		at := kind.Index(key)
		if at < 0 || one == two {
			return
		}
		differences = append(differences, contract.BatchDifference{
			Field: key, Label: kind.Fields[at].Label, Line: line,
			First: p.viewer.Stored(&r.Content, at, oneLine, one), Second: p.viewer.Stored(second, at, twoLine, two),
		})
	}
	for _, key := range header {
		differ(key, 0, r.Values[key], second.Values[key], 0, 0)
	}
	of := func(lines []record.Line, n int) (record.Line, int) {
		if n < len(lines) {
			return lines[n], lines[n].Number
		}
		return record.Line{}, 0
	}
	for n := range max(len(r.Lines), len(second.Lines)) {
		one, oneLine := of(r.Lines, n)
		two, twoLine := of(second.Lines, n)
		for _, column := range columns {
			differ(field.LinePrefix+column, n+1, one.Values[column], two.Values[column], oneLine, twoLine)
		}
	}
	return differences
}

// find returns the place of a record in the batch.
func (p *progress) find(number string) (int, error) {
	i := slices.IndexFunc(p.entries, func(e store.BatchDocument) bool { return e.Number == number })
	if i < 0 || p.records[i] == nil {
		return -1, fault.Bad(notInBatch, number, p.batch.ID)
	}
	return i, nil
}

// Second keeps what a second person keyed of a document: what the rules make of it, as of a new one. The record stays as it is.
func (s *Service) Second(ctx context.Context, id int64, keyed contract.BatchSecond) (contract.BatchDocument, error) {
	b, err := s.open(ctx, id, actor.RecordsChange)
	if err != nil {
		return contract.BatchDocument{}, err
	}
	if len(b.Second) == 0 {
		return contract.BatchDocument{}, fault.Hindered(nothingSecond, b.ID)
	}
	document := keyed.Document
	document.Kind, document.Company, document.Type, document.Record = b.Kind, b.Company, b.Type, ""
	t, err := s.base.Try(ctx, document, judging.Ask{Format: keyed.Format, Moment: rule.Typing, Keyed: true, Real: true, NoTrace: true})
	if err != nil {
		return contract.BatchDocument{}, err
	}
	content := s.base.Content(ctx, t)
	var at int
	var p *progress
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) (err error) {
		if p, err = s.over(tx).progress(ctx, &b, keyed.Format); err != nil {
			return err
		}
		if at, err = p.find(keyed.Number); err != nil {
			return err
		}
		e := &p.entries[at]
		if e.Keyed.Person == by.Person {
			return fault.Hindered(sameperson, e.Number, e.Keyed.By)
		}
		e.Second, e.SecondDone = &content, by
		return tx.SaveSecond(ctx, *e, by)
	})
	if err != nil {
		return contract.BatchDocument{}, err
	}
	return p.document(at), nil
}

// over returns the same within a transaction.
func (s *Service) over(tx *store.Store) *Service {
	base := s.base.Over(tx)
	return New(base, records.New(base, records.NewLive(base), nil), nil)
}

// Settle says which of two values is right: the second becomes that of the record, through its rules; the first becomes what was
// keyed the second time.
func (s *Service) Settle(ctx context.Context, id int64, settled contract.BatchSettled) (answer contract.BatchAnswer, err error) {
	b, err := s.open(ctx, id, actor.RecordsChange)
	if err != nil {
		return answer, err
	}
	p, err := s.progress(ctx, &b, settled.Format)
	if err != nil {
		return answer, err
	}
	i, err := p.find(settled.Number)
	if err != nil {
		return answer, err
	}
	at := slices.IndexFunc(p.differences(i), func(d contract.BatchDifference) bool { return d.Field == settled.Field && d.Line == settled.Line })
	if at < 0 {
		return answer, fault.Hindered(noDifference, settled.Number)
	}
	if settled.Take == contract.TakeFirst {
		err = s.takeFirst(ctx, p, i, &settled)
	} else {
		answer.Refused, err = s.takeSecond(ctx, p, i, &settled)
	}
	if err != nil {
		return answer, err
	}
	answer.Batch, err = s.Get(ctx, id, settled.Format)
	return answer, err
}

// takeFirst makes what was keyed the second time what the record says.
func (s *Service) takeFirst(ctx context.Context, p *progress, i int, settled *contract.BatchSettled) error {
	e, r := p.entries[i], p.records[i]
	column := strings.TrimPrefix(settled.Field, field.LinePrefix)
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		now, err := tx.BatchOf(ctx, r.Ref)
		if err != nil || now == nil || now.Second == nil {
			return err
		}
		set := func(values map[string]string, value string) {
			if delete(values, column); value != "" {
				values[column] = value
			}
		}
		if settled.Line == 0 {
			set(now.Second.Values, r.Values[column])
		} else {
			for len(now.Second.Lines) < settled.Line {
				now.Second.Lines = append(now.Second.Lines, record.Line{Number: 1_000_000 + len(now.Second.Lines), Values: map[string]string{}})
			}
			value := ""
			if settled.Line <= len(r.Lines) {
				value = r.Lines[settled.Line-1].Values[column]
			}
			set(now.Second.Lines[settled.Line-1].Values, value)
		}
		now.SecondDone = e.SecondDone
		return tx.SaveSecond(ctx, *now, by)
	})
}

// takeSecond enters what was keyed the second time into the record, and saves it through its rules.
func (s *Service) takeSecond(ctx context.Context, p *progress, i int, settled *contract.BatchSettled) ([]contract.BatchRefused, error) {
	r, second := p.records[i], p.entries[i].Second
	column := strings.TrimPrefix(settled.Field, field.LinePrefix)
	document := judging.DocumentOf(p.viewer.Kind, r)
	if settled.Line == 0 {
		enter(document.Entered, column, second.Values[column])
	} else {
		value := ""
		if settled.Line <= len(second.Lines) {
			value = second.Lines[settled.Line-1].Values[column]
		}
		if settled.Line > len(document.Lines) {
			document.Lines = append(document.Lines, nextLine(document.Lines))
		}
		enter(document.Lines[min(settled.Line, len(document.Lines))-1].Entered, column, value)
	}
	request := contract.SaveRequest{Document: document, Version: r.Version, Format: settled.Format}
	var err error
	if request.Document.Reasons, err = posting.Reasons(settled.Reasons); err != nil {
		return nil, err
	}
	saved, outcome, err := s.records.Keep(ctx, request)
	if err != nil || saved != nil {
		return nil, err
	}
	return []contract.BatchRefused{{Number: r.Number, Messages: outcome.Messages}}, nil
}

func enter(items map[string]judge.Item, key, value string) {
	if delete(items, key); value != "" {
		items[key] = judge.Item{Value: value}
	}
}

// nextLine is a blank line after others.
func nextLine(lines []judge.Line) judge.Line {
	number := 0
	for i := range lines {
		number = max(number, lines[i].Number)
	}
	return judge.Line{Number: number + 1, Entered: map[string]judge.Item{}}
}
