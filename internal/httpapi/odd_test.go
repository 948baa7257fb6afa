package httpapi_test

import (
	"cmp"
	"context"
	"encoding/json"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/api"
)

// odd makes requests from the contract that are wrong in every way: other types, huge and deep values, odd
// letters, and now and then what is right.
type odd struct{ r *rand.Rand }

var oddTexts = []string{"", " ", "\x00", "'; DROP TABLE records; --", "%s%n", "潮風", "\u202eabc", "🜚", "../../etc/passwd", "-1", "1e400", "9223372036854775808", "NaN", "null", "true", "2026-02-30", "9999-12-31", "0000-00-00", "{}", "[", `"`, "if", "for x in 1..1000000000 return x", "((((((((((", "a.b.c.d", "lines.amount", "lines[1].item", "V10001", "10", "vendor", "accounting_document", "payment_terms", `"N30"`, "in force", "draft"}

func (o *odd) text() string {
	switch o.r.IntN(12) {
	case 0:
		return strings.Repeat(oddTexts[o.r.IntN(len(oddTexts))]+"x", 1+o.r.IntN(20_000))
	case 1:
		return string([]rune{rune(o.r.IntN(0xd7ff)), rune(o.r.IntN(0xffff))})
	}
	return oddTexts[o.r.IntN(len(oddTexts))]
}

// deep is a value within values.
func (o *odd) deep() any {
	var v any = o.text()
	for range o.r.IntN(200) {
		if o.r.IntN(2) == 0 {
			v = []any{v}
		} else {
			v = map[string]any{"a": v}
		}
	}
	return v
}

func (o *odd) any() any {
	return []any{nil, true, -1, 0, 1 << 40, 1.5, 0.5, o.text(), []any{}, map[string]any{}, o.deep(), []any{nil, o.text()}, strings.Repeat("9", 400)}[o.r.IntN(13)]
}

// of makes a value of a schema, most of the time.
func (o *odd) of(ref *openapi3.SchemaRef, depth int) any {
	if ref == nil || ref.Value == nil || depth > 8 || o.r.IntN(14) == 0 {
		return o.any()
	}
	s := ref.Value
	for _, all := range [][]*openapi3.SchemaRef{s.AllOf, s.OneOf, s.AnyOf} {
		if len(all) > 0 {
			return o.of(all[o.r.IntN(len(all))], depth+1)
		}
	}
	if len(s.Enum) > 0 && o.r.IntN(5) > 0 {
		return s.Enum[o.r.IntN(len(s.Enum))]
	}
	switch {
	case s.Type.Is("object"):
		object := map[string]any{}
		for name, p := range s.Properties {
			if slices.Contains(s.Required, name) && o.r.IntN(20) > 0 || o.r.IntN(3) == 0 {
				object[name] = o.of(p, depth+1)
			}
		}
		if s.AdditionalProperties.Schema != nil || o.r.IntN(10) == 0 {
			for range o.r.IntN(4) {
				object[o.text()] = o.of(s.AdditionalProperties.Schema, depth+1)
			}
		}
		return object
	case s.Type.Is("array"):
		list := []any{}
		for range []int{0, 1, 1, 2, 3, 40}[o.r.IntN(6)] {
			list = append(list, o.of(s.Items, depth+1))
		}
		return list
	case s.Type.Is("integer"):
		return []int{0, 1, 2, 5, 25, -1, 1 << 31, 1 << 53}[o.r.IntN(8)]
	case s.Type.Is("number"):
		return []float64{0, 1, -1, 1e300, 0.1}[o.r.IntN(5)]
	case s.Type.Is("boolean"):
		return o.r.IntN(2) == 0
	}
	return o.text()
}

// longestOdd is how long an odd request may take.
const longestOdd = 2 * time.Second

// TestOddRequestsAreAnswered sends odd requests to every operation: none makes an error of the program, and none takes
// long. CODICIL_ODD says how long to go on; otherwise each operation is asked a few times.
func TestOddRequestsAreAnswered(t *testing.T) {
	c := start(t)
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	seed := uint64(1)
	limit, _ := time.ParseDuration(os.Getenv("CODICIL_ODD"))
	if limit > 0 {
		seed = uint64(time.Now().UnixNano())
	}
	t.Logf("seed %d", seed)
	o := &odd{r: rand.New(rand.NewPCG(seed, seed))}
	type operation struct {
		method, path string
		*openapi3.Operation
		parameters openapi3.Parameters
	}
	var operations []operation
	for path, item := range document.Paths.Map() {
		for method, op := range item.Operations() {
			operations = append(operations, operation{method, path, op, slices.Concat(item.Parameters, op.Parameters)})
		}
	}
	slices.SortFunc(operations, func(a, b operation) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	statuses := map[int]int{}
	ask := func(op operation) {
		path, query := op.path, url.Values{}
		for _, p := range op.parameters {
			value := o.of(p.Value.Schema, 0)
			text, isText := value.(string)
			if !isText {
				raw, _ := json.Marshal(value)
				text = string(raw)
			}
			switch {
			case p.Value.In == "path":
				if len(text) > 2000 {
					text = text[:2000]
				}
				path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", url.PathEscape(text))
			case len(text) < 4000 && (p.Value.Required || o.r.IntN(2) == 0):
				query.Set(p.Value.Name, text)
			}
		}
		// Who listens for long does so on purpose, in whatever way "false" is written.
		if once, err := strconv.ParseBool(cmp.Or(query.Get("once"), "false")); op.path == "/news" && err == nil && !once {
			query.Set("once", "true")
		}
		sent := ""
		if op.RequestBody != nil {
			for _, media := range op.RequestBody.Value.Content {
				raw, _ := json.Marshal(o.of(media.Schema, 0))
				sent = string(raw)
				break
			}
		}
		type told struct {
			status int // 0: the address is one that no client can send
			kind   string
			text   []byte
			took   time.Duration
		}
		send := func() (told, error) {
			ctx, leave := context.WithTimeout(t.Context(), 30*time.Second)
			defer leave()
			request, err := http.NewRequestWithContext(ctx, op.method, c.server.URL+"/api/v1"+path+"?"+query.Encode(), strings.NewReader(sent))
			if err != nil {
				return told{}, nil
			}
			request.Header.Set("Content-Type", "application/json")
			begun := time.Now()
			answer, err := http.DefaultClient.Do(request)
			if err != nil {
				return told{}, err
			}
			defer func() { _ = answer.Body.Close() }()
			text, err := io.ReadAll(answer.Body)
			return told{answer.StatusCode, answer.Header.Get("Content-Type"), text, time.Since(begun)}, err
		}
		answer, err := send()
		if !assert.NoError(t, err, "%s %s %.300s", op.method, path, sent) || answer.status == 0 {
			return
		}
		// What was slow may have waited for a machine that does other things: it is asked again.
		took := answer.took
		for tries := 0; tries < 3 && took > longestOdd && err == nil; tries++ {
			var again told
			again, err = send()
			took = again.took
		}
		statuses[answer.status]++
		assert.Less(t, answer.status, 500, "%s %s?%s\n%.1500s\n%.300s", op.method, path, query.Encode(), sent, answer.text)
		if answer.status >= 400 {
			assert.Less(t, len(answer.text), 50_000, "%s %s: what is told of it is short", op.method, path)
			assert.Equal(t, "application/problem+json", answer.kind, "%s %s: %.200s", op.method, path, answer.text)
		}
		if limit > 0 {
			assert.Less(t, took, longestOdd, "%s %s?%s\n%.1500s", op.method, path, query.Encode(), sent)
		}
	}
	begun := time.Now()
	for round := 0; (limit == 0 && round < 3) || time.Since(begun) < limit; round++ {
		for _, op := range operations {
			ask(op)
		}
	}
	var memory runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&memory)
	t.Logf("%v, heap %d MB", statuses, memory.HeapAlloc>>20)
}
