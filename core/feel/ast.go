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
	id         int // position in the order of reading, for recorded values
	typ        Type
}

func (n *node) Span() (int, int) { return n.start, n.end }
func (n *node) Type() Type       { return n.typ }
func (n *node) base() *node      { return n }

// The nodes. Operators are spelled as in the language.
type (
	// Literal is a number, text, true, false, null or @"…".
	Literal struct {
		node
		Value Value
	}
	// Name is a name of the scope.
	Name struct {
		node
		Text   string
		symbol Symbol
	}
	// Path is Base.Member.
	Path struct {
		node
		Base   Node
		Member string
		symbol *Symbol // set when the member has a slot of its own
		link   *Link   // set when Base is the key of a record elsewhere
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
	}
	// Test is a comparison with the subject of the In around it: "< 5".
	Test struct {
		node
		Operator string
		Operand  Node
	}
	// RangeLiteral is [Low..High] with open or closed ends.
	RangeLiteral struct {
		node
		Low, High         Node
		LowOpen, HighOpen bool
	}
	// If is if Condition then Then else Else.
	If struct {
		node
		Condition, Then, Else Node
	}
	// ListLiteral is [Items].
	ListLiteral struct {
		node
		Items []Node
	}
	// ContextLiteral is {Keys: Values}.
	ContextLiteral struct {
		node
		Keys   []string
		Values []Node
	}
	// Call is a call of a built-in function. ArgumentNames is nil for positional arguments.
	Call struct {
		node
		Function      string
		Arguments     []Node
		ArgumentNames []string
		function      *builtin
		form          []parameter
		nameEnd       int
	}
)

// Children returns the nodes directly below n, in the order of the text.
func Children(n Node) []Node {
	switch n := n.(type) {
	case *Path:
		if n.symbol != nil {
			return nil // the member is read by itself
		}
		return []Node{n.Base}
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
	case *RangeLiteral:
		return []Node{n.Low, n.High}
	case *If:
		return []Node{n.Condition, n.Then, n.Else}
	case *ListLiteral:
		return n.Items
	case *ContextLiteral:
		return n.Values
	case *Call:
		return n.Arguments
	}
	return nil
}

// Walk calls visit for n and every node below it, parents first.
func Walk(n Node, visit func(Node)) {
	visit(n)
	for _, child := range Children(n) {
		Walk(child, visit)
	}
}
