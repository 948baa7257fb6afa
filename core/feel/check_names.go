package feel

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// name resolves a name: that of a surrounding expression, innermost first, then
// of the scope, then of a function.
func (c *checker) name(n *Name) Type {
	n.reading = reading{symbol: Symbol{Slot: -1}, local: -1}
	for i := len(c.locals) - 1; i >= 0; i-- {
		l := &c.locals[i]
		_, entry := l.typ.Entries[n.Text]
		if l.name == n.Text && !(l.item && entry) {
			l.used = true
			n.local = i
			return c.known(n, l.typ)
		}
		if !l.item {
			continue
		}
		if t, found := l.typ.Entries[n.Text]; found {
			l.used = true
			n.maybe = append(n.maybe, i)
			return c.known(n, t)
		}
		if l.typ.Kind == Any || (l.typ.Kind == Context && l.typ.Entries == nil) {
			l.used = true
			n.maybe = append(n.maybe, i)
		}
	}
	if symbol, found := c.scope[n.Text]; found && symbol.Tables == nil {
		n.symbol = symbol
		if symbol.Slot < 0 {
			c.report(n, Error, "unknown-name", "", "%s is a group of names: write %s.%s", n.Text, n.Text, firstName(symbol.Members))
		}
		return c.known(n, symbol.Type)
	}
	if function, found := builtins[n.Text]; found {
		n.function = function
		return c.known(n, Type{Kind: Function})
	}
	if len(n.maybe) > 0 {
		return AnyType
	}
	c.unknownName(n)
	return AnyType
}

// known is the type of a name; what an item may have instead is not known.
func (c *checker) known(n *Name, t Type) Type {
	if len(n.maybe) > 1 || (len(n.maybe) == 1 && n.symbol.Slot >= 0) || (len(n.maybe) == 1 && (n.local >= 0 || n.function != nil)) {
		return AnyType
	}
	return t
}

func firstName(members map[string]Symbol) string { return sortedNames(members)[0] }

func (c *checker) unknownName(n *Name) {
	if n.Text == Input {
		c.report(n, Error, "unknown-name", "", "? is the value that a test after in tests; here is none")
		return
	}
	candidates := sortedNames(c.scope)
	for _, l := range c.locals {
		candidates = append(candidates, l.name)
		if l.item {
			candidates = append(candidates, sortedNames(l.typ.Entries)...)
		}
	}
	for _, name := range candidates {
		if label := c.scope[name].Label; label != "" && strings.EqualFold(label, n.Text) {
			c.report(n, Error, "unknown-name", name, "there is no field %q; the field %s is written %s", n.Text, label, name)
			return
		}
	}
	near := nearest(n.Text, candidates)
	if near != "" {
		c.report(n, Error, "unknown-name", near, "there is no field or name %q; did you mean %s?", n.Text, near)
		return
	}
	hint := ""
	if !strings.Contains(n.Text, " ") {
		hint = fmt.Sprintf("; if it is a text, write it in quotes: %q", n.Text)
	}
	c.report(n, Error, "unknown-name", "", "there is no field or name %q%s", n.Text, hint)
}

func (c *checker) path(n *Path) Type {
	if group, name := c.group(n.Base); group != nil {
		member, found := group.Members[n.Member]
		if !found && group.Slot >= 0 { // a list with columns of its own, and what else a list has
			return c.member(n, c.check(n.Base))
		}
		if !found {
			c.missing(n, sortedNames(group.Members), "there is no %s.%s", name, n.Member)
			return AnyType
		}
		n.symbol = &member
		if member.Slot < 0 {
			c.report(n, Error, "unknown-name", "", "%s.%s is a group of names: write %s.%s.%s", name, n.Member, name, n.Member, firstName(member.Members))
		}
		return member.Type
	}
	return c.member(n, c.check(n.Base))
}

// group returns the symbol with members that a node stands for, and its name;
// nil when it stands for none.
func (c *checker) group(n Node) (*Symbol, string) {
	switch n := n.(type) {
	case *Name:
		hidden := slices.ContainsFunc(c.locals, func(l local) bool {
			_, entry := l.typ.Entries[n.Text]
			return l.name == n.Text || (l.item && entry)
		})
		if symbol, found := c.scope[n.Text]; found && symbol.Members != nil && !hidden {
			return &symbol, n.Text
		}
	case *Path:
		if outer, name := c.group(n.Base); outer != nil {
			if symbol, found := outer.Members[n.Member]; found && symbol.Members != nil {
				return &symbol, name + "." + n.Member
			}
		}
	}
	return nil, ""
}

// follow finds the type of a field behind a link.
func (c *checker) follow(n *Path, link *Link) Type {
	depth := 0
	for base := Node(n); ; depth++ {
		path, ok := base.(*Path)
		if !ok || (path != n && path.link == nil) {
			break
		}
		base = path.Base
	}
	if depth > LinkDepth {
		c.report(n, Error, "too-deep", "", "a path follows %d links at most; this is one more", LinkDepth)
		return AnyType
	}
	n.link = link
	fields := link.Fields()
	t, found := fields[n.Member]
	if !found {
		c.missing(n, sortedNames(fields), "%s has no field %q", withArticle(strings.ReplaceAll(link.Kind, "_", " ")), n.Member)
		return AnyType
	}
	return t
}

func withArticle(noun string) string {
	if strings.ContainsRune("aeio", rune(noun[0])) {
		return "an " + noun
	}
	return "a " + noun
}

func sortedNames[T any](of map[string]T) []string {
	return slices.Sorted(maps.Keys(of))
}

func (c *checker) missing(n *Path, candidates []string, format string, args ...any) {
	start := n.end - len(n.Member)
	message := fmt.Sprintf(format, args...)
	near := nearest(n.Member, candidates)
	if near != "" {
		message += "; did you mean " + near + "?"
	}
	severity := Error
	if c.mode == Lenient {
		severity = Warning
	}
	c.reportAt(start, n.end, severity, "unknown-name", near, "%s", message)
}

func (c *checker) member(n *Path, base Type) Type {
	if base.Link != nil {
		return c.follow(n, base.Link)
	}
	switch base.Kind {
	case Any, Null:
		return AnyType
	case List:
		return ListType(c.member(n, base.element()))
	case Context:
		if base.Entries == nil {
			return AnyType
		}
		if t, found := base.Entries[n.Member]; found {
			return t
		}
		c.missing(n, sortedNames(base.Entries), "there is no entry %q here", n.Member)
		return AnyType
	}
	known := properties[base.Kind]
	if t, found := known[n.Member]; found {
		if base.Kind == Range && t == Any {
			return base.element()
		}
		return Type{Kind: t}
	}
	candidates := sortedNames(known)
	if len(candidates) == 0 {
		c.missing(n, nil, "a %s has no parts, so .%s is not there", base, n.Member)
	} else {
		c.missing(n, candidates, "a %s has no %q, only %s", base, n.Member, strings.Join(candidates, ", "))
	}
	return AnyType
}
