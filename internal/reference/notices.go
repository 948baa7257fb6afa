package reference

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"codicil/core/notice"

	// All that defines notices.
	_ "codicil/internal/httpapi"
)

// Notices writes the list of all that the program tells when something is not as it should be.
func Notices(w io.Writer) error {
	var b strings.Builder
	b.WriteString(`# Errors and messages

What the program itself tells a person when something is not as it should be. Over HTTP an error is
` + "`application/problem+json`" + ` with a ` + "`code`" + ` that stays, a ` + "`variant`" + ` where a code has several texts, the
` + "`params`" + ` that the text is made from, and the text in English as ` + "`detail`" + `. Messages of an outcome, problems
of tables and of maps have the same. Codes are given out in ` + "`core/notice`" + `; each package defines its own
beside the code that gives them. Problems of formulas have the code of their kind and a place
(` + "`core/feel`" + `); messages that people write in rules have the code ` + "`rule` or `unique`" + ` and no parameters.

The status follows from what can be done: 400 the request is not what the contract asks, 422 it asks for
something wrong, 404 there is no such thing, 409 somebody changed it meanwhile or it may not be done now,
503 it took too long.

This page is written by ` + "`make generate`" + `.

| code | variant | text |
| --- | --- | --- |
`)
	for _, d := range notice.All() {
		fmt.Fprintf(&b, "| `%s` | %s | %s |\n", d.Code, d.Variant, strings.ReplaceAll(strings.ReplaceAll(d.Text, ":q}", "}"), "|", `\|`))
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// Catalogue writes the texts by key, for the client.
func Catalogue(w io.Writer) error {
	texts := map[string]string{}
	for _, d := range notice.All() {
		texts[d.Key()] = d.Text
	}
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(texts)
}
