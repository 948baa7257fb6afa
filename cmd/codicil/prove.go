package main

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

func proveCommand() *cobra.Command {
	var from source
	var junit string
	var strength bool
	c := &cobra.Command{
		Use:   "prove (--book FILE | --data FILE [--rules RULES]) [--junit FILE]",
		Short: "Run all proofs of a rule book",
		Long: `Runs every proof of a book that export wrote against its rules, tells which fail and how they
differ, and how many of the rules in force are proved both ways. Ends with 1 when a proof fails or can no longer be
run. The proofs carry the linked records, standing values and crosswalk rows that they were kept with.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			kinds, err := standard.Kinds()
			if err != nil {
				return err
			}
			b, err := from.read(c)
			if err != nil {
				return err
			}
			proved, err := prove(c.Context(), b, kinds, strength)
			if err != nil {
				return err
			}
			if junit != "" {
				if err := output(c, junit, func(w io.Writer) error { return writeJUnit(w, proved) }); err != nil {
					return err
				}
			}
			failed, err := summarise(c.OutOrStdout(), proved)
			if err == nil && failed > 0 {
				c.SilenceErrors = true // the summary has said it
				err = errors.New("a proof fails")
			}
			return err
		},
	}
	from.flags(c)
	c.Flags().StringVar(&junit, "junit", "", "file to write the results to as JUnit XML")
	c.Flags().BoolVar(&strength, "strength", false, "also measure how many slightly wrong versions of each rule the proofs notice")
	return c
}

// proved is what came of the proofs of one kind.
type proved struct {
	kind      *record.Kind
	results   []proof.Result
	took      time.Duration
	confirmed []proof.Confirmation
	strengths []proof.Strength
}

func prove(ctx context.Context, b *exchange.Book, kinds []record.Kind, strength bool) (list []proved, err error) {
	world := b.World(kinds, time.Now)
	for i := range kinds {
		kind := world.Kind(kinds[i].Key)
		var proofs []proof.Proof
		for _, p := range b.Proofs {
			if p.Given.Kind == kind.Key {
				proofs = append(proofs, p)
			}
		}
		if len(proofs) == 0 {
			continue
		}
		runner := world.Runner(kind.Key)
		begun := time.Now()
		one := proved{kind: kind}
		if one.results, err = runner.RunAll(ctx, proofs, nil); err != nil {
			return nil, err
		}
		one.took = time.Since(begun)
		one.confirmed = proof.Confirm(runner.Book, one.results)
		if strength {
			var rules []*rule.Compiled
			for _, c := range one.confirmed {
				rules = append(rules, c.Rule)
			}
			if one.strengths, err = runner.Measure(ctx, rules, one.results, nil); err != nil {
				return nil, err
			}
		}
		list = append(list, one)
	}
	return list, nil
}

// summarise tells the results for people, and how many proofs fail.
func summarise(out io.Writer, list []proved) (failed int, err error) {
	say := func(format string, values ...any) {
		if err == nil {
			_, err = fmt.Fprintf(out, format, values...)
		}
	}
	for _, one := range list {
		broken := 0
		for i := range one.results {
			r := &one.results[i]
			if r.Held() {
				continue
			}
			broken++
			say("FAILS  %s, proof %d: %s\n", one.kind.Label, r.Proof.ID, r.Proof.Name)
			for _, line := range differences(r) {
				say("       %s\n", line)
			}
		}
		both := 0
		for i := range one.confirmed {
			if one.confirmed[i].State == proof.ProvedBoth {
				both++
			}
		}
		say("%s: %d of %d proofs pass; %d of %d rules are proved both ways", one.kind.Plural, len(one.results)-broken, len(one.results), both, len(one.confirmed))
		if one.strengths != nil {
			mutants, noticed := 0, 0
			for i := range one.strengths {
				mutants, noticed = mutants+one.strengths[i].Mutants, noticed+one.strengths[i].Noticed()
			}
			say("; %d of %d slightly wrong versions are noticed", noticed, mutants)
		}
		say("\n")
		failed += broken
	}
	if len(list) == 0 {
		say("The book has no proofs.\n")
	}
	return failed, err
}

// differences say in what a proof fails.
func differences(r *proof.Result) (lines []string) {
	if r.Err != nil {
		return []string{"cannot be run: " + r.Err.Error()}
	}
	shown := func(text string) string {
		if text == "" {
			return "nothing"
		}
		return text
	}
	for _, d := range r.Differences {
		what := d.What
		if d.Field != "" {
			what += " of " + d.Field
		}
		lines = append(lines, fmt.Sprintf("%s: expected %s, came out %s", what, shown(d.Expected), shown(d.Actual)))
	}
	return lines
}

// The JUnit XML that continuous integration reads: a suite for each kind, a case for each proof.
type (
	junitSuites struct {
		XMLName  xml.Name     `xml:"testsuites"`
		Tests    int          `xml:"tests,attr"`
		Failures int          `xml:"failures,attr"`
		Suites   []junitSuite `xml:"testsuite"`
	}
	junitSuite struct {
		Name     string      `xml:"name,attr"`
		Tests    int         `xml:"tests,attr"`
		Failures int         `xml:"failures,attr"`
		Errors   int         `xml:"errors,attr"`
		Time     string      `xml:"time,attr"`
		Cases    []junitCase `xml:"testcase"`
	}
	junitCase struct {
		Class   string     `xml:"classname,attr"`
		Name    string     `xml:"name,attr"`
		Failure *junitSaid `xml:"failure,omitempty"`
		Error   *junitSaid `xml:"error,omitempty"`
	}
	junitSaid struct {
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
)

func writeJUnit(out io.Writer, list []proved) error {
	all := junitSuites{}
	for _, one := range list {
		suite := junitSuite{Name: one.kind.Plural, Time: fmt.Sprintf("%.3f", one.took.Seconds())}
		for i := range one.results {
			r := &one.results[i]
			c := junitCase{Class: one.kind.Key + "." + r.Proof.Given.Company + "." + r.Proof.Given.Type, Name: r.Proof.Name}
			if !r.Held() {
				lines := differences(r)
				said := &junitSaid{Message: lines[0]}
				for _, line := range lines {
					said.Text += line + "\n"
				}
				if r.Err != nil {
					c.Error = said
					suite.Errors++
				} else {
					c.Failure = said
					suite.Failures++
				}
			}
			suite.Cases = append(suite.Cases, c)
		}
		suite.Tests = len(suite.Cases)
		all.Tests, all.Failures = all.Tests+suite.Tests, all.Failures+suite.Failures
		all.Suites = append(all.Suites, suite)
	}
	if _, err := io.WriteString(out, xml.Header); err != nil {
		return err
	}
	encoder := xml.NewEncoder(out)
	encoder.Indent("", "  ")
	if err := encoder.Encode(all); err != nil {
		return err
	}
	_, err := io.WriteString(out, "\n")
	return err
}
