package torture

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"sync"
	"time"
)

// state is what a document may be: its version, text and whether it is posted.
type state struct {
	version int
	text    string
	posted  bool
}

// book is what clients were told, and what may have happened besides.
type book struct {
	mutex sync.Mutex
	next  int
	// entries are the documents that were acknowledged, by number, as they were last.
	entries map[string]state
	// unsure are what a document may be as well: a change of it was asked for, and not answered.
	unsure map[string][]state
	// lost are texts of new documents that were asked for, and not answered.
	lost map[string]bool
	// practice are the postings to the practice ledger that were acknowledged.
	practice map[string]bool
}

func newBook() *book {
	return &book{entries: map[string]state{}, unsure: map[string][]state{}, lost: map[string]bool{}, practice: map[string]bool{}}
}

// settle takes what is there for what happened, after a restart that was looked at.
func (b *book) settle(found map[string]state) {
	for number := range b.entries {
		b.entries[number] = found[number]
	}
	b.unsure, b.lost = map[string][]state{}, map[string]bool{}
}

func (b *book) text(client int) string {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	b.next++
	return fmt.Sprintf("Torture %d.%d", client, b.next)
}

// client writes to a server until it does not answer any more.
type client struct {
	id   int
	url  string
	book *book
	r    *rand.Rand
	http *http.Client
	mine []string // documents that it may change
}

// errGone is an answer that did not come, or that says that the server cannot work.
type errGone struct{ why string }

func (e errGone) Error() string { return e.why }

// ask sends a request. An error says that what was asked may have been done or not.
func (c *client) ask(ctx context.Context, path string, body, answer any) error {
	return ask(ctx, c.http, http.MethodPost, c.url, path, body, answer)
}

// ask sends a request, a file as it is and anything else as JSON, and reads its answer into a value; nil: it is not wanted.
func ask(ctx context.Context, by *http.Client, method, url, path string, body, answer any) error {
	var sent io.Reader
	kind := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		sent, kind = bytes.NewReader(b), "application/octet-stream"
	default:
		text, err := json.Marshal(b)
		if err != nil {
			return err
		}
		sent = bytes.NewReader(text)
	}
	request, err := http.NewRequestWithContext(ctx, method, url+"/api/v1"+path, sent)
	if err != nil {
		return err
	}
	if sent != nil {
		request.Header.Set("Content-Type", kind)
	}
	request.Header.Set("Authorization", "Bearer "+key)
	response, err := by.Do(request)
	if err != nil {
		return errGone{err.Error()}
	}
	defer func() { _ = response.Body.Close() }()
	told, err := io.ReadAll(response.Body)
	if err != nil {
		return errGone{err.Error()}
	}
	if response.StatusCode >= 500 {
		return errGone{fmt.Sprintf("%d: %.300s", response.StatusCode, told)}
	}
	if response.StatusCode >= 400 {
		return fmt.Errorf("%s: %d: %.500s", path, response.StatusCode, told)
	}
	if answer == nil {
		return nil
	}
	return json.Unmarshal(told, answer)
}

type (
	object = map[string]any
	answer struct {
		Record *struct {
			Number  string `json:"number"`
			Version int    `json:"version"`
			State   string `json:"state"`
		} `json:"record"`
		Summary struct {
			Number string `json:"number"`
		} `json:"summary"`
	}
)

func values(of map[string]string) object {
	items := object{}
	for key, value := range of {
		items[key] = object{"value": value}
	}
	return items
}

// entry is an accounting document of two lines.
func entry(number, text string) object {
	document := object{
		"kind": "accounting_document", "company": "10", "type": "JE", "day": "2026-11-24",
		"entered": values(map[string]string{"text": text, "posting_date": "2026-11-24"}),
		"lines": []any{
			object{"number": 1, "entered": values(map[string]string{"account": "590000", "debit": "25.10", "cost_centre": "K10900"})},
			object{"number": 2, "entered": values(map[string]string{"account": "159000", "credit": "25.10"})},
		},
	}
	if number != "" {
		document["record"] = number
	}
	return document
}

func order() object {
	line := values(map[string]string{"item": "I1001", "quantity": "2", "price": "19"})
	return object{
		"kind": "sales_order", "company": "10", "type": "SO", "day": "2026-11-24", "entered": values(map[string]string{"customer": "C10001"}),
		"lines": []any{object{"number": 1, "entered": line}, object{"number": 2, "entered": maps.Clone(line)}},
	}
}

// step does one thing, and notes it.
func (c *client) step(ctx context.Context) error {
	switch dice := c.r.IntN(10); {
	case dice < 4 || len(c.mine) == 0:
		return c.enter(ctx)
	case dice < 6:
		return c.change(ctx, c.mine[c.r.IntN(len(c.mine))])
	case dice < 8:
		return c.post(ctx, c.r.IntN(len(c.mine)))
	}
	var a answer
	err := c.ask(ctx, "/postings", object{"document": order()}, &a)
	if err != nil {
		return err
	}
	c.book.mutex.Lock()
	c.book.practice[a.Summary.Number] = true
	c.book.mutex.Unlock()
	return nil
}

func (c *client) enter(ctx context.Context) error {
	text := c.book.text(c.id)
	var a answer
	err := c.ask(ctx, "/records", object{"document": entry("", text)}, &a)
	c.book.mutex.Lock()
	defer c.book.mutex.Unlock()
	switch {
	case err != nil:
		c.book.lost[text] = true
		return err
	case a.Record == nil:
		return fmt.Errorf("a document was refused: %v", a)
	}
	c.book.entries[a.Record.Number] = state{a.Record.Version, text, false}
	c.mine = append(c.mine, a.Record.Number)
	return nil
}

// changed asks for a change of a document that makes another state of it.
func (c *client) changed(ctx context.Context, number string, to state, path string, body object) error {
	var a answer
	err := c.ask(ctx, path, body, &a)
	c.book.mutex.Lock()
	defer c.book.mutex.Unlock()
	switch {
	case err != nil:
		c.book.unsure[number] = append(c.book.unsure[number], to)
		return err
	case a.Record == nil:
		return fmt.Errorf("%s was refused", number)
	}
	to.version = a.Record.Version
	c.book.entries[number] = to
	return nil
}

func (c *client) change(ctx context.Context, number string) error {
	c.book.mutex.Lock()
	now := c.book.entries[number]
	c.book.mutex.Unlock()
	text := c.book.text(c.id)
	return c.changed(ctx, number, state{now.version + 1, text, false}, "/records", object{"document": entry(number, text), "version": now.version})
}

func (c *client) post(ctx context.Context, at int) error {
	number := c.mine[at]
	c.mine = append(c.mine[:at], c.mine[at+1:]...)
	c.book.mutex.Lock()
	now := c.book.entries[number]
	c.book.mutex.Unlock()
	return c.changed(ctx, number, state{now.version + 1, now.text, true}, "/records/accounting_document/"+number+"/post", object{"version": now.version})
}

// work lets clients write until the server does not answer, or the time is over. It returns what is no sign of that.
func work(ctx context.Context, url string, b *book, clients int, seed uint64, most time.Duration) error {
	ctx, done := context.WithTimeout(ctx, most)
	defer done()
	var group sync.WaitGroup
	errs := make(chan error, clients)
	for i := range clients {
		transport := &http.Transport{}
		c := &client{id: i, url: url, book: b, r: rand.New(rand.NewPCG(seed, uint64(i))), http: &http.Client{Transport: transport}}
		group.Go(func() {
			defer transport.CloseIdleConnections()
			for ctx.Err() == nil {
				// What was begun is waited for: only the server goes away.
				if err := c.step(context.WithoutCancel(ctx)); err != nil {
					errs <- err
					return
				}
			}
		})
	}
	group.Wait()
	close(errs)
	for err := range errs {
		if gone := (errGone{}); !errors.As(err, &gone) {
			return err
		}
	}
	return nil
}
