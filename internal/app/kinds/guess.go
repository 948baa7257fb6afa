package kinds

import (
	"bytes"
	"context"
	"errors"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"codicil/core/learn"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
)

const (
	// largestGuessed is how large a file may be of which a kind is made, in bytes.
	largestGuessed = 64 << 20
	// rowsGuessed is how many of its rows are looked at.
	rowsGuessed = 5_000
	// samplesGuessed is how many values of a column are shown.
	samplesGuessed = 4
	// general is the section of the fields of the header.
	general = "general"
)

var errEnough = errors.New("enough")

// Guess makes a kind of a spreadsheet: its columns as fields, with the evidence. by is the column whose value the rows of one
// record share; "": it is found out, or with each, each row is a record. Nothing is kept. Cost: the first rows; see learn.Sheet.
func (s *Service) Guess(ctx context.Context, name, by string, each bool, in io.Reader) (contract.KindGuess, error) {
	guess := contract.KindGuess{Columns: []contract.GuessedColumn{}}
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return guess, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return guess, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return guess, err
	}
	data, err := io.ReadAll(io.LimitReader(in, largestGuessed+1))
	if err != nil {
		return guess, err
	}
	if len(data) > largestGuessed {
		return guess, fault.Bad(guessTooLarge, largestGuessed>>20)
	}
	sheet := learn.Sheet{Lists: ref.Tables.Lists, Companies: map[string]string{}}
	open := func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }
	source, err := exchange.Look(name, open, exchange.Source{})
	if err != nil {
		return guess, unreadable(err)
	}
	sheet.Names = source.Columns
	if by != "" || each {
		at := learn.EachRow
		if by != "" {
			if at = slices.Index(sheet.Names, by); at < 0 {
				return guess, fault.Bad(guessColumn, by)
			}
		}
		sheet.By = &at
	}
	var within []bool
	err = source.Each(open, func(r *exchange.Row) error {
		row := make([]string, len(r.Cells))
		for i, c := range r.Cells {
			row[i] = strings.TrimSpace(c.Text)
		}
		within = append(within, r.Within)
		if sheet.Rows = append(sheet.Rows, row); len(sheet.Rows) == rowsGuessed {
			return errEnough
		}
		return ctx.Err()
	})
	if err != nil && !errors.Is(err, errEnough) {
		return guess, unreadable(err)
	}
	if guess.Nested = slices.Contains(within, true); guess.Nested {
		sheet.Within = within
	}
	for i := range ref.Companies {
		c := &ref.Companies[i]
		sheet.Companies[strings.ToLower(c.Key)], sheet.Companies[strings.ToLower(c.Name)] = c.Key, c.Key
	}
	links := s.base.Links(ctx, ref, "")
	sheet.Links = func(values []string) map[string]int {
		found := map[string]int{}
		for i := range ref.Kinds {
			for n, v := range values {
				if links.Missing(ref.Kinds[i].Key, v) == "" {
					found[ref.Kinds[i].Key]++
				} else if n > 20 && found[ref.Kinds[i].Key] == 0 {
					break
				}
			}
		}
		return found
	}
	found := sheet.Guess()
	if err := links.Err(); err != nil {
		return guess, err
	}
	guess.Rows, guess.Looked, guess.Records, guess.Format = source.Rows, len(sheet.Rows), found.Records, found.Format
	if found.By != learn.EachRow {
		guess.By = source.Columns[found.By]
	}
	guess.Kind = kindOf(name, found.Columns)
	for i, c := range found.Columns {
		shown := contract.GuessedColumn{Name: source.Columns[i], Special: contract.GuessedColumnSpecial(c.Special), Field: c.Field, Filled: c.Filled, Different: c.Different, Unique: c.Unique, Line: c.Line, Groups: c.Groups, Evidence: append([]string{}, c.Evidence...), Samples: []string{}}
		if shown.Field.Section = general; c.Line {
			shown.Field.Section = record.LineSection
		}
		for _, row := range sheet.Rows {
			if i < len(row) && row[i] != "" && !slices.Contains(shown.Samples, row[i]) {
				shown.Samples = append(shown.Samples, row[i])
			}
			if len(shown.Samples) == samplesGuessed {
				break
			}
		}
		guess.Columns = append(guess.Columns, shown)
	}
	return guess, nil
}

func unreadable(err error) error {
	var why *exchange.UnreadableError
	if errors.As(err, &why) {
		return fault.Bad(guessUnreadable, why.Why)
	}
	return err
}

// kindOf is the kind of a file's records: called as the file is, its records by the first text that is
// nearly always there and differs.
func kindOf(name string, columns []learn.Column) record.Kind {
	called := strings.TrimSpace(strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)))
	called = strings.ToUpper(called[:min(1, len(called))]) + called[min(1, len(called)):]
	k := record.Kind{Plural: called, Label: strings.TrimSuffix(called, "s"), TypeLabel: "Type", Digits: 4, Title: []string{}, Sections: []record.Section{{Key: general, Label: "General"}}}
	if slices.ContainsFunc(columns, func(c learn.Column) bool { return c.Line }) {
		k.Sections = append(k.Sections, record.Section{Key: record.LineSection, Label: "Lines"})
	}
	for _, c := range columns {
		if len(k.Title) == 0 && !c.Line && c.Special == "" && c.Field.Type == "text" && c.Different*10 >= c.Filled*8 && c.Filled > 0 {
			k.Title = []string{c.Field.Key}
		}
	}
	return k
}
