package feel

import "slices"

// listFunctions are those of DMN 1.5, section 10.3.4.4, and sort of 10.3.4.9.
var listFunctions = []builtin{
	{name: "count", forms: one(list("list")), result: always(Number), run: onList(func(_ *Frame, _ Node, items []Value) Value { return IntegerOf(int64(len(items))) }),
		help: "The number of items.", example: `count([1, 2, 3]) = 3`},
	{name: "list contains", forms: one(list("list"), anything("element")), result: always(Boolean), takesNull: true, run: func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != List {
			return NullValue
		}
		f.spend(n, searching(len(a[0].items()), a[1]))
		return BooleanOf(place(a[0].items(), a[1]) >= 0)
	}, help: "Whether a list has the element.", example: `list contains(["IE", "DK"], "DK") = true`},
	{name: "sublist", forms: one(list("list"), number("start position"), maybe(number("length"))), result: firstType, takesNull: true, run: sublist,
		help: "Part of a list; the first item is 1, the last -1.", example: `sublist([4, 5, 6], 1, 2) = [4, 5]`},
	{name: "append", forms: one(list("list"), many(anything("item"))), result: always(List), takesNull: true, long: true, run: func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != List {
			return NullValue
		}
		f.spend(n, len(a[0].items()))
		return ListOf(slices.Concat(a[0].items(), a[1:]))
	}, help: "A list with more items at its end.", example: `append([1], 2, 3) = [1, 2, 3]`},
	{name: "concatenate", forms: one(many(list("list"))), result: joined, takesNull: true, long: true, run: concatenate,
		help: "Several lists one after the other.", example: `concatenate([1, 2], [3]) = [1, 2, 3]`},
	{name: "insert before", forms: one(list("list"), number("position"), anything("newItem")), result: always(List), takesNull: true, long: true, run: func(f *Frame, n Node, a []Value) Value {
		i, ok := position(f, n, a)
		if !ok {
			return NullValue
		}
		return ListOf(slices.Insert(slices.Clone(a[0].items()), i, a[2]))
	}, help: "A list with an item put in before a position.", example: `insert before([1, 3], 2, 2) = [1, 2, 3]`},
	{name: "remove", forms: one(list("list"), number("position")), result: firstType, takesNull: true, long: true, run: func(f *Frame, n Node, a []Value) Value {
		i, ok := position(f, n, a)
		if !ok {
			return NullValue
		}
		return ListOf(slices.Delete(slices.Clone(a[0].items()), i, i+1))
	}, help: "A list without the item at a position.", example: `remove([1, 2, 3], 2) = [1, 3]`},
	{name: "list replace", forms: [][]parameter{{list("list"), number("position"), anything("newItem")}, {list("list"), of("match", Function), anything("newItem")}}, result: always(List), takesNull: true, long: true, run: listReplace,
		help: "A list with the item at a position, or those that match, replaced.", example: `list replace([2, 4, 7], function(item, newItem) item > 3, 0) = [2, 0, 0]`},
	{name: "reverse", forms: one(list("list")), result: firstType, long: true, run: onList(func(f *Frame, n Node, items []Value) Value {
		f.spend(n, len(items))
		turned := slices.Clone(items)
		slices.Reverse(turned)
		return ListOf(turned)
	}), help: "A list from its end to its start.", example: `reverse([1, 2, 3]) = [3, 2, 1]`},
	{name: "index of", forms: one(list("list"), anything("match")), result: func([]Type) Type { return ListType(NumberType) }, takesNull: true, long: true, run: func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != List {
			return NullValue
		}
		f.spend(n, len(a[0].items())+searching(len(a[0].items()), a[1]))
		places := []Value{}
		for i, item := range a[0].items() {
			if Same(item, a[1]) {
				places = append(places, IntegerOf(int64(i+1)))
			}
		}
		return ListOf(places)
	}, help: "The positions of a value in a list.", example: `index of([1, 2, 1], 1) = [1, 3]`},
	{name: "union", forms: one(many(list("list"))), result: joined, takesNull: true, long: true, run: func(f *Frame, n Node, a []Value) Value {
		all := concatenate(f, n, a)
		if all.kind != List {
			return all
		}
		return distinct(f, n, all.items())
	}, help: "The items of several lists, each once.", example: `union([1, 2], [2, 3]) = [1, 2, 3]`},
	{name: "distinct values", forms: one(list("list")), result: firstType, long: true, run: onList(distinct),
		help: "The items of a list, each once.", example: `distinct values([1, 2, 1]) = [1, 2]`},
	{name: "flatten", forms: one(list("list")), result: always(List), long: true, run: onList(func(f *Frame, n Node, items []Value) Value {
		return ListOf(flatten(f, n, items, []Value{}))
	}), help: "A list without lists inside.", example: `flatten([[1, 2], [[3]]]) = [1, 2, 3]`},
	{name: "sort", forms: one(list("list"), maybe(of("precedes", Function))), result: firstType, takesNull: true, long: true, run: sorted,
		help: "A list in order: from the least, or as a function of two items says.", example: `sort([1, 3, 2], function(x, y) x > y) = [3, 2, 1]`},
}

// firstType is the type of the first argument, a list.
func firstType(types []Type) Type {
	if len(types) > 0 && types[0].Kind == List {
		return types[0]
	}
	return anyList
}

// joined is the type of several lists in one.
func joined(types []Type) Type {
	if len(types) == 0 {
		return anyList
	}
	element := Type{Kind: Null}
	for _, t := range types {
		if t.Kind == List {
			t = t.element()
		}
		element = common(element, t)
	}
	return ListType(element)
}

// onList runs a function of one list.
func onList(run func(*Frame, Node, []Value) Value) run {
	return func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != List {
			return f.fail(n, "a list is needed; this is a "+a[0].kind.String())
		}
		return run(f, n, a[0].items())
	}
}

// place returns the first place of a value in a list; -1 when it is not there.
func place(items []Value, v Value) int {
	return slices.IndexFunc(items, func(item Value) bool { return Same(item, v) })
}

// position reads the position of a function that changes a list, from 0.
func position(f *Frame, n Node, a []Value) (int, bool) {
	if a[0].kind != List || a[1].kind != Number {
		return 0, false
	}
	f.spend(n, len(a[0].items()))
	i, whole := a[1].number.Int64()
	length := int64(len(a[0].items()))
	if !whole || i == 0 || i > length || i < -length {
		f.fail(n, "the position must be a whole number inside the list")
		return 0, false
	}
	if i < 0 {
		return int(length + i), true
	}
	return int(i - 1), true
}

func sublist(f *Frame, n Node, a []Value) Value {
	start, ok := position(f, n, a)
	if !ok {
		return NullValue
	}
	items := a[0].items()[start:]
	if length := given(a, 2); !length.IsNull() {
		count, whole := length.number.Int64()
		if length.kind != Number || !whole || count < 1 {
			return f.fail(n, "the length must be a whole number of at least 1")
		}
		items = items[:min(int64(len(items)), count)]
	}
	return ListOf(slices.Clip(items))
}

func concatenate(f *Frame, n Node, a []Value) Value {
	all := []Value{}
	for _, part := range a {
		if part.kind != List {
			return NullValue
		}
		f.spend(n, len(part.items()))
		all = append(all, part.items()...)
		if len(all) > maxItems {
			break
		}
	}
	return ListOf(all)
}

func listReplace(f *Frame, n Node, a []Value) Value {
	if a[0].kind != List || a[1].IsNull() {
		return NullValue
	}
	if a[1].kind == Function {
		items := make([]Value, len(a[0].items()))
		for i, item := range a[0].items() {
			items[i] = item
			if f.asTruth(n, f.invoke(n, a[1].callee(), []Value{item, a[2]})) == yes {
				items[i] = a[2]
			}
		}
		return ListOf(items)
	}
	i, ok := position(f, n, a)
	if !ok {
		return NullValue
	}
	items := slices.Clone(a[0].items())
	items[i] = a[2]
	return ListOf(items)
}

// distinct keeps the first of equal items.
func distinct(f *Frame, n Node, items []Value) Value {
	kept := []Value{}
	for _, item := range items {
		f.spend(n, 1+searching(len(kept), item)) // looking through what is kept is work too
		if place(kept, item) < 0 {
			kept = append(kept, item)
		}
	}
	return ListOf(kept)
}

func flatten(f *Frame, n Node, items, into []Value) []Value {
	for _, item := range items {
		f.spend(n, 1)
		if item.kind == List {
			into = flatten(f, n, item.items(), into)
		} else {
			into = append(into, item)
		}
	}
	return into
}

// sorted sorts stably. Values without a common order, and no function to tell it,
// have no sorting.
func sorted(f *Frame, n Node, a []Value) Value {
	if a[0].kind != List {
		return NullValue
	}
	items := slices.Clone(a[0].items())
	precedes := given(a, 1)
	comparable := true
	slices.SortStableFunc(items, func(x, y Value) int {
		f.spend(n, 1+x.burden())
		if precedes.kind == Function {
			switch {
			case f.invoke(n, precedes.callee(), []Value{x, y}).IsTrue():
				return -1
			case f.invoke(n, precedes.callee(), []Value{y, x}).IsTrue():
				return 1
			}
			return 0
		}
		order, ok := Order(x, y)
		comparable = comparable && ok
		return order
	})
	if !comparable {
		return f.fail(n, "these values have no common order")
	}
	return ListOf(items)
}
