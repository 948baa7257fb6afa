package rule

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/match"
	"codicil/core/record"
)

// Family is what a rule does to its field.
type Family string

// The families, each with a station of its own on a value's journey.
const (
	Entry      Family = "entry"
	Source     Family = "source"
	Default    Family = "default"
	Compute    Family = "compute"
	Substitute Family = "substitute"
	Validate   Family = "validate"
	FollowUp   Family = "follow-up"
)

// Families in the order of their stations.
var Families = []Family{Entry, Source, Default, Compute, Substitute, Validate, FollowUp}

// Station returns the place of the family among Families; -1 for no family. It is asked at
// every step of every document, so it does not search.
func (f Family) Station() int {
	switch f {
	case Entry:
		return 0
	case Source:
		return 1
	case Default:
		return 2
	case Compute:
		return 3
	case Substitute:
		return 4
	case Validate:
		return 5
	case FollowUp:
		return 6
	}
	return -1
}

// State is where a rule is in its life.
type State string

// The life of a rule.
const (
	Draft     State = "draft"
	InForce   State = "in force"
	Suspended State = "suspended"
	Retired   State = "retired"
)

// transitions lists where each state may go. A retired rule may be taken up again as a draft.
var transitions = map[State][]State{
	Draft:     {InForce, Retired},
	InForce:   {Suspended, Retired},
	Suspended: {InForce, Retired},
	Retired:   {Draft},
}

// MayBecome tells whether a rule in state s may be put in state next.
func (s State) MayBecome(next State) bool { return slices.Contains(transitions[s], next) }

// Need says whether a field must be filled: an aspect of entry.
type Need string

// A field is required, or optional; "" leaves that to other rules.
const (
	Required Need = "required"
	Optional Need = "optional"
)

// Access says whether a person may type into a field: an aspect of entry.
type Access string

// A field is open, shown and read-only, or not shown; "" leaves that to other rules.
const (
	Open     Access = "open"
	ReadOnly Access = "read-only"
	Hidden   Access = "hidden"
)

// Keying says how often a person keys a new value: an aspect of entry.
type Keying string

// A new value is keyed once, or twice, or may not be lower than the one before: than what is stored, or in a new record than
// what the person saved last of the type. "" leaves that to other rules.
const (
	Once     Keying = "once"
	Twice    Keying = "twice"
	NotLower Keying = "not lower"
)

// Cursor is what the cursor does at a field when a person goes from one to the next.
type Cursor string

// The cursor passes a field over, or the field is a stop that one key jumps to, or the cursor
// goes there in its turn; "" leaves that to other rules.
const (
	InTurn     Cursor = "in turn"
	PassedOver Cursor = "passed over"
	Stop       Cursor = "stop"
)

// SourceMode is how a source holds on to the linked record.
type SourceMode string

// A copied value is taken when the link is set or changes, and a person may change it
// afterwards; a live one is always that of the linked record.
const (
	Copied SourceMode = "copied"
	Live   SourceMode = "live"
)

// MessageTarget is where the message of a validation points, other than to its field.
type MessageTarget string

// A message may point to the whole line of its field, or stand above the document.
const (
	ToLine     MessageTarget = "line"
	ToDocument MessageTarget = "document"
)

// Lifetime says how long a default fills its field.
type Lifetime string

// A default fills its field until the first save only, or whenever it is blank, or also again
// when something in the document changes that it reads, unless a person gave the value.
const (
	NewOnly       Lifetime = "new only"
	WheneverBlank Lifetime = "whenever blank"
	KeepsUp       Lifetime = "keeps up"
)

// Severity is what a validation does when its condition does not hold.
type Severity string

// Refuse stops saving and posting; Confirm lets a person go on with a reason;
// Advise only tells.
const (
	Refuse  Severity = "refuse"
	Confirm Severity = "confirm"
	Advise  Severity = "advise"
)

// Moment is when a document meets its rules.
type Moment string

// The moments of a document.
const (
	Typing  Moment = "typing"
	Saving  Moment = "saving"
	Posting Moment = "posting"
)

// Rule is one statement about one target field.
type Rule struct {
	ID int64 `json:"id"`
	// UID is the same on every installation, 16 hexadecimal digits; "": it has none yet.
	UID     string `json:"uid,omitempty"`
	Version int    `json:"version"` // counts the changes, from 1
	State   State  `json:"state"`
	Name    string `json:"name"`
	// Reason is why the rule was put in force though its proofs do not show it both ways, or
	// though saved records break it; "": neither was so.
	Reason string `json:"reason,omitempty"`
	Body
}

// Body is what a person writes of a rule.
type Body struct {
	Kind   string `json:"kind"`
	Family Family `json:"family"`
	// Target is the key of the field; an entry rule may name a whole section after
	// SectionPrefix; a follow-up names a link of the document and, after a dot, the field of
	// the linked record: "vendor.last_invoice_on", "lines.item.last_sold_on".
	Target string `json:"target"`
	Scope  Scope  `json:"scope"`
	When   string `json:"when"` // formula; "": always
	Effect Effect `json:"effect"`

	// On are the occasions; both false is refused.
	On Occasions `json:"on"`
	// Priority orders rules of one scope: lower goes first.
	Priority int  `json:"priority"`
	Note     Note `json:"note"`
}

// Scope is where a rule applies.
type Scope struct {
	Companies []string   `json:"companies"` // empty: all
	Types     []string   `json:"types"`     // empty: all
	From      record.Day `json:"from"`      // first day, by document date; "": no beginning
	Until     record.Day `json:"until"`     // last day; "": no end
}

// Covers tells whether the scope holds for a document of the company, type and day.
func (s *Scope) Covers(company, kindType string, day record.Day) bool {
	return (len(s.Companies) == 0 || slices.Contains(s.Companies, company)) &&
		(len(s.Types) == 0 || slices.Contains(s.Types, kindType)) &&
		(s.From == "" || s.From <= day) && (s.Until == "" || day <= s.Until)
}

// Width ranks scopes: 0 for company and type, 1 for company, 2 for type, 3 for all.
// The narrower goes first.
func (s *Scope) Width() int {
	width := 0
	if len(s.Companies) == 0 {
		width += 2
	}
	if len(s.Types) == 0 {
		width++
	}
	return width
}

// Effect is what a rule does; which fields count depends on the family.
type Effect struct {
	// Need, Access, Cursor and Keying are the aspects of entry: each is decided by itself, by
	// the first rule that says something of it.
	Need     Need       `json:"need,omitempty"`
	Access   Access     `json:"access,omitempty"`
	Cursor   Cursor     `json:"cursor,omitempty"`
	Keying   Keying     `json:"keying,omitempty"`
	Mode     SourceMode `json:"tie,omitempty"`      // source
	Lifetime Lifetime   `json:"lifetime,omitempty"` // default
	// Fixed keeps people from changing what the default fills in.
	Fixed    bool     `json:"fixed,omitempty"`
	Value    string   `json:"value,omitempty"`    // source, default, compute, substitute: formula
	Series   string   `json:"series,omitempty"`   // default: key of the number series that gives the value
	Must     string   `json:"must,omitempty"`     // validate: formula of what must hold
	Severity Severity `json:"severity,omitempty"` // validate
	Message  string   `json:"message,omitempty"`  // validate: what is wrong and what to do
	// Unique makes a validation one of values that no other record may have; it then has no
	// Must.
	Unique *Unique `json:"unique,omitempty"`
	// Bands of a compute rule sort the finished number. A rule with bands and no Value
	// leaves the number as it is.
	Bands []Band `json:"bands,omitempty"`
	// Points is where the message points; "": to the field.
	Points MessageTarget `json:"points,omitempty"`
	// Moments of a validation; empty: all.
	Moments []Moment `json:"moments,omitempty"`
	// WhenChanged limits a validation to documents in which one of these fields
	// differs from what was last saved; empty: always.
	WhenChanged []string `json:"whenChanged,omitempty"`
}

// Unique says which values no two records may share.
type Unique struct {
	// With are further fields that must be the same too; empty: the target alone.
	With []string `json:"with"`
	// Everywhere compares with the records of all companies; otherwise of the same one.
	Everywhere bool `json:"everywhere"`
	// Ignore are differences that do not count.
	Ignore match.Differences `json:"ignore"`
	// Near finds values of the target that are almost equal too.
	Near bool `json:"near"`
}

// Band is a part of the scale of a number, with its signal.
type Band struct {
	Label string `json:"label"`
	// Until is the upper end, an exact decimal; the last band has none. A band begins where
	// the one before ends, so there are no gaps and no overlaps.
	Until string `json:"until"`
	// Including tells that the upper end itself belongs to this band, not to the next.
	Including bool  `json:"including"`
	Level     Level `json:"tone"`
	Shape     Shape `json:"shape"`
}

// Level is the colour of a signal; how it looks is up to the screen.
type Level string

// The levels of signals, from calm to pressed; plain has none.
const (
	Calm    Level = "calm"
	Fair    Level = "fair"
	Watch   Level = "watch"
	Pressed Level = "pressed"
	Plain   Level = "plain"
)

// Levels lists the levels in the order in which they are offered.
var Levels = []Level{Calm, Fair, Watch, Pressed, Plain}

// Shape is the shape of a signal, so that its meaning never hangs on its colour.
type Shape string

// The shapes of signals.
const (
	Round    Shape = "round"
	Square   Shape = "square"
	Triangle Shape = "triangle"
	Diamond  Shape = "diamond"
	Bar      Shape = "bar"
)

// Shapes lists the shapes in the order in which they are offered.
var Shapes = []Shape{Round, Square, Triangle, Diamond, Bar}

// Occasions say whether a rule runs for new records, for changes of saved ones, or both.
type Occasions struct {
	New    bool `json:"new"`
	Change bool `json:"change"`
}

// Note says who asked for a rule, when and why.
type Note struct {
	AskedBy string     `json:"askedBy"`
	AskedOn record.Day `json:"askedOn"`
	Why     string     `json:"why"`
	// Tags are words by which people find the rule again.
	Tags []string `json:"tags,omitempty"`
}

// Label names a rule for messages and traces: "rule 12".
func (r *Rule) Label() string {
	if r.ID == 0 {
		return "this rule"
	}
	return fmt.Sprintf("rule %d", r.ID)
}

// SectionPrefix begins the target of a rule on all fields of a section.
const SectionPrefix = "section:"

// breadth is 0 for a rule on one field and 1 for one on a whole section.
func (r *Rule) breadth() int {
	if strings.HasPrefix(r.Target, SectionPrefix) {
		return 1
	}
	return 0
}

// Less orders the candidates of one station: narrower scope first, then a rule on the
// field itself before one on its section, then lower priority, then the older rule.
func Less(a, b *Rule) int {
	for _, d := range []int64{int64(a.Scope.Width() - b.Scope.Width()), int64(a.breadth() - b.breadth()), int64(a.Priority - b.Priority), a.ID - b.ID} {
		if d < 0 {
			return -1
		}
		if d > 0 {
			return 1
		}
	}
	return 0
}

// Aspects counts the aspects of entry.
const Aspects = 4

// Says tells whether an entry rule says something of an aspect: need, access, cursor and
// keying are 0 to 3.
func (e *Effect) Says(aspect int) bool {
	return [Aspects]bool{e.Need != "", e.Access != "", e.Cursor != "", e.Keying != ""}[aspect]
}
