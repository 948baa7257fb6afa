// Package reference writes the reference of the formula language as a document, from
// the tables that the help in the application shows. Start reading at Write.
package reference

import (
	"fmt"
	"io"
	"strings"

	"codicil/core/feel"
)

const introduction = `# Formulas

<!-- Written by make generate from the tables of core/feel. Change those. -->

Formulas are written in FEEL, the expression language of the OMG's Decision Model and Notation (DMN) 1.5, chapter 10, with
a few functions of our own. Every example here is a formula that is true; a test computes them all.

## Names

| name | is |
| --- | --- |
| ` + "`amount`, `vendor`" + ` | a field of the header, by its key |
| ` + "`vendor.payment_terms`" + ` | a field of the record that a link names, up to two links away |
| ` + "`line.amount`" + ` | in a rule on a field of the lines: that of the current line |
| ` + "`lines`, `lines.amount`" + ` | all lines, and the list of the values of a column |
| ` + "`entered.x`, `stored.x`" + ` | as typed, and as last saved |
| ` + "`previous.x`, `previous_of_type.x`" + ` | in the document that this person saved last in the company: of the kind, and of the kind and type |
| ` + "`previous_of_anyone.x`" + ` | in the document that anyone saved last in the company, of the kind and type |
| ` + "`standing.x`" + ` | a standing value, for the company on the document's date |
| ` + "`company.x`, `type.x`, `user.x`" + ` | the company, the type and the person |

## Blanks

A field that nobody filled is null. What is computed with null is null, comparing sizes with null is null, and a condition that
is null counts as not true. ` + "`and`" + ` and ` + "`or`" + ` decide where the other side suffices. ` + "`x = \"\"`" + ` is never true of a blank field:
write ` + "`is blank(x)`" + `. What cannot be computed, as a division by zero, is null too, and the rule that asked for it is reported as failed.

## Limits

A formula has 20 000 bytes and 200 levels at most; one evaluation takes half a million steps, about a second, a list has
100 000 items, a text a megabyte. What goes past is null, and says so. Regular expressions are those of XPath, but for
back-references, which are refused when they are written.

## What is written elsewhere

Who writes ` + "`=IF(AND(a;b);1,5;2)`, `x <> y`, `10%`, `24.11.2026`, `x is blank`" + ` or the label of a field is told what it is called here, and
offered the formula that was meant.

`

// Write writes the reference.
func Write(w io.Writer) error {
	var b strings.Builder
	b.WriteString(introduction)
	b.WriteString("## Forms\n")
	table(&b, feel.Forms(), "written")
	b.WriteString("## Functions\n\nFunctions marked * are ours; the standard does not have them.\n")
	table(&b, feel.Functions(), "called")
	_, err := io.WriteString(w, strings.TrimRight(b.String(), "\n")+"\n")
	return err
}

// table writes the entries, with a heading for each chapter.
func table(b *strings.Builder, entries []feel.FunctionHelp, how string) {
	chapter := ""
	for _, e := range entries {
		if e.Chapter != chapter {
			chapter = e.Chapter
			fmt.Fprintf(b, "\n### %s\n\n| name | %s | what it does | example |\n| --- | --- | --- | --- |\n", chapter, how)
		}
		name := e.Name
		if e.Ours {
			name += " *"
		}
		fmt.Fprintf(b, "| %s | %s | %s | %s |\n", name, code(e.Signature), e.Help, code(e.Example))
	}
	b.WriteString("\n")
}

func code(text string) string { return "`" + strings.ReplaceAll(text, "|", `\|`) + "`" }
