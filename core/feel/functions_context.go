package feel

import "slices"

// contextFunctions are those of DMN 1.5, section 10.3.4.10.
var contextFunctions = []builtin{
	{name: "get value", forms: [][]parameter{{of("m", Context), text("key")}, {of("m", Context), of("keys", List)}}, result: always(Any), takesNull: true, run: getValue,
		help: "The value of an entry, or of one inside others.", example: `get value({terms: "N30"}, "terms") = "N30"`},
	{name: "get entries", forms: one(of("m", Context)), result: func([]Type) Type {
		return ListType(Type{Kind: Context, Entries: map[string]Type{"key": StringType, "value": AnyType}})
	}, run: func(f *Frame, n Node, a []Value) Value {
		if a[0].kind != Context {
			return f.fail(n, "a context is needed; this is a "+a[0].kind.String())
		}
		e := a[0].entries()
		pairs := make([]Value, len(e.Keys))
		for i, key := range e.Keys {
			pairs[i] = ContextOf(&Entries{Keys: []string{"key", "value"}, Values: []Value{StringOf(key), e.Values[i]}})
		}
		return ListOf(pairs)
	}, help: "The entries of a context, as a list of key and value.", example: `get entries({a: 1})[1].key = "a"`},
	{name: "context", forms: one(list("entries")), result: always(Context), long: true, run: onList(makeContext),
		help: "A context from a list of key and value.", example: `context([{key: "a", value: 1}]) = {a: 1}`},
	{name: "context put", forms: [][]parameter{{of("context", Context), text("key"), anything("value")}, {of("context", Context), of("keys", List), anything("value")}}, result: always(Context), takesNull: true, run: contextPut,
		help: "A context with an entry added or replaced.", example: `context put({a: 1}, "b", 2) = {a: 1, b: 2}`},
	{name: "context merge", forms: one(list("contexts")), result: always(Context), long: true, run: onList(func(f *Frame, n Node, items []Value) Value {
		merged, places := &Entries{}, map[string]int{}
		for _, item := range items {
			if item.kind != Context {
				return f.fail(n, "contexts are needed; one is a "+item.kind.String())
			}
			f.spend(n, 1+len(item.entries().Keys))
			for i, key := range item.entries().Keys {
				if at, there := places[key]; there {
					merged.Values[at] = item.entries().Values[i]
					continue
				}
				places[key] = len(merged.Keys)
				merged.Keys, merged.Values = append(merged.Keys, key), append(merged.Values, item.entries().Values[i])
			}
		}
		return ContextOf(merged)
	}), help: "The entries of several contexts; the later wins.", example: `context merge([{a: 1}, {a: 2, b: 3}]) = {a: 2, b: 3}`},
}

// with returns entries with one added, or replaced where its key is there.
func (e *Entries) with(key string, v Value) *Entries {
	changed := &Entries{Keys: slices.Clone(e.Keys), Values: slices.Clone(e.Values)}
	if i := e.place(key); i >= 0 {
		changed.Values[i] = v
		return changed
	}
	changed.Keys, changed.Values = append(changed.Keys, key), append(changed.Values, v)
	return changed
}

// keysOf reads one key or a path of keys.
func keysOf(v Value) ([]string, bool) {
	if v.kind == String {
		return []string{v.text()}, true
	}
	if v.kind != List || len(v.items()) == 0 {
		return nil, false
	}
	var keys []string
	for _, item := range v.items() {
		key, ok := item.Text()
		if !ok {
			return nil, false
		}
		keys = append(keys, key)
	}
	return keys, true
}

func getValue(f *Frame, n Node, a []Value) Value {
	f.spend(n, 1)
	keys, ok := keysOf(a[1])
	v := a[0]
	for _, key := range keys {
		if v.kind != Context {
			return NullValue
		}
		v, _ = v.entries().Get(key)
	}
	if !ok {
		return NullValue
	}
	return v
}

func makeContext(f *Frame, n Node, items []Value) Value {
	made, known := &Entries{}, map[string]bool{}
	for _, item := range items {
		f.spend(n, 1)
		if item.kind != Context {
			return f.fail(n, "every entry is a context of key and value")
		}
		key, _ := item.entries().Get("key")
		v, hasValue := item.entries().Get("value")
		name, isText := key.Text()
		if !isText || !hasValue || known[name] {
			return f.fail(n, "every entry is a context of key and value, and every key is there once")
		}
		known[name] = true
		made.Keys, made.Values = append(made.Keys, name), append(made.Values, v)
	}
	return ContextOf(made)
}

func contextPut(f *Frame, n Node, a []Value) Value {
	if a[0].IsNull() || a[1].IsNull() {
		return NullValue
	}
	keys, ok := keysOf(a[1])
	if a[0].kind != Context || !ok {
		return f.fail(n, "a context and a key are needed")
	}
	f.spend(n, len(keys))
	v, ok := putAt(f, n, a[0].entries(), keys, a[2])
	if !ok {
		return f.fail(n, "the keys do not lead to a context")
	}
	return v
}

func putAt(f *Frame, n Node, e *Entries, keys []string, v Value) (Value, bool) {
	f.spend(n, 1+len(e.Keys)/4)
	if len(keys) > 1 {
		inner, found := e.Get(keys[0])
		if !found {
			inner = ContextOf(&Entries{})
		}
		if inner.kind != Context {
			return NullValue, false
		}
		var ok bool
		if v, ok = putAt(f, n, inner.entries(), keys[1:], v); !ok {
			return NullValue, false
		}
	}
	return ContextOf(e.with(keys[0], v)), true
}
