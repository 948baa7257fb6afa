package httpapi_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/record"
)

// apt makes requests that are nearly right, of what the server answered before: what it said of one thing is sent back, or
// to another, with one value of it changed.
type apt struct {
	odd
	c          *client
	operations []operation
	// seen are values that were answered, by the name of their schema or property; listed are the keys of what is at an address.
	seen   map[string][]any
	listed map[string][]string
	refs   []record.Ref
}

// mostSeen is how many values of a name are kept.
const mostSeen = 80

func (a *apt) keep(name string, v any) {
	switch known := a.seen[name]; {
	case name == "":
	case len(known) < mostSeen:
		a.seen[name] = append(known, v)
	default:
		known[a.r.IntN(mostSeen)] = v
	}
}

// learn keeps what an answer of a schema holds.
func (a *apt) learn(ref *openapi3.SchemaRef, v any) {
	if ref == nil || ref.Value == nil {
		return
	}
	s := ref.Value
	for _, all := range [][]*openapi3.SchemaRef{s.AllOf, s.OneOf, s.AnyOf} {
		if len(all) > 0 {
			a.learn(all[0], v)
			return
		}
	}
	switch v := v.(type) {
	case map[string]any:
		a.keep(ref.Ref, v)
		kind, isKind := v["kind"].(string)
		if number, isNumber := v["number"].(string); isKind && isNumber && len(a.refs) < 1000 {
			a.refs = append(a.refs, record.Ref{Kind: kind, Number: number})
		}
		for name, inner := range v {
			if text, is := inner.(string); is {
				a.keep(name, text)
			}
			within := s.Properties[name]
			if within == nil {
				within = s.AdditionalProperties.Schema
			}
			a.learn(within, inner)
		}
	case []any:
		for _, item := range v[:min(len(v), 40)] {
			a.learn(s.Items, item)
		}
	}
}

// named are the keys of the things in an answer.
func named(v any, depth int) (keys []string) {
	switch v := v.(type) {
	case []any:
		for _, item := range v {
			keys = append(keys, named(item, depth)...)
		}
	case map[string]any:
		for _, name := range []string{"key", "id", "number", "name"} {
			if own := v[name]; own != nil {
				keys = append(keys, fmt.Sprint(own))
			}
		}
		for _, inner := range v {
			if depth < 2 {
				keys = append(keys, named(inner, depth+1)...)
			}
		}
	}
	return keys
}

// copied is a value that may be changed.
func copied(v any) (c any) {
	raw, _ := json.Marshal(v)
	_ = json.Unmarshal(raw, &c)
	return c
}

// put makes a value of a schema; name is that of its property.
func (a *apt) put(ref *openapi3.SchemaRef, name string, depth int) any {
	if ref == nil || ref.Value == nil || depth > 8 || a.r.IntN(80) == 0 {
		return a.of(ref, depth)
	}
	s := ref.Value
	if known := a.seen[ref.Ref]; ref.Ref != "" && len(known) > 0 && a.r.IntN(4) > 0 {
		v := copied(known[a.r.IntN(len(known))])
		if object, is := v.(map[string]any); is && len(s.Properties) > 0 && a.r.IntN(2) == 0 {
			name := a.one(properties(s))
			object[name] = a.put(s.Properties[name], name, depth+1)
		}
		return v
	}
	for _, all := range [][]*openapi3.SchemaRef{s.AllOf, s.OneOf, s.AnyOf} {
		if len(all) > 0 {
			return a.put(all[a.r.IntN(len(all))], name, depth+1)
		}
	}
	switch {
	case len(s.Enum) > 0:
		return s.Enum[a.r.IntN(len(s.Enum))]
	case s.Type.Is("object"):
		object := map[string]any{}
		for _, name := range properties(s) {
			if slices.Contains(s.Required, name) || a.r.IntN(3) == 0 {
				object[name] = a.put(s.Properties[name], name, depth+1)
			}
		}
		for range a.r.IntN(4) {
			if s.AdditionalProperties.Schema != nil {
				object[a.text("field", "key")] = a.put(s.AdditionalProperties.Schema, "", depth+1)
			}
		}
		return a.aligned(object)
	case s.Type.Is("array"):
		list := []any{}
		for range []int{0, 1, 1, 2, 3}[a.r.IntN(5)] + int(s.MinItems) {
			list = append(list, a.put(s.Items, strings.TrimSuffix(name, "s"), depth+1))
		}
		return list
	case s.Type.Is("boolean"):
		return a.r.IntN(2) == 0
	case s.Type.Is("integer"), s.Type.Is("number"):
		return []int{1, 1, 2, 5, 25, 100, 0}[a.r.IntN(7)]
	}
	return a.text(name, "value", "key", "field")
}

func properties(s *openapi3.Schema) (names []string) {
	for name := range s.Properties {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

func (a *apt) one(of []string) string { return of[a.r.IntN(len(of))] }

// text is one that was answered by the first of the names that any was; now and then an odd one.
func (a *apt) text(names ...string) string {
	for _, name := range names {
		if known := a.seen[name]; len(known) > 0 && a.r.IntN(12) > 0 {
			if text, is := known[a.r.IntN(len(known))].(string); is {
				return text
			}
		}
	}
	return a.odd.text()
}

// aligned names records of one kind in an object that names a kind and records, mostly, and leaves out of a document what it cannot
// state.
func (a *apt) aligned(object map[string]any) map[string]any {
	if _, is := object["kind"].(string); !is || len(a.refs) == 0 || a.r.IntN(6) == 0 {
		return object
	}
	at := a.refs[a.r.IntN(len(a.refs))]
	if object["number"] != nil {
		object["kind"], object["number"] = at.Kind, at.Number
	}
	if numbers, is := object["numbers"].([]any); is {
		object["kind"] = at.Kind
		var ours []string
		for _, ref := range a.refs {
			if ref.Kind == at.Kind {
				ours = append(ours, ref.Number)
			}
		}
		for i := range numbers {
			numbers[i] = a.one(ours)
		}
	}
	return object
}

// like gives a body what an answer holds by the same names.
func like(body, answer any, depth int) {
	b, _ := body.(map[string]any)
	from, _ := answer.(map[string]any)
	for name := range b {
		if own, is := from[name]; is && fmt.Sprintf("%T", own) == fmt.Sprintf("%T", copied(b[name])) {
			b[name] = own
		}
	}
	for _, inner := range from {
		if depth < 2 {
			like(body, inner, depth+1)
		}
	}
}

// at returns the operation that reads an address; false: none does.
func (a *apt) at(path string) (operation, bool) {
	parts := strings.Split(path, "/")
	for _, op := range a.operations {
		of := strings.Split(op.path, "/")
		if op.method == http.MethodGet && slices.EqualFunc(of, parts, func(x, y string) bool { return x == y || strings.HasPrefix(x, "{") }) {
			return op, true
		}
	}
	return operation{}, false
}

// longestApt is how long a request may take that is nearly right: what is suggested for a rule takes longest.
const longestApt = 25 * time.Second

// send sends a request, learns from its answer and returns that; nil: it is no JSON.
func (a *apt) send(op operation, path, query, sent string, longest time.Duration) (status int, v any) {
	answer := a.c.answered(op.method, path+"?"+query, sent, longest)
	if answer.status == 0 || answer.status >= 300 || json.Unmarshal(answer.text, &v) != nil {
		return answer.status, nil
	}
	if said := op.Responses.Status(answer.status); said != nil && said.Value.Content["application/json"] != nil {
		a.learn(said.Value.Content["application/json"].Schema, v)
	}
	if op.method == http.MethodGet {
		if keys := named(v, 0); len(keys) > 0 {
			a.listed[path] = keys
		}
	}
	return answer.status, v
}

// address fills in the parameters of a path.
func (a *apt) address(op operation) string {
	path := op.path
	if strings.Contains(path, "{kind}/{number}") && len(a.refs) > 0 && a.r.IntN(8) > 0 {
		at := a.refs[a.r.IntN(len(a.refs))]
		path = strings.NewReplacer("{kind}", at.Kind, "{number}", url.PathEscape(at.Number)).Replace(path)
	}
	for _, p := range op.parameters {
		before, after, found := strings.Cut(path, "/{"+p.Value.Name+"}")
		if !found {
			continue
		}
		text := a.text(p.Value.Name)
		if op, reads := a.at(before); reads && a.listed[before] == nil {
			a.send(op, before, "", "", 0)
		}
		switch keys := a.listed[before]; {
		case a.r.IntN(10) == 0:
		case p.Value.Name == "kind" && len(a.refs) > 0:
			text = a.refs[a.r.IntN(len(a.refs))].Kind
		case len(keys) > 0:
			text = a.one(keys)
		}
		path = before + "/" + url.PathEscape(text[:min(len(text), 500)]) + after
	}
	return path
}

// ask makes a request of an operation and returns its status.
func (a *apt) ask(op operation, longest time.Duration) int {
	path, query, sent := a.address(op), url.Values{}, ""
	for _, p := range op.parameters {
		if p.Value.In == "query" && (p.Value.Required || a.r.IntN(4) == 0) {
			if text := fmt.Sprint(a.put(p.Value.Schema, p.Value.Name, 0)); len(text) < 500 {
				query.Set(p.Value.Name, text)
			}
		}
	}
	if op.path == "/news" {
		query.Set("once", "true")
	}
	if op.RequestBody != nil && op.RequestBody.Value.Content["application/json"] != nil {
		body := a.put(op.RequestBody.Value.Content["application/json"].Schema, "", 0)
		for plain := path; plain != "" && a.r.IntN(5) > 0; plain = plain[:strings.LastIndex(plain, "/")] {
			if reads, is := a.at(plain); is {
				_, v := a.send(reads, plain, "", "", 0)
				if list, is := v.([]any); is && len(list) > 0 {
					v = list[a.r.IntN(len(list))]
				}
				like(body, v, 0)
				break
			}
		}
		raw, _ := json.Marshal(body)
		sent = string(raw)
	}
	status, _ := a.send(op, path, query.Encode(), sent, longest)
	return status
}

// TestNearlyRightRequestsAreAnswered sends to every operation what the server said before, nearly right: none makes an error of
// the program, and in the end everything can still be read.
func TestNearlyRightRequestsAreAnswered(t *testing.T) {
	c := start(t)
	limit, r := chances(t)
	a := &apt{odd: odd{r: r}, c: c, operations: operations(t), seen: map[string][]any{}, listed: map[string][]string{}}
	for _, path := range readings {
		plain, query, _ := strings.Cut(path, "?")
		if op, reads := a.at(plain); reads {
			a.send(op, plain, query, "", 0)
		}
	}
	done, longest := map[string]int{}, time.Duration(0)
	if limit > 0 {
		longest = longestApt
	}
	begun := time.Now()
	for round := 0; (limit == 0 && round < 2) || time.Since(begun) < limit; round++ {
		for _, op := range a.operations {
			if op.method == http.MethodDelete && a.r.IntN(4) > 0 { // something is to be left
				continue
			}
			if status := a.ask(op, longest); status < 300 {
				done[op.OperationID]++
			}
		}
	}
	t.Logf("of %d operations %d did what they were asked", len(a.operations), len(done))
	assert.Greater(t, len(done), len(a.operations)/3)

	for _, path := range []string{"/catalog", "/codicils", "/proofs?kind=vendor", "/tables/lists", "/waiting", "/trail"} {
		require.Equal(t, http.StatusOK, c.ask(http.MethodGet, path, nil, nil), path)
	}
}
