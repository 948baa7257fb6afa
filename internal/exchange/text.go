package exchange

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"gopkg.in/yaml.v3"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
)

// As text a book is YAML of many documents, one for each thing that it holds: what changes in one rule are lines of one block,
// which a version control system shows side by side. What stands in a block is what stands in the JSON file.

// block is the name of the one key of a document, by the section of the file that it belongs to.
var blocks = []struct{ section, name string }{
	{"companies", "company"}, {"kinds", "kind"}, {"types", "type"}, {"fields", "field"}, {"standing", "standing"}, {"crosswalks", "crosswalk"}, {"series", "series"}, {"lists", "list"},
	{"layouts", "layout"}, {"maps", "map"}, {"rules", "rule"}, {"proofs", "proof"}, {"silenced", "silenced"}, {"removed", "removed"},
}

// WriteText writes the book as text, in an order that does not change when something is added. kinds are the standard ones:
// above every rule stands what it says, as a comment.
func (b *Book) WriteText(w io.Writer, kinds []record.Kind) error {
	sorted := *b
	sorted.Rules, sorted.Proofs = slices.Clone(b.Rules), slices.Clone(b.Proofs)
	slices.SortStableFunc(sorted.Rules, func(a, b rule.Rule) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Target, b.Target), cmp.Compare(a.Family, b.Family), cmp.Compare(a.UID, b.UID), cmp.Compare(a.ID, b.ID))
	})
	slices.SortStableFunc(sorted.Proofs, func(a, b proof.Proof) int {
		return cmp.Or(cmp.Compare(a.Given.Kind, b.Given.Kind), cmp.Compare(a.ID, b.ID))
	})
	f, err := sorted.file()
	if err != nil {
		return err
	}
	encoder := yaml.NewEncoder(w)
	encoder.SetIndent(2)
	put := func(name string, item json.RawMessage, comment string) error {
		node, err := nodeOf(item)
		if err != nil {
			return err
		}
		key := &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: name, HeadComment: comment}
		return encoder.Encode(&yaml.Node{Kind: yaml.DocumentNode, Content: []*yaml.Node{{Kind: yaml.MappingNode, Content: []*yaml.Node{key, node}}}})
	}
	head, err := json.Marshal(textHead{f.Format, f.Version, f.RuleBook, f.Codicil})
	if err != nil {
		return err
	}
	if err := put("book", head, ""); err != nil {
		return err
	}
	sentences := sorted.sentences(kinds)
	for _, s := range blocks {
		if s.section == "fields" {
			for _, kind := range sortedKeys(f.Fields) {
				for _, item := range f.Fields[kind] {
					if err := put(s.name+" of "+kind, item, ""); err != nil {
						return err
					}
				}
			}
			continue
		}
		for i, item := range *f.section(s.section) {
			comment := ""
			if s.section == "rules" {
				comment = sentences[i]
			}
			if err := put(s.name, item, comment); err != nil {
				return err
			}
		}
	}
	return encoder.Close()
}

// textHead is what stands at the top of a book as text.
type textHead struct {
	Format   string       `json:"format"`
	Version  int          `json:"version"`
	RuleBook int64        `json:"ruleBook,omitempty"`
	Codicil  *CodicilHead `json:"codicil,omitempty"`
}

// sentences are what the rules say, in their order.
func (b *Book) sentences(kinds []record.Kind) []string {
	world := b.World(kinds, nil)
	said := make([]string, len(b.Rules))
	for i := range b.Rules {
		r := &b.Rules[i]
		if world.Kind(r.Kind) == nil {
			continue
		}
		for _, c := range world.rules(r.Kind).Rules {
			if c.ID == r.ID {
				said[i] = strings.Join(strings.FieldsFunc(rule.Sentence(c, rule.Wording{}), func(r rune) bool { return !unicode.IsGraphic(r) }), " ")
			}
		}
	}
	return said
}

// nodeOf turns JSON into YAML, with its keys in their order.
func nodeOf(text []byte) (*yaml.Node, error) {
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	return nextNode(decoder)
}

func nextNode(decoder *json.Decoder) (*yaml.Node, error) {
	token, err := decoder.Token()
	if err != nil {
		return nil, err
	}
	switch v := token.(type) {
	case json.Delim:
		node := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
		if v == '[' {
			node = &yaml.Node{Kind: yaml.SequenceNode, Tag: "!!seq"}
		}
		for decoder.More() {
			item, err := nextNode(decoder)
			if err != nil {
				return nil, err
			}
			node.Content = append(node.Content, item)
		}
		if len(node.Content) == 0 {
			node.Style = yaml.FlowStyle
		}
		_, err := decoder.Token()
		return node, err
	case string:
		node := &yaml.Node{}
		node.SetString(v)
		if strings.ContainsFunc(v, func(r rune) bool {
			return r != '\n' && (r < ' ' || r == 0x7f || r == 0x85 || r == 0xfeff || (r >= 0x2028 && r <= 0x2029))
		}) || strings.TrimSpace(v) != v {
			node.Style = yaml.DoubleQuotedStyle
		}
		return node, nil
	case json.Number:
		tag := "!!int"
		if strings.ContainsAny(v.String(), ".eE") {
			tag = "!!float"
		}
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: tag, Value: v.String()}, nil
	case bool:
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: strconv.FormatBool(v)}, nil
	}
	return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!null", Value: "null"}, nil
}

// jsonOf turns YAML into JSON. What is no text, number, truth value or nothing is read as the text that stands there.
func jsonOf(into *bytes.Buffer, node *yaml.Node) error {
	switch node.Kind {
	case yaml.MappingNode:
		into.WriteByte('{')
		for i := 0; i+1 < len(node.Content); i += 2 {
			if i > 0 {
				into.WriteByte(',')
			}
			key := node.Content[i]
			if key.Kind != yaml.ScalarNode {
				return fmt.Errorf("line %d: a key is a text", key.Line)
			}
			name, err := json.Marshal(key.Value)
			if err != nil {
				return err
			}
			into.Write(name)
			into.WriteByte(':')
			if err := jsonOf(into, node.Content[i+1]); err != nil {
				return err
			}
		}
		into.WriteByte('}')
		return nil
	case yaml.SequenceNode:
		into.WriteByte('[')
		for i, item := range node.Content {
			if i > 0 {
				into.WriteByte(',')
			}
			if err := jsonOf(into, item); err != nil {
				return err
			}
		}
		into.WriteByte(']')
		return nil
	case yaml.ScalarNode:
		plain := node.Value
		switch tag := node.ShortTag(); {
		case tag == "!!null":
			plain = "null"
		case tag == "!!bool" && (plain == "true" || plain == "false"):
		case (tag == "!!int" || tag == "!!float") && json.Valid([]byte(plain)):
		default:
			text, err := json.Marshal(node.Value)
			if err != nil {
				return err
			}
			plain = string(text)
		}
		into.WriteString(plain)
		return nil
	}
	return fmt.Errorf("line %d: write out what %q stands for; a book has no references", node.Line, node.Value)
}

// readText reads the text of a book into the parts of its file, and the lines on which they begin, by section.
func readText(text []byte) (f file, lines map[string][]int, err error) {
	decoder := yaml.NewDecoder(bytes.NewReader(text))
	lines = map[string][]int{}
	f.Fields = map[string][]json.RawMessage{}
	begun := false
	for {
		var document yaml.Node
		err := decoder.Decode(&document)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return f, nil, fmt.Errorf("this is no book of rules: %w", err)
		}
		if len(document.Content) == 0 || document.Content[0].ShortTag() == "!!null" {
			continue
		}
		top := document.Content[0]
		if top.Kind != yaml.MappingNode || len(top.Content) != 2 {
			return f, nil, fmt.Errorf("this is no book of rules: the block at line %d does not hold one thing, as “rule:” with its lines below", top.Line)
		}
		var item bytes.Buffer
		if err := jsonOf(&item, top.Content[1]); err != nil {
			return f, nil, fmt.Errorf("this is no book of rules: %w", err)
		}
		name, line := top.Content[0].Value, top.Content[0].Line
		if name == "book" {
			var head textHead
			decoder := json.NewDecoder(&item)
			decoder.DisallowUnknownFields()
			if err := decoder.Decode(&head); err != nil {
				return f, nil, fmt.Errorf("this is no book of rules: line %d: %w", line, inPlace("", err))
			}
			f.Format, f.Version, f.RuleBook, f.Codicil, begun = head.Format, head.Version, head.RuleBook, head.Codicil, true
			continue
		}
		if !begun {
			return f, nil, fmt.Errorf("this is no book of rules: its first block is %q, not “book”", name)
		}
		kind := ""
		if of, is := strings.CutPrefix(name, "field of "); is {
			name, kind = "field", of
		}
		at := slices.IndexFunc(blocks, func(b struct{ section, name string }) bool { return b.name == name })
		switch {
		case at < 0:
			return f, nil, fmt.Errorf("this is no book of rules: there is no block %q (line %d)", name, line)
		case name == "field":
			f.Fields[kind] = append(f.Fields[kind], item.Bytes())
			lines["fields."+kind] = append(lines["fields."+kind], line)
		default:
			section := f.section(blocks[at].section)
			*section = append(*section, item.Bytes())
			lines[blocks[at].section] = append(lines[blocks[at].section], line)
		}
	}
	if !begun {
		return f, nil, errors.New("this is no book of rules: it is empty")
	}
	return f, lines, nil
}
