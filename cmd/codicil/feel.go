package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"codicil/core/feel"
)

const longestLine = 8 << 20 // bytes of one line of a batch

func feelCommand() *cobra.Command {
	var contextFile string
	var batch bool
	c := &cobra.Command{
		Use:   "feel [--context FILE] EXPRESSION | feel --batch",
		Short: "Compute a formula and print its value as JSON",
		Long: `Computes a formula and prints its value as JSON: numbers with all their digits;
dates, times and durations as strings; null as null. What is suspicious in the
formula, and what made a value null, is told on standard error.

The whole of FEEL is known (DMN 1.5, chapter 10); see docs/formulas.md.

With --batch, reads lines {"expression": "...", "context": {...}} on standard
input and writes one line {"value": ...} or {"error": {...}} for each.`,
		Example: `  codicil feel '0.1 + 0.2'
  codicil feel 'for n in 1..5 return n ** 2'
  codicil feel --context order.json 'net total > 1200 and country = "IE"'`,
		Args: func(_ *cobra.Command, args []string) error {
			if batch && (len(args) > 0 || contextFile != "") {
				return errors.New("--batch takes its expressions and contexts from standard input")
			}
			if !batch && len(args) != 1 {
				return errors.New("give one expression, in quotes")
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error {
			if batch {
				return runBatch(c.InOrStdin(), c.OutOrStdout())
			}
			context := []byte("{}")
			if contextFile != "" {
				text, err := os.ReadFile(contextFile)
				if err != nil {
					return err
				}
				context = text
			}
			return runOne(args[0], context, c.OutOrStdout(), c.ErrOrStderr())
		},
	}
	c.Flags().StringVar(&contextFile, "context", "", "JSON file with the names that the expression may use")
	c.Flags().BoolVar(&batch, "batch", false, "read many expressions, one JSON object a line")
	return c
}

// evaluate computes an expression over a JSON object, and tells what is to be warned of.
// The error is a feel.Problem when the expression is wrong.
func evaluate(expression string, context []byte) (value json.RawMessage, warnings []string, err error) {
	data, err := feel.FromJSON(context)
	if err != nil {
		return nil, nil, fmt.Errorf("the context: %w", err)
	}
	if data.Kind() != feel.Context && !data.IsNull() {
		return nil, nil, errors.New("the context must be a JSON object")
	}
	scope, slots := feel.ScopeOf(data)
	program, problems := feel.Compile(expression, scope, feel.Lenient)
	if program == nil {
		return nil, nil, advised(expression, scope, problems)
	}
	now, _ := feel.Compile(`date and time("`+time.Now().Format("2006-01-02T15:04:05")+`")`, nil, feel.Strict)
	frame := &feel.Frame{Slots: slots, Now: now.Eval(&feel.Frame{})}
	value, err = program.Eval(frame).MarshalJSON()
	for _, p := range problems {
		warnings = append(warnings, p.Error())
	}
	for _, f := range frame.Failures {
		warnings = append(warnings, f.Message+": "+expression[f.Start:f.End])
	}
	return value, warnings, err
}

// advised is the first error of an expression, at its place, told as somebody who knows
// spreadsheets understands it, with what was likely meant.
func advised(expression string, scope feel.Scope, problems feel.Problems) error {
	var first feel.Problem
	if !errors.As(problems.Errors(), &first) {
		return problems.Errors()
	}
	better := feel.Advise(expression, scope, feel.Lenient, problems, nil)
	for _, p := range better {
		if p.Severity != feel.Error {
			continue
		}
		if first.Message = p.Message; p.Suggestion != "" {
			first.Message += "; write " + expression[:p.Start] + p.Suggestion + expression[p.End:]
		}
		break
	}
	return first
}

func runOne(expression string, context []byte, out, aside io.Writer) error {
	value, warnings, err := evaluate(expression, context)
	if err != nil {
		return err
	}
	for _, w := range warnings {
		_, _ = fmt.Fprintln(aside, "warning: "+w)
	}
	_, err = fmt.Fprintf(out, "%s\n", value)
	return err
}

type batchError struct {
	Message string `json:"message"`
	Line    int    `json:"line"`
	Column  int    `json:"column"`
}

func runBatch(in io.Reader, out io.Writer) error {
	lines := bufio.NewScanner(in)
	lines.Buffer(nil, longestLine)
	buffered := bufio.NewWriter(out)
	encoder := json.NewEncoder(buffered)
	encoder.SetEscapeHTML(false)
	for lines.Scan() {
		if len(bytes.TrimSpace(lines.Bytes())) == 0 {
			continue
		}
		if err := encoder.Encode(answer(lines.Bytes())); err != nil {
			return err
		}
		if err := buffered.Flush(); err != nil { // who asks line by line waits for the answer
			return err
		}
	}
	return lines.Err()
}

func answer(line []byte) any {
	var ask struct {
		Expression *string         `json:"expression"`
		Context    json.RawMessage `json:"context"`
	}
	err := json.Unmarshal(line, &ask)
	if err == nil && ask.Expression == nil {
		err = errors.New(`"expression" is missing`)
	}
	var value json.RawMessage
	if err == nil {
		if ask.Context == nil {
			ask.Context = json.RawMessage("{}")
		}
		value, _, err = evaluate(*ask.Expression, ask.Context)
	}
	if err == nil {
		return struct {
			Value json.RawMessage `json:"value"`
		}{value}
	}
	wrong := batchError{Message: strings.TrimSpace(err.Error()), Line: 1, Column: 1}
	var problem feel.Problem
	if errors.As(err, &problem) {
		wrong = batchError{problem.Message, problem.Line, problem.Column}
	}
	return struct {
		Error batchError `json:"error"`
	}{wrong}
}
