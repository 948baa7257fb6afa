package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"codicil/internal/app"
	"codicil/internal/contract"
)

// loading is where a file is loaded: in a file of data that nobody has open, or by a running server.
type loading interface {
	bring(ctx context.Context, kind, name string, file io.Reader) (contract.Load, error)
	setUp(ctx context.Context, id int64, setup contract.LoadSetup) (contract.Load, error)
	begin(ctx context.Context, id int64, check bool) (contract.Run, error)
	run(ctx context.Context, id int64) (contract.Run, error)
	hits(ctx context.Context, run int64, after string) (contract.RunHits, error)
	refused(ctx context.Context, id int64, to io.Writer) error
}

// loadOptions are what the command line says of a load, over what is found out about the file.
type loadOptions struct {
	kind, file, use, key, found, missing, blanks, encoding, separator, sheet, refused string
	columns, values, reasons                                                          map[string]string
	check, whole, post                                                                bool
}

func loadCommand() *cobra.Command {
	var data, server string
	var o loadOptions
	c := &cobra.Command{
		Use:   "load --kind KIND --file FILE",
		Short: "Load records from a CSV, XLSX or NDJSON file through the rules; --check only tells what would become of each row",
		Long: `Loads records from a file: every row goes through the rules as by hand. Columns are matched to fields by key and label;
--column says it where the name does not. Rows that the rules do not accept are told, and the command then ends with 1.
With --server it is done by a running server, which knows the program by the key in CODICIL_KEY; otherwise in a file of data that no server has open.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if server != "" {
				return o.load(c, &byServer{strings.TrimSuffix(server, "/") + "/api/v1"})
			}
			return onData(c, data, false, func(d *app.App) error {
				defer d.Close()
				return o.load(c, inFile{d})
			})
		},
	}
	f := c.Flags()
	f.StringVar(&data, "data", defaultData, "database file")
	f.StringVar(&server, "server", "", "address of a running server, http://127.0.0.1:8420; it loads instead")
	f.StringVar(&o.kind, "kind", "", "kind of the records: vendor")
	f.StringVar(&o.file, "file", "-", "file to load; - is standard input")
	f.StringVar(&o.use, "set-up", "", "named set-up to use")
	f.StringToStringVar(&o.columns, "column", nil, "column=field: the field that a column holds; blank leaves it out")
	f.StringToStringVar(&o.values, "value", nil, "field=value: what every row has; company and type among them")
	f.StringToStringVar(&o.reasons, "reason", nil, "rule=reason: for all rows that the rule asks about")
	f.StringVar(&o.key, "key", "", "number, or the fields of a unique rule, by which records are found; none: every row is new")
	f.StringVar(&o.found, "found", "", "what becomes of a row whose record is found: update, skip or refuse")
	f.StringVar(&o.missing, "missing", "", "what becomes of one whose record is not: add, skip or refuse")
	f.StringVar(&o.blanks, "blanks", "", "what a blank cell does: keep or clear")
	f.StringVar(&o.encoding, "encoding", "", "of CSV, where it is not found out rightly")
	f.StringVar(&o.separator, "separator", "", "of CSV, where it is not found out rightly")
	f.StringVar(&o.sheet, "sheet", "", "of a workbook; the first")
	f.StringVar(&o.refused, "refused", "", "file for the rows that are refused, with the reason beside each")
	f.BoolVar(&o.check, "check", false, "take the rows through the rules and keep nothing")
	f.BoolVar(&o.whole, "all-or-none", false, "load nothing where a row is refused")
	f.BoolVar(&o.post, "post", false, "post what was saved")
	_ = c.MarkFlagRequired("kind")
	return c
}

// set puts what the command line says over a set-up.
func (o *loadOptions) set(l *contract.Load) (contract.LoadSetup, error) {
	s := l.Setup
	if o.use != "" {
		at := slices.IndexFunc(l.Setups, func(named contract.LoadSetup) bool { return named.Name == o.use })
		if at < 0 {
			return s, fmt.Errorf("no set-up is called %q", o.use)
		}
		s = l.Setups[at]
	}
	for column, to := range o.columns {
		for other, held := range s.Columns {
			if held == to {
				delete(s.Columns, other)
			}
		}
		if s.Columns[column] = to; to == "" {
			delete(s.Columns, column)
		}
	}
	for field, value := range o.values {
		s.Constants[field] = value
	}
	for rule, reason := range o.reasons {
		s.Reasons[rule] = reason
	}
	switch o.key {
	case "":
	case "none":
		s.Key = []string{}
	default:
		s.Key = strings.Split(o.key, ",")
	}
	if o.found != "" {
		s.Found = contract.LoadSetupFound(o.found)
	}
	if o.missing != "" {
		s.Missing = contract.LoadSetupMissing(o.missing)
	}
	if o.blanks != "" {
		s.Blanks = contract.LoadSetupBlanks(o.blanks)
	}
	for _, option := range []struct {
		given string
		of    *string
	}{{o.encoding, &s.Encoding}, {o.separator, &s.Separator}, {o.sheet, &s.Sheet}} {
		if option.given != "" {
			*option.of = option.given
		}
	}
	s.Whole, s.Post = s.Whole || o.whole, s.Post || o.post
	return s, nil
}

var errNotAllLoaded = errors.New("not every row was accepted")

func (o *loadOptions) load(c *cobra.Command, by loading) error {
	ctx, out := c.Context(), c.OutOrStdout()
	var l contract.Load
	err := input(c, o.file, func(in io.Reader) (err error) {
		name := filepath.Base(o.file)
		if o.file == "-" {
			name = "standard input"
		}
		l, err = by.bring(ctx, o.kind, name, in)
		return err
	})
	if err != nil {
		return err
	}
	setup, err := o.set(&l)
	if err != nil {
		return err
	}
	if l, err = by.setUp(ctx, l.ID, setup); err != nil {
		return err
	}
	for _, column := range l.Columns {
		if l.Setup.Columns[column.Name] == "" {
			if _, err := fmt.Fprintf(out, "column %q is left out\n", column.Name); err != nil {
				return err
			}
		}
	}
	run, err := by.begin(ctx, l.ID, o.check)
	if err != nil {
		return err
	}
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for run.EndedAt == nil {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-tick.C:
		}
		if run, err = by.run(ctx, run.ID); err != nil {
			return err
		}
	}
	if err := o.tell(ctx, out, by, run); err != nil {
		return err
	}
	if run.State != contract.RunStateDone {
		return fmt.Errorf("the run ended as %s: %s", run.State, run.Problem)
	}
	rejected := run.Counts["refuse"] + run.Counts["confirm"]
	if rejected > 0 && o.refused != "" {
		if err := output(c, o.refused, func(w io.Writer) error { return by.refused(ctx, l.ID, w) }); err != nil {
			return err
		}
	}
	if rejected > 0 || run.Counts["unposted"] > 0 {
		return errNotAllLoaded
	}
	return nil
}

// tell writes what became of the rows that somebody must look at, and the counts.
func (o *loadOptions) tell(ctx context.Context, out io.Writer, by loading, run contract.Run) error {
	for after := ""; ; {
		page, err := by.hits(ctx, run.ID, after)
		if err != nil {
			return err
		}
		for _, h := range page.Hits {
			if h.What != contract.RunHitWhatRefuse && h.What != contract.RunHitWhatConfirm && h.What != contract.RunHitWhatStays {
				page.Next = "" // those that matter more come first
				break
			}
			asks := ""
			for _, rule := range h.Asks {
				asks += fmt.Sprintf(" (rule %d asks for a reason)", rule)
			}
			if _, err := fmt.Fprintf(out, "row %-6d %-8s %s: %s%s\n", h.Row, h.What, h.Title, h.Said, asks); err != nil {
				return err
			}
		}
		if after = page.Next; after == "" {
			break
		}
	}
	var counts []string
	for what, n := range run.Counts {
		counts = append(counts, fmt.Sprintf("%s %d", what, n))
	}
	slices.Sort(counts)
	_, err := fmt.Fprintf(out, "%s: %s\n", run.What, strings.Join(counts, ", "))
	return err
}

// inFile loads into a file of data.
type inFile struct{ d *app.App }

func (f inFile) bring(ctx context.Context, kind, name string, file io.Reader) (contract.Load, error) {
	return f.d.Loads.Bring(ctx, kind, name, file)
}

func (f inFile) setUp(ctx context.Context, id int64, setup contract.LoadSetup) (contract.Load, error) {
	return f.d.Loads.SetUp(ctx, id, setup)
}

func (f inFile) begin(ctx context.Context, id int64, check bool) (contract.Run, error) {
	if check {
		return f.d.Loads.Check(ctx, id)
	}
	return f.d.Loads.Start(ctx, id)
}

func (f inFile) run(ctx context.Context, id int64) (contract.Run, error) {
	return f.d.Runs.Get(ctx, id)
}

func (f inFile) hits(ctx context.Context, run int64, after string) (contract.RunHits, error) {
	return f.d.Runs.Hits(ctx, run, after, 500)
}

func (f inFile) refused(ctx context.Context, id int64, to io.Writer) error {
	return f.d.Loads.Refused(ctx, id, to)
}

// keyVariable names the variable of the environment that holds the key by which a program is known to a server. It is no
// flag, which every user of the machine could read.
const keyVariable = "CODICIL_KEY"

// byServer lets a running server load.
type byServer struct{ base string }

// ask sends a request, and reads the answer as JSON, or copies it where it is to be written.
func (s *byServer) ask(ctx context.Context, method, path, kind string, body io.Reader, answer any) error {
	r, err := http.NewRequestWithContext(ctx, method, s.base+path, body)
	if err != nil {
		return err
	}
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	if key := os.Getenv(keyVariable); key != "" {
		r.Header.Set("Authorization", "Bearer "+key)
	}
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return fmt.Errorf("the server does not answer: %w", err)
	}
	defer func() { _ = response.Body.Close() }()
	if response.StatusCode >= http.StatusBadRequest {
		var problem contract.Problem
		if err := json.NewDecoder(response.Body).Decode(&problem); err != nil || problem.Detail == "" {
			return fmt.Errorf("the server answers %s", response.Status)
		}
		return errors.New(problem.Detail)
	}
	if to, writes := answer.(io.Writer); writes {
		_, err = io.Copy(to, response.Body)
		return err
	}
	return json.NewDecoder(response.Body).Decode(answer)
}

func (s *byServer) bring(ctx context.Context, kind, name string, file io.Reader) (l contract.Load, err error) {
	err = s.ask(ctx, http.MethodPost, "/loads?"+url.Values{"kind": {kind}, "name": {name}}.Encode(), "application/octet-stream", file, &l)
	return l, err
}

func (s *byServer) setUp(ctx context.Context, id int64, setup contract.LoadSetup) (l contract.Load, err error) {
	text, err := json.Marshal(setup)
	if err != nil {
		return l, err
	}
	err = s.ask(ctx, http.MethodPut, "/loads/"+strconv.FormatInt(id, 10), "application/json", bytes.NewReader(text), &l)
	return l, err
}

func (s *byServer) begin(ctx context.Context, id int64, check bool) (r contract.Run, err error) {
	what := "/start"
	if check {
		what = "/check"
	}
	err = s.ask(ctx, http.MethodPost, "/loads/"+strconv.FormatInt(id, 10)+what, "", nil, &r)
	return r, err
}

func (s *byServer) run(ctx context.Context, id int64) (r contract.Run, err error) {
	err = s.ask(ctx, http.MethodGet, "/runs/"+strconv.FormatInt(id, 10), "", nil, &r)
	return r, err
}

func (s *byServer) hits(ctx context.Context, run int64, after string) (h contract.RunHits, err error) {
	err = s.ask(ctx, http.MethodGet, "/runs/"+strconv.FormatInt(run, 10)+"/hits?"+url.Values{"after": {after}, "limit": {"500"}}.Encode(), "", nil, &h)
	return h, err
}

func (s *byServer) refused(ctx context.Context, id int64, to io.Writer) error {
	return s.ask(ctx, http.MethodGet, "/loads/"+strconv.FormatInt(id, 10)+"/refused", "", nil, to)
}
