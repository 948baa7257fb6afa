package feel

// Type is what is known of a value before the formula runs. Every type also has null.
type Type struct {
	Kind Kind
	// Element is the type of a list's items or a range's ends; nil: anything.
	Element *Type
	// Entries are the types of a context's entries; nil: not known.
	Entries map[string]Type
}

// Plain types.
var (
	AnyType     = Type{Kind: Any}
	NumberType  = Type{Kind: Number}
	StringType  = Type{Kind: String}
	BooleanType = Type{Kind: Boolean}
	DateType    = Type{Kind: Date}
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
	return t.Element == nil || want.Element == nil || t.Element.Fits(*want.Element)
}

func (t Type) element() Type {
	if t.Element != nil {
		return *t.Element
	}
	return AnyType
}

// common returns a type that both fit: theirs, or anything.
func common(a, b Type) Type {
	switch {
	case a.Kind == Null:
		return b
	case b.Kind == Null, a.Fits(b) && a.Kind != Any:
		return a
	}
	return AnyType
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
	case Range:
		element := common(TypeOf(v.bounds().Low), TypeOf(v.bounds().High))
		return Type{Kind: Range, Element: &element}
	}
	return Type{Kind: v.kind}
}

// Symbol is what a name of the scope stands for.
type Symbol struct {
	// Slot is the place of the value in Frame.Slots.
	Slot int
	Type Type
	// Label is the name that people know, for messages and help; may be "".
	Label string
	// Members makes the symbol a namespace: it has no value of its own, only
	// its members have (entered.x, stored.x).
	Members map[string]Symbol
}

// Scope holds the names that a formula may use.
type Scope map[string]Symbol

func (s Scope) names() []string {
	names := make([]string, 0, len(s))
	for name, symbol := range s {
		names = append(names, name)
		for member := range symbol.Members {
			names = append(names, member)
		}
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
