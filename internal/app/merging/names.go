package merging

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

// names knows which rules and tables hold which texts as values.
type names struct {
	by map[string][]named
}

type named struct {
	rule int64 // 0: it is a table
	use  fault.Use
}

// of are the rules and tables that name a number.
func (n *names) of(number string) []named { return n.by[number] }

// quoted finds the texts within formulas.
var quoted = regexp.MustCompile(`"(?:[^"\\]|\\.)*"`)

// allNames reads the rules that are not retired, and the tables. Cost: all of them.
func (s *Service) allNames(ctx context.Context) (*names, error) {
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	n := &names{by: map[string][]named{}}
	for i := range ref.Kinds {
		kind := &ref.Kinds[i]
		book, err := s.base.Cache.SeenBook(ctx, kind.Key)
		if err != nil {
			return nil, err
		}
		wording := ref.Wording(kind, actor.Of(ctx).Format)
		for _, c := range book.Rules {
			if c.State != rule.Retired {
				n.add(named{c.ID, fault.Use{What: "rule", Key: strconv.FormatInt(c.ID, 10), Title: rule.Sentence(c, wording)}}, c.Body)
			}
		}
	}
	for _, t := range ref.Tables.Standing {
		n.add(named{use: fault.Use{What: "standing", Key: t.Field.Key, Title: t.Field.Label}}, t)
	}
	for _, t := range ref.Tables.Crosswalks {
		n.add(named{use: fault.Use{What: "crosswalk", Key: t.Key, Title: t.Label}}, t)
	}
	return n, nil
}

// add notes the texts that a rule or table holds, each once.
func (n *names) add(of named, definition any) {
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
