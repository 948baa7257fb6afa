package feel

// Type is what is known of a value before the formula runs. Every type also has null.
type Type struct {
	Kind Kind
	// Element is the type of a list's items or a range's ends; nil: anything.
	Element *Type
	// Entries are the types of a context's entries; nil: not known.
	Entries map[string]Type
	// Parameters and Result are the types of a function; nil: not known.
	Parameters []Type
	Result     *Type
	// Percent tells of a number that it is a share: 0.05 for 5 %.
	Percent bool
	// Link makes a string the key of a record elsewhere, whose fields can be read
	// through it; nil: a string like any other.
	Link *Link
}

// Link is what is known of the records that a key names.
type Link struct {
	// Kind is the kind of record that the key names.
	Kind string
	// Fields returns the types of the record's fields. It is a function because
	// two kinds may link to each other.
	Fields func() map[string]Type
	// Label returns the name that people know of a field of the record, for help; nil, or "":
	// there is none.
	Label func(field string) string
}

// Linked finds the values of records that links name.
type Linked interface {
	// Follow returns a field of the record; null when there is no such record.
	Follow(kind, key, field string) Value
}

// LinkDepth is how many links a path may follow.
const LinkDepth = 2

// Plain types.
var (
	AnyType     = Type{Kind: Any}
	NumberType  = Type{Kind: Number}
	StringType  = Type{Kind: String}
	BooleanType = Type{Kind: Boolean}
	DateType    = Type{Kind: Date}
	anyList     = Type{Kind: List}
)

// ListType returns the type of lists of the element.
func ListType(element Type) Type { return Type{Kind: List, Element: &element} }

// String returns the type in the words of the standard: "list of number".
func (t Type) String() string {
	if t.Element != nil && t.Element.Kind != Any {
		return t.Kind.String() + " of " + t.Element.String()
	}
	return t.Kind.String()
}

// Fits tells whether a value of type t can stand where want is wanted.
func (t Type) Fits(want Type) bool {
	if t.Kind == Any || want.Kind == Any || t.Kind == Null {
		return true
	}
	if t.Kind != want.Kind {
		return false
	}
	if t.Kind == Context && t.Entries != nil {
		for key, wanted := range want.Entries {
			if entry, found := t.Entries[key]; !found || !entry.Fits(wanted) {
				return false
			}
		}
	}
	return t.Element == nil || want.Element == nil || t.Element.Fits(*want.Element)
}

func (t Type) element() Type {
	if t.Element != nil {
		return *t.Element
	}
	return AnyType
}

// common returns the narrowest type that both fit.
func common(a, b Type) Type {
	switch {
	case a.Kind == Null:
		return b
	case b.Kind == Null:
		return a
	case a.Kind != b.Kind:
		return AnyType
	case a.Kind == List || a.Kind == Range:
		element := common(a.element(), b.element())
		return Type{Kind: a.Kind, Element: &element}
	case a.Fits(b):
		return b
	case b.Fits(a):
		return a
	}
	return Type{Kind: a.Kind}
}

// TypeOf returns the type of a value.
func TypeOf(v Value) Type {
	switch v.kind {
	case List:
		element := Type{Kind: Null}
		for _, item := range v.items() {
			element = common(element, TypeOf(item))
		}
		return ListType(element)
	case Context:
		entries := map[string]Type{}
		for i, key := range v.entries().Keys {
			entries[key] = TypeOf(v.entries().Values[i])
		}
		return Type{Kind: Context, Entries: entries}
	case Function:
		return v.callee().typ()
	case Range:
		element := common(TypeOf(v.bounds().Low), TypeOf(v.bounds().High))
		return Type{Kind: Range, Element: &element}
	}
	return Type{Kind: v.kind}
}

// Symbol is what a name of the scope stands for.
type Symbol struct {
	// Slot is the place of the value in Frame.Slots, or, from RowSlot on, in
	// Frame.Row. Below 0 the symbol has no value of its own, only members.
	Slot int
	Type Type
	// Label is the name that people know, for messages and help; may be "".
	Label string
	// Members are names behind the name, each with a slot of its own (entered.x,
	// lines.x).
	Members map[string]Symbol
	// Tables are the tables that the function of this name looks up in.
	Tables map[string]Table
}

// Table is what is known of a table that formulas look up in.
type Table struct {
	// Keys are the types of its key columns.
	Keys []Type
	// Columns are the types of its result columns; First is that which a lookup
	// without a column gives.
	Columns map[string]Type
	First   string
}

// Tables finds values in tables.
type Tables interface {
	// Lookup returns the value of a column in the row of the keys; false when the
	// table has no such row.
	Lookup(table string, keys []Value, column string) (Value, bool)
}

// RowSlot is the first slot of Frame.Row.
const RowSlot = 1 << 20

// Scope holds the names that a formula may use.
type Scope map[string]Symbol

func (s Scope) names() []string {
	names := make([]string, 0, len(s))
	for name, symbol := range s {
		names = append(names, name)
		names = append(names, Scope(symbol.Members).names()...)
		names = append(names, entryNames(symbol.Type)...)
	}
	return names
}

func entryNames(t Type) (names []string) {
	for name, entry := range t.Entries {
		names = append(append(names, name), entryNames(entry)...)
	}
	if t.Element != nil {
		names = append(names, entryNames(*t.Element)...)
	}
	return names
}
