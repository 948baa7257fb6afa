package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"codicil/core/finding"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

func findingsCommand() *cobra.Command {
	var book string
	var lines bool
	c := &cobra.Command{
		Use:   "findings --book FILE [--json]",
		Short: "Tell what is wrong with the rules of a book before somebody meets it",
		Long: `Looks for what can happen because of the rules of a book that export wrote, each with a document that
shows it, and for what can never happen, each with the conditions that exclude it. Ends with 1 when something is
found that nobody has silenced. The documents carry the linked records that they are made with.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			kinds, err := standard.Kinds()
			if err != nil {
				return err
			}
			b, err := readBook(c, book)
			if err != nil {
				return err
			}
			tell := sentences(c.OutOrStdout())
			if lines {
				tell = objects(c.OutOrStdout())
			}
			open, err := findings(c.Context(), b, kinds, tell)
			if err == nil && open == 0 && !lines {
				_, err = fmt.Fprintln(c.OutOrStdout(), "Nothing is found.")
			}
			if err == nil && open > 0 {
				c.SilenceErrors = true // the list has said it
				err = errors.New("something is found")
			}
			return err
		},
	}
	c.Flags().StringVar(&book, "book", "", "file that export wrote; - is standard input")
	c.Flags().BoolVar(&lines, "json", false, "write each finding as a line of JSON, with its document")
	_ = c.MarkFlagRequired("book")
	return c
}

// told is a finding as it is written.
type told struct {
	Code      finding.Code    `json:"code"`
	Kind      string          `json:"kind,omitempty"`
	Field     string          `json:"field,omitempty"`
	Table     string          `json:"table,omitempty"`
	Rules     []int64         `json:"rules"`
	Message   string          `json:"message"`
	Because   []string        `json:"because,omitempty"`
	Document  *judge.Document `json:"document,omitempty"`
	Silenced  string          `json:"silenced,omitempty"` // why
	kindLabel string
}

// findings looks at every kind of a book and returns how many findings nobody has silenced.
func findings(ctx context.Context, b *exchange.Book, kinds []record.Kind, tell func(*told) error) (open int, err error) {
	world := b.World(kinds, time.Now)
	silenced := map[string]string{}
	for _, s := range b.Silenced {
		silenced[s.Key] = s.Reason
	}
	var books []*plan.Book
	words := rule.Wording{}
	say := func(f *finding.Finding) {
		one := told{Code: f.Code, Kind: f.Kind, Table: f.Table, Rules: []int64{}, Message: f.Message(words), Because: f.Because(words), Silenced: silenced[f.Key()]}
		for _, c := range f.Rules {
			one.Rules = append(one.Rules, c.ID)
		}
		if f.Field >= 0 {
			one.Field = words.Kind.Fields[f.Field].Key
		}
		if f.Kind != "" {
			one.kindLabel = words.Kind.Label
		}
		if f.Witness != nil {
			one.Document = &f.Witness.Document
		}
		if one.Silenced == "" {
			open++
		}
		if failed := tell(&one); err == nil {
			err = failed
		}
	}
	for i := range kinds {
		finder := world.Finder(kinds[i].Key)
		words.Kind = world.Kind(kinds[i].Key)
		books = append(books, finder.Runner.Book)
		if failed := finder.All(ctx, say); failed != nil {
			return open, failed
		}
	}
	finding.Tables(b.Tables(), books, b.Companies, b.Types, say)
	return open, err
}

// sentences tells findings for people.
func sentences(out io.Writer) func(*told) error {
	return func(t *told) error {
		if t.Silenced != "" {
			return nil
		}
		text := string(t.Code) + ": "
		if t.kindLabel != "" {
			text += t.kindLabel + ", "
		}
		text += t.Message + "\n"
		for _, why := range t.Because {
			text += "    because " + why + "\n"
		}
		if t.Document != nil {
			shown, err := json.Marshal(t.Document)
			if err != nil {
				return err
			}
			text += "    shown by " + string(shown) + "\n"
		}
		_, err := fmt.Fprint(out, text)
		return err
	}
}

// objects tells findings for programs.
func objects(out io.Writer) func(*told) error {
	lines := json.NewEncoder(out)
	return func(t *told) error { return lines.Encode(t) }
}
