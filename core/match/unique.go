package match

import "slices"

// Unique says what must not be twice among the records of a kind.
type Unique struct {
	// Fields are the keys of those that must be the same together, the first one's values being compared
	// as names where Near is true. Those of lines have the prefix of lines.
	Fields []string `json:"fields"`
	// Everywhere compares with the records of all companies; otherwise of the same one.
	Everywhere bool        `json:"everywhere"`
	Ignore     Differences `json:"ignore"`
	// Near finds values of the first field that are almost equal too.
	Near bool `json:"near"`
}

// Same tells whether two say the same.
func (u Unique) Same(o Unique) bool {
	return u.Everywhere == o.Everywhere && u.Near == o.Near && slices.Equal(u.Fields, o.Fields) && slices.Equal(u.Ignore, o.Ignore)
}
