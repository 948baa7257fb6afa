package httpapi_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/httpapi"
	"codicil/internal/store"
)

// line is one on which somebody listens.
type line struct {
	*visitor
	heard chan contract.News
	last  chan string
	over  chan struct{}
	leave func()
}

// listen listens from now on.
func (v *visitor) listen(after string) *line {
	v.t.Helper()
	ctx, leave := context.WithCancel(v.t.Context())
	v.t.Cleanup(leave)
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, v.server.URL+"/api/v1/news", nil)
	require.NoError(v.t, err)
	request.Header = v.header.Clone()
	if after != "" {
		request.Header.Set("Last-Event-ID", after)
	}
	answer, err := http.DefaultClient.Do(request) //nolint:bodyclose // it is when the line is over
	require.NoError(v.t, err)
	require.Equal(v.t, http.StatusOK, answer.StatusCode)
	require.Equal(v.t, "text/event-stream", answer.Header.Get("Content-Type"))
	l := &line{v, make(chan contract.News, 1000), make(chan string, 1000), make(chan struct{}), leave}
	lines := bufio.NewScanner(answer.Body)
	require.True(v.t, lines.Scan())
	go func() {
		defer close(l.over)
		defer func() { _ = answer.Body.Close() }()
		for lines.Scan() {
			if id, is := strings.CutPrefix(lines.Text(), "id: "); is {
				l.last <- id
			}
			if data, is := strings.CutPrefix(lines.Text(), "data: "); is {
				var n contract.News
				if json.Unmarshal([]byte(data), &n) == nil {
					l.heard <- n
				}
			}
		}
	}()
	return l
}

const soon = 20 * time.Second

// hears waits for a change of a vendor.
func (l *line) hears(number string) contract.NewsChange {
	l.t.Helper()
	for {
		select {
		case n := <-l.heard:
			for _, c := range n.Changes {
				if c.Kind == "vendor" && c.Key == number {
					return c
				}
			}
		case <-time.After(soon):
			require.Fail(l.t, "nothing was told", "%s", number)
		}
	}
}

// all returns what was told until a change of a thing.
func (l *line) all(kind, key string) (changes []contract.NewsChange) {
	l.t.Helper()
	for {
		select {
		case n := <-l.heard:
			for _, c := range n.Changes {
				if changes = append(changes, c); c.Kind == kind && c.Key == key {
					return changes
				}
			}
		case <-time.After(soon):
			require.Fail(l.t, "nothing was told", "%s %s", kind, key)
		}
	}
}

// happens writes to the trail that a person changed something.
func (h *house) happens(kind, key, company, what string) {
	h.t.Helper()
	by := record.Stamp{At: store.Instant(h.time()), By: "Ada Quill", Person: "ada", Via: "browser"}
	require.NoError(h.t, h.store.Note(h.t.Context(), by, store.TrailEntry{What: what, Kind: kind, Key: key, Company: company, After: []byte{1}}))
}

func TestWhoListensHearsWhatIsTheirs(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	moya, jun := h.as("Moya Burke", nil, "administrator", "keeper", "operator", "reader"), h.as("Jun Marsh", []string{"30"}, "operator")
	all, some := moya.listen(""), jun.listen("")
	got := moya.ask(http.MethodPost, "/api/v1/records", contract.SaveRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Entered: map[string]judge.Item{
		"name": {Value: "Harbour Survey Co"}, "country": {Value: "IE"}, "control_account": {Value: "211000"}, "bank_account": {Value: "IE21BRNW99010199999999"}, "email": {Value: "a@b.example"},
	}}})
	var saved contract.SaveAnswer
	require.NoError(t, json.Unmarshal([]byte(got.text), &saved))
	require.NotNil(t, saved.Record, got.text)
	change := all.hears(saved.Record.Number)
	assert.True(t, change.Self)
	h.happens("rule", "7", "", "changed")
	h.happens("vendor", "V10001", "10", "saved")
	h.happens("refusal", "V30009", "", "refused")
	h.happens("vendor", "V30001", "30", "saved")
	assert.Equal(t, []contract.NewsChange{{Kind: "rule"}, {Kind: "vendor", Key: "V30001", By: "Ada Quill"}}, some.all("vendor", "V30001"), "what is of other companies is not told, nor who changes rules")
	assert.Equal(t, []contract.NewsChange{{Kind: "rule", Key: "7", By: "Ada Quill"}, {Kind: "vendor", Key: "V10001", By: "Ada Quill"}, {Kind: "vendor", Key: "V30001", By: "Ada Quill"}}, all.all("vendor", "V30001"))

	// Whoever was away hears what they missed, and of much only that it was much.
	id := ""
	for len(some.last) > 0 {
		id = <-some.last
	}
	h.happens("vendor", "V30002", "30", "saved")
	jun.listen(id).hears("V30002")
	for range 300 {
		h.happens("vendor", "V30003", "30", "saved")
	}
	require.Eventually(t, func() bool { return (<-jun.listen(id).heard).Much }, soon, time.Millisecond)

	// Once that is told, changes are told one by one again.
	require.Eventually(t, func() bool {
		h.happens("vendor", "V30005", "30", "saved")
		n := <-all.heard
		return len(n.Changes) == 1 && !n.Much
	}, soon, time.Millisecond)

	// Rights that are taken away are so at once, and a session that ends takes the line with it.
	p, err := h.store.Person(t.Context(), "jun-marsh")
	require.NoError(t, err)
	_, err = h.app.People.Change(h.own(), p.ID, contract.PersonChange{Name: p.Name, SignInName: p.SignIn, Companies: []string{"20"}, Roles: []string{"operator"}, Version: p.Version})
	require.NoError(t, err)
	last := jun.listen("")
	h.happens("vendor", "V30004", "30", "saved")
	h.happens("vendor", "V20001", "20", "saved")
	assert.Len(t, last.all("vendor", "V20001"), 1)
	require.Equal(t, http.StatusNoContent, jun.ask(http.MethodDelete, "/api/v1/session", nil).status)
	for _, l := range []*line{some, last} {
		select {
		case <-l.over:
		case <-time.After(soon):
			require.Fail(t, "they still listen")
		}
	}
}

// However often people come and go, one looks at the trail for all who listen, and they hear what happens.
func TestOneLooksForAllWhoListen(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	moya := h.as("Moya Burke", nil, "administrator", "keeper", "operator", "reader")
	for range 20 {
		l := moya.listen("")
		l.leave()
		<-l.over
	}
	stays := moya.listen("")
	require.Eventually(t, func() bool {
		stacks := make([]byte, 4<<20)
		stacks = stacks[:runtime.Stack(stacks, true)]
		return bytes.Count(stacks, []byte("news.(*Service).look(")) == 1
	}, soon, 50*time.Millisecond)
	h.happens("vendor", "V30001", "30", "saved")
	stays.hears("V30001")
}

func TestListeningIsNoSignOfBeingAtWork(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	jun := h.as("Jun Marsh", []string{"30"}, "operator")
	l := jun.listen("")
	h.later(40 * time.Minute)
	h.happens("vendor", "V30001", "30", "saved")
	l.hears("V30001")
	h.later(30 * time.Minute)
	assert.False(t, jun.in(), "a session that rests ends, whatever listens")
	h.happens("vendor", "V30002", "30", "saved")
	select {
	case <-l.over:
	case <-time.After(soon):
		require.Fail(t, "they still listen")
	}
	tabs := h.as("Ines Hale", nil, "reader")
	for range 20 {
		tabs.listen("")
	}
	assert.Equal(t, http.StatusTooManyRequests, tabs.ask(http.MethodGet, "/api/v1/news", nil).status)
	assert.Equal(t, http.StatusUnauthorized, (&visitor{house: h}).ask(http.MethodGet, "/api/v1/news", nil).status)
}

// at says where somebody is, and returns who else is there.
func (v *visitor) at(kind, key, tab string, changing bool) string {
	v.t.Helper()
	got := v.ask(http.MethodPost, "/api/v1/presence", contract.Presence{Kind: kind, Key: key, Tab: tab, Changing: changing})
	if got.status != http.StatusOK {
		return got.code()
	}
	var others []contract.PresentPerson
	require.NoError(v.t, json.Unmarshal([]byte(got.text), &others))
	text := ""
	for _, o := range others {
		text += fmt.Sprintf("%s changing %v self %v; ", o.Name, o.Changing, o.Self)
	}
	return text
}

func TestPeopleSeeWhoElseIsThere(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	moya, tobias, jun := h.as("Moya Burke", nil, "keeper", "operator"), h.as("Tobias Hale", nil, "keeper"), h.as("Jun Marsh", []string{"30"}, "operator")
	line := moya.listen("")
	assert.Empty(t, moya.at("vendor", "V10001", "a", false))
	assert.Equal(t, "Moya Burke changing false self false; ", tobias.at("vendor", "V10001", "a", true))
	n := <-line.heard
	assert.Equal(t, []contract.NewsThing{{Kind: "vendor", Key: "V10001"}}, n.Presence)
	assert.Equal(t, "Tobias Hale changing true self false; ", moya.at("vendor", "V10001", "a", false))
	assert.Equal(t, "Moya Burke changing false self true; Tobias Hale changing true self false; ", moya.at("vendor", "V10001", "b", false))
	assert.Empty(t, tobias.at("rule", "1", "a", true), "who goes on is no longer there")
	<-line.heard
	assert.Equal(t, "Moya Burke changing false self true; ", moya.at("vendor", "V10001", "a", false))
	assert.Empty(t, moya.at("", "", "b", false))
	h.later(30 * time.Second)
	assert.Equal(t, "Tobias Hale changing true self false; ", moya.at("rule", "1", "a", false))
	h.later(30 * time.Second)
	assert.Empty(t, moya.at("rule", "1", "a", false), "who says nothing for long has gone")

	for _, c := range []struct{ kind, key, code string }{
		{"vendor", "V10001", "not-found"}, {"vendor", "V39999", "not-found"}, {"rule", "1", "not-allowed"}, {"person", "jun-marsh", "presence-nowhere"}, {"vendor", "new", "not-found"},
	} {
		assert.Equal(t, c.code, strings.Split(jun.at(c.kind, c.key, "a", true), ".")[0], c.kind+" "+c.key)
	}
	assert.Equal(t, "not-found", tobias.at("rule", "nonsense", "a", true))
}
