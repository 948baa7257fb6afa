package feel

// Node is one node of a formula's tree. Nodes are read-only for callers.
type Node interface {
	// Span returns the byte offsets of the node in the formula; end is exclusive.
	Span() (start, end int)
	// Type returns the type that the check found; Any before the check.
	Type() Type
	base() *node
}

type node struct {
	start, end int
	from       int // start, with the parentheses around the node
	id         int // position in the order of reading, for recorded values
	typ        Type
}

func (n *node) Span() (int, int) { return n.start, n.end }
func (n *node) Type() Type       { return n.typ }
func (n *node) base() *node      { return n }

// Input is the name of the value that unary tests test: ?.
const Input = "?"

// The nodes. Operators are spelled as in the language.
type (
	// Literal is a number, text, true, false, null or @"…".
	Literal struct {
		node
		Value Value
	}
	// Name is a name of the scope or of a surrounding expression, or a function by
	// its name.
	Name struct {
		node
		Text string
		reading
	}
	// Path is Base.Member.
	Path struct {
		node
		Base   Node
		Member string
		symbol *Symbol // set when the member has a slot of its own
		link   *Link   // set when Base is the key of a record elsewhere
	}
	// Filter is Base[Condition], by condition or by position.
	Filter struct {
		node
		Base, Condition Node
		item            int // the local that holds the item
	}
	// Negate is −Operand.
	Negate struct {
		node
		Operand Node
	}
	// Binary is Left Operator Right for + - * / ** = != < <= > >= and or.
	Binary struct {
		node
		Operator    string
		Left, Right Node
	}
	// Between is Subject between Low and High, both ends included.
	Between struct {
		node
		Subject, Low, High Node
	}
	// In is Subject in (Tests): true when one of the tests is.
	In struct {
		node
		Subject Node
		Tests   []Node
		input   int // the local that holds the subject; -1: no test names it
	}
	// Test is a comparison without its left side: "< 5". After in it compares the
	// subject; elsewhere it is the range of the values for which it holds.
	Test struct {
		node
		Operator string
		Operand  Node
	}
	// Not holds the unary tests not(Tests): true when none of the tests is. It
	// stands only as the test of an In that CompileTests made.
	Not struct {
		node
		Tests []Node
	}
	// RangeLiteral is [Low..High] with open or closed ends.
	RangeLiteral struct {
		node
		Low, High         Node
		LowOpen, HighOpen bool
	}
	// InstanceOf is Operand instance of Wanted.
	InstanceOf struct {
		node
		Operand Node
		Wanted  Type
		written string // the type as it was written, in one form
	}
	// If is if Condition then Then else Else.
	If struct {
		node
		Condition, Then, Else Node
	}
	// For is for Iterators return Body.
	For struct {
		node
		Iterators []Iterator
		Body      Node
		partial   int // the local that holds the results so far; -1: the body does not name them
	}
	// Quantified is some or every Iterators satisfies Condition.
	Quantified struct {
		node
		Every     bool
		Iterators []Iterator
		Condition Node
	}
	// ListLiteral is [Items].
	ListLiteral struct {
		node
		Items []Node
	}
	// ContextLiteral is {Keys: Values}. An entry may use those before it.
	ContextLiteral struct {
		node
		Keys   []string
		Values []Node
		first  int // the local of the first entry; the others follow
	}
	// Definition is function(Parameters) Body.
	Definition struct {
		node
		Parameters []Parameter
		Body       Node
		first      int // the local of the first parameter; the others follow
		size       int // locals that a call of it needs
		cost       int // steps of a call
	}
	// Call is a call of a function. ArgumentNames is nil for positional arguments.
	Call struct {
		node
		// Function is the name of a built-in function; "" when Callee is called.
		Function      string
		Callee        Node
		Arguments     []Node
		ArgumentNames []string
		function      *builtin
		form          []parameter
		table         *Table   // of a crosswalk
		pattern       *pattern // a regular expression that is written in the formula
		nameEnd       int
	}
)

// Iterator is one "Name in Domain" of for, some and every. To is the end of a
// domain written Domain..To; nil for a list.
type Iterator struct {
	Name       string
	Domain, To Node
	local      int
}

// Parameter is a parameter of a function that a formula defines.
type Parameter struct {
	Name    string
	Type    Type
	written string // the type as it was written; "" without one
}

// reading is where the value of a name stands.
type reading struct {
	symbol   Symbol
	local    int      // place among the locals; -1: elsewhere
	function *builtin // a function by its name
	// maybe are locals whose entries come first where they have one of that name:
	// the items of filters of which nothing is known before.
	maybe []int
}

// Children returns the nodes directly below n, in the order of the text.
func Children(n Node) []Node {
	switch n := n.(type) {
	case *Path:
		if n.symbol != nil {
			return nil // the member is read by itself
		}
		return []Node{n.Base}
	case *Filter:
		return []Node{n.Base, n.Condition}
	case *Negate:
		return []Node{n.Operand}
	case *Binary:
		return []Node{n.Left, n.Right}
	case *Between:
		return []Node{n.Subject, n.Low, n.High}
	case *In:
		return append([]Node{n.Subject}, n.Tests...)
	case *Test:
		return []Node{n.Operand}
	case *Not:
		return n.Tests
	case *RangeLiteral:
		return []Node{n.Low, n.High}
	case *InstanceOf:
		return []Node{n.Operand}
	case *If:
		return []Node{n.Condition, n.Then, n.Else}
	case *For:
		return append(domains(n.Iterators), n.Body)
	case *Quantified:
		return append(domains(n.Iterators), n.Condition)
	case *ListLiteral:
		return n.Items
	case *ContextLiteral:
		return n.Values
	case *Definition:
		return []Node{n.Body}
	case *Call:
		if n.Callee != nil {
			return append([]Node{n.Callee}, n.Arguments...)
		}
		return n.Arguments
	}
	return nil
}

func domains(iterators []Iterator) (nodes []Node) {
	for _, i := range iterators {
		nodes = append(nodes, i.Domain)
		if i.To != nil {
			nodes = append(nodes, i.To)
		}
	}
	return nodes
}

// Walk calls visit for n and every node below it, parents first.
func Walk(n Node, visit func(Node)) {
	visit(n)
	for _, child := range Children(n) {
		Walk(child, visit)
	}
}
