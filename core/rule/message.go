package rule

import (
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// Piece is a part of a message: a text, or a value of the document.
type Piece struct {
	Text    string
	Program *feel.Program // nil: the text
	// Place is the field of the document whose value it is, and Field that field, also
	// one behind a link; -1 and nil for what is computed.
	Place int
	Field *field.Field
}

// MessageText writes the message of a rule with its values, each shown by show; a null
// one is "blank".
func (c *Compiled) MessageText(values []feel.Value, show func(Piece, feel.Value) string) string {
	var b strings.Builder
	for _, piece := range c.Message {
		switch {
		case piece.Program == nil:
			b.WriteString(piece.Text)
			continue
		case values[0].IsNull():
			b.WriteString("blank")
		default:
			b.WriteString(show(piece, values[0]))
		}
		values = values[1:]
	}
	return b.String()
}

// message reads a message with values in braces: "over the limit of {credit_limit}".
// Two braces are one that is written.
func (c *Compiled) message(text string) {
	wrong := func(start, end int, message string) {
		c.Problems = append(c.Problems, Problem{"message", feel.Problem{Code: "message", Message: message, Start: start, End: end, Line: 1, Column: start + 1}})
	}
	var plain strings.Builder
	flush := func() {
		if plain.Len() > 0 {
			c.Message = append(c.Message, Piece{Text: plain.String(), Place: -1})
			plain.Reset()
		}
	}
	for at := 0; at < len(text); {
		switch {
		case strings.HasPrefix(text[at:], "{{"), strings.HasPrefix(text[at:], "}}"):
			plain.WriteByte(text[at])
			at += 2
		case text[at] == '}':
			wrong(at, at+1, "the } has no { before it; write }} for a brace in the message")
			return
		case text[at] == '{':
			length := strings.IndexByte(text[at:], '}')
			if length < 0 {
				wrong(at, len(text), "the value is not closed: write } after it, or {{ for a brace in the message")
				return
			}
			flush()
			if !c.value(text[at+1:at+length], at+1) {
				return
			}
			at += length + 1
		default:
			plain.WriteByte(text[at])
			at++
		}
	}
	flush()
}

// value adds a value to the message; false when it is none.
func (c *Compiled) value(formula string, at int) bool {
	program, problems := feel.Compile(formula, c.vocabulary.ScopeOf(c.Field), feel.Strict)
	for _, p := range problems {
		if p.Severity == feel.Error {
			p.Start, p.End, p.Line, p.Column = p.Start+at, p.End+at, 1, p.Start+at+1
			p.Message = "in {" + formula + "}: " + p.Message
			c.Problems = append(c.Problems, Problem{"message", p})
		}
	}
	if program == nil {
		return false
	}
	piece := Piece{Program: program, Place: -1}
	if name := c.named(program.Root()); name != nil && name.Single() {
		piece.Field = name.Field
		if slot, ok := feel.SlotOf(program.Root()); ok {
			if read, own := c.vocabulary.ReadAt(slot); own && read.Form == SoFar && !read.List {
				piece.Place = read.Field
			}
		}
	}
	c.Message = append(c.Message, piece)
	return true
}
