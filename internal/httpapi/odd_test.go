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

// told is an answer to a request that was made by chance.
type told struct {
	status int // 0: the address is one that no client can send
	kind   string
	text   []byte
	took   time.Duration
}

// tell sends a request and waits for its answer.
func (c *client) tell(method, path, sent string) (told, error) {
	ctx, leave := context.WithTimeout(c.t.Context(), time.Minute)
	defer leave()
	request, err := http.NewRequestWithContext(ctx, method, c.server.URL+"/api/v1"+path, strings.NewReader(sent))
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

// answered sends a request that was made by chance: it is no error of the program, and what is told of it is short. Where
// longest is set, it also takes no longer.
func (c *client) answered(method, path, sent string, longest time.Duration) told {
	c.t.Helper()
	answer, err := c.tell(method, path, sent)
	if !assert.NoError(c.t, err, "%s %.500s %.300s", method, path, sent) || answer.status == 0 {
		return answer
	}
	// What was slow may have waited for a machine that does other things: it is asked again.
	took := answer.took
	for tries := 0; tries < 3 && longest > 0 && took > longest && err == nil; tries++ {
		var again told
		again, err = c.tell(method, path, sent)
		took = again.took
	}
	assert.Less(c.t, answer.status, 500, "%s %.500s\n%.1500s\n%.300s", method, path, sent, answer.text)
	if answer.status >= 400 {
		assert.Less(c.t, len(answer.text), 50_000, "%s %.500s: what is told of it is short", method, path)
		assert.Equal(c.t, "application/problem+json", answer.kind, "%s %.500s: %.200s", method, path, answer.text)
	}
	if longest > 0 {
		assert.Less(c.t, took, longest, "%s %.500s\n%.1500s", method, path, sent)
	}
	return answer
}

// chances says how long requests are made by chance, and by which seed: CODICIL_ODD says how long; otherwise each operation
// is asked a few times.
func chances(t *testing.T) (limit time.Duration, r *rand.Rand) {
	t.Helper()
	limit, _ = time.ParseDuration(os.Getenv("CODICIL_ODD"))
	seed := uint64(1)
	if limit > 0 {
		seed = uint64(time.Now().UnixNano())
	}
	t.Logf("seed %d", seed)
	return limit, rand.New(rand.NewPCG(seed, seed))
}

// longestOdd is how long an odd request may take, where it is asked for a time.
const longestOdd = 2 * time.Second

// TestOddRequestsAreAnswered sends odd requests to every operation: none makes an error of the program, and none takes
// long.
func TestOddRequestsAreAnswered(t *testing.T) {
	c := start(t)
	limit, r := chances(t)
	o, longest := &odd{r: r}, time.Duration(0)
	if limit > 0 {
		longest = longestOdd
	}
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
		statuses[c.answered(op.method, path+"?"+query.Encode(), sent, longest).status]++
	}
	operations := operations(t)
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
