package codec

import (
	"encoding"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/ledger"
)

// shape is how values of one type of the domain are kept.
type shape struct {
	name  string
	model reflect.Type
	// reads and writes tell that values of the domain are read and written as they are: their own JSON is that of the model.
	reads, writes bool
	// steps bring what is kept up to date, the first from version 1 to 2.
	steps []func(any)
}

func (s *shape) version() int { return len(s.steps) + 1 }

var shapes = map[reflect.Type]*shape{}

func keep[Domain, Model any](name string, steps ...func(any)) {
	domain, model := reflect.TypeFor[Domain](), reflect.TypeFor[Model]()
	reads, writes := alike(domain, model)
	shapes[domain] = &shape{name, model, reads, writes, steps}
}

var (
	readsItself  = []reflect.Type{reflect.TypeFor[json.Unmarshaler](), reflect.TypeFor[encoding.TextUnmarshaler]()}
	writesItself = []reflect.Type{reflect.TypeFor[json.Marshaler](), reflect.TypeFor[encoding.TextMarshaler]()}
)

// alike tells whether the JSON of a type of the domain is read and written as that of its model. Cost: their fields, once.
func alike(domain, model reflect.Type) (reads, writes bool) {
	if domain == model {
		return true, true
	}
	itself := func(by []reflect.Type) bool {
		return slices.ContainsFunc(by, func(t reflect.Type) bool {
			return domain.Implements(t) || reflect.PointerTo(domain).Implements(t) || model.Implements(t) || reflect.PointerTo(model).Implements(t)
		})
	}
	if domain.Kind() != model.Kind() {
		return false, false
	}
	reads, writes = !itself(readsItself), !itself(writesItself)
	and := func(d, m reflect.Type) {
		r, w := alike(d, m)
		reads, writes = reads && r, writes && w
	}
	switch domain.Kind() {
	case reflect.Pointer, reflect.Slice:
		and(domain.Elem(), model.Elem())
	case reflect.Map:
		and(domain.Key(), model.Key())
		and(domain.Elem(), model.Elem())
	case reflect.Struct:
		for i := range model.NumField() {
			d, m := domain.Field(i), model.Field(i)
			name, _, _ := strings.Cut(d.Tag.Get("json"), ",")
			as, _, _ := strings.Cut(m.Tag.Get("json"), ",")
			same := d.Anonymous == m.Anonymous && name == as
			reads, writes = reads && same, writes && same && d.Tag.Get("json") == m.Tag.Get("json")
			and(d.Type, m.Type)
		}
		_, settles := reflect.Zero(reflect.PointerTo(model)).Interface().(interface{ settle() })
		reads, writes = reads && !settles, writes && !settles
	}
	return reads, writes
}

func shapeOf(t reflect.Type) (*shape, error) {
	if s := shapes[t]; s != nil {
		return s, nil
	}
	return nil, fmt.Errorf("codec: no shape for %s", t)
}

func init() {
	keep[record.Kind, kindModel]("kind")
	keep[field.Field, fieldModel]("field")
	keep[record.Calendar, calendarModel]("calendar")
	keep[field.Format, formatModel]("format")
	keep[record.Layout, layoutModel]("layout")
	keep[record.FollowOn, followOnModel]("map")
	keep[record.Content, contentModel]("content")
	keep[[]record.Line, []lineModel]("lines")
	keep[[]record.Reason, []reasonModel]("reasons")
	keep[rule.Body, bodyModel]("rule", aspects)
	keep[table.Standing, standingModel]("standing value")
	keep[table.Crosswalk, crosswalkModel]("crosswalk")
	keep[table.List, listModel]("list")
	keep[table.Series, seriesModel]("number series")
	keep[judge.Document, documentModel]("document", aspectsOfChanges)
	keep[proof.Expectation, expectationModel]("expectation", whoSpeaks)
	keep[ledger.Trace, traceModel]("trace")
	keep[judge.Kept, judgedModel]("judgement")
	// Parts of a book's file.
	keep[record.Company, companyModel]("company")
	keep[record.Type, typeModel]("type")
	keep[record.ScopedLayout, scopedLayoutModel]("layout of a scope")
	keep[rule.Rule, ruleModel]("rule", aspects)
	keep[proof.Proof, proofModel]("proof", func(p any) {
		aspectsOfChanges(object(p)["given"])
		whoSpeaks(object(p)["expect"])
	})
}

// object is an object of JSON that is brought up to date; an empty one where there is none.
func object(v any) map[string]any {
	o, _ := v.(map[string]any)
	return o
}

func list(v any) []any {
	l, _ := v.([]any)
	return l
}

// aspects: an entry rule said in one word how a field is met, until each aspect was decided by
// itself.
func aspects(rule any) {
	effect := object(object(rule)["effect"])
	if effect == nil {
		return
	}
	manner, _ := effect["manner"].(string)
	twice, _ := effect["twice"].(bool)
	delete(effect, "manner")
	delete(effect, "twice")
	if twice {
		effect["keying"] = "twice"
	}
	switch manner {
	case "required":
		effect["need"], effect["access"] = "required", "open"
	case "optional":
		if effect["cursor"] == nil && effect["keying"] == nil {
			effect["need"], effect["access"] = "optional", "open"
		}
	case "read-only", "hidden":
		effect["need"], effect["access"] = "optional", manner
	}
}

// aspectsOfChanges does the same for the rules that a document states.
func aspectsOfChanges(document any) {
	for _, r := range list(object(object(document)["changes"])["rules"]) {
		aspects(r)
	}
}

// whoSpeaks: proofs expected the texts of messages, until they expected who speaks.
func whoSpeaks(expectation any) {
	for _, m := range list(object(expectation)["messages"]) {
		delete(object(m), "text")
	}
}
