package judging

import (
	"context"
	"encoding/json"
	"regexp"
	"strconv"

	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/codec"
	"codicil/internal/fault"
)

// Names knows which rules, tables and proofs hold which texts as values.
type Names struct {
	by map[string][]Named
}

// Named is a rule, table or proof that holds a text as a value.
type Named struct {
	Rule int64  // 0: it is none
	Kind string // of the rule or proof; "": it is a table
	Use  fault.Use
}

// Of are the rules, tables and proofs that name a text.
func (n *Names) Of(text string) []Named { return n.by[text] }

// quoted finds the texts within formulas.
var quoted = regexp.MustCompile(`"(?:[^"\\]|\\.)*"`)

// Named reads the rules that are not retired, and the tables; on demand also the proofs. Cost: all of
// them.
func (s *Service) Named(ctx context.Context, proofs bool) (*Names, error) {
	ref, err := s.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	n := &Names{by: map[string][]Named{}}
	for i := range ref.Kinds {
		kind := &ref.Kinds[i]
		book, err := s.Cache.SeenBook(ctx, kind.Key)
		if err != nil {
			return nil, err
		}
		wording := ref.Wording(kind, actor.Of(ctx).Format)
		for _, c := range book.Rules {
			if c.State != rule.Retired {
				n.add(Named{c.ID, kind.Key, fault.Use{What: "rule", Key: strconv.FormatInt(c.ID, 10), Title: rule.Sentence(c, wording)}}, c.Body)
			}
		}
		if !proofs {
			continue
		}
		kept, err := s.Store.Proofs(ctx, kind.Key)
		if err != nil {
			return nil, err
		}
		for j := range kept {
			n.add(Named{Kind: kind.Key, Use: fault.Use{What: "proof", Key: strconv.FormatInt(kept[j].ID, 10), Title: kept[j].Name}}, kept[j].Given)
		}
	}
	for _, t := range ref.Tables.Standing {
		n.add(Named{Use: fault.Use{What: "standing", Key: t.Field.Key, Title: t.Field.Label}}, t)
	}
	for _, t := range ref.Tables.Crosswalks {
		n.add(Named{Use: fault.Use{What: "crosswalk", Key: t.Key, Title: t.Label}}, t)
	}
	return n, nil
}

// add notes the texts that a rule, table or proof holds, each once.
func (n *Names) add(of Named, definition any) {
	text, err := codec.Write(definition)
	if err != nil {
		return // it is kept, so it can be written
	}
	var tree any
	if json.Unmarshal(text, &tree) != nil {
		return
	}
	seen := map[string]bool{}
	note := func(text string) {
		if text != "" && !seen[text] {
			seen[text] = true
			n.by[text] = append(n.by[text], of)
		}
	}
	var walk func(any)
	walk = func(v any) {
		switch v := v.(type) {
		case string:
			note(v)
			for _, literal := range quoted.FindAllString(v, -1) {
				if text, err := strconv.Unquote(literal); err == nil {
					note(text)
				}
			}
		case []any:
			for _, one := range v {
				walk(one)
			}
		case map[string]any:
			for _, one := range v {
				walk(one)
			}
		}
	}
	walk(tree)
}
