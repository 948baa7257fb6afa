package rule

import (
	"codicil/core/field"
	"strings"
)

func init() {
	families[FollowUp] = conduct{
		check: (*Compiled).checkFollowUp,
		phrase: func(t telling) string {
			return t.remoteLabel() + " becomes " + t.value()
		},
		deed: func(t telling, label string) string {
			return "after posting set " + label + " to " + t.value()
		},
		subject: func(telling) string { return "" },
		always:  true,
	}
}

// remote finds the field of a linked record that a target names, and the place of the
// link; -1 when there is none.
func (v *Vocabulary) remote(target string) (place int, fd *field.Field) {
	dot := strings.LastIndexByte(target, '.')
	if dot < 0 {
		return -1, nil
	}
	place = v.Kind.Index(target[:dot])
	if place < 0 || !v.Kind.Fields[place].IsLink() {
		return -1, nil
	}
	for i := range v.kinds {
		if v.kinds[i].Key == v.Kind.Fields[place].Kind {
			if f := v.kinds[i].Field(target[dot+1:]); f != nil && !f.OfLine() {
				return place, f
			}
		}
	}
	return -1, nil
}

// checkFollowUp checks a rule on a field of a linked record.
func (c *Compiled) checkFollowUp(complain complaint) {
	if !c.vocabulary.Kind.Posted {
		complain("target", "a %s is saved and never posted, so nothing follows its posting", c.vocabulary.Kind.Noun())
		complain("family", "a %s is never posted, so nothing follows", c.vocabulary.Kind.Noun())
	}
	if c.Remote == nil {
		complain("target", "a follow-up writes a field of a linked record; choose a link and the field behind it")
		return
	}
	c.Value = c.formula("value", c.Effect.Value)
}
