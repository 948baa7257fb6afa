// Package loads brings many records in from files: each row goes through the same rules as by hand, is previewed, checked,
// saved, and can be taken back.
//
// It must never write a record in another way than those that people save. Start reading at Service.Bring.
package loads

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/posting"
	"codicil/internal/app/records"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Service serves these use cases.
type Service struct {
	base    *judging.Service
	records *records.Service
	posting *posting.Service
	runs    *runs.Service
	// within returns what saves records in a transaction.
	within func(*judging.Service) *records.Service
	// TakeBack begins to take back what a run wrote that writes no more.
	TakeBack func(ctx context.Context, of contract.Run) (contract.Run, error)
	// InOneCommit is how many records are loaded all or none in one commit, held in memory until then.
	InOneCommit int
}

// New returns the use cases; within returns what saves records in a transaction.
func New(j *judging.Service, r *records.Service, p *posting.Service, w *runs.Service, within func(*judging.Service) *records.Service) *Service {
	return &Service{base: j, records: r, posting: p, runs: w, within: within, InOneCommit: 10_000}
}

const (
	// mostKept is how many loads stay, each with its file.
	mostKept = 100
	// LargestFile is how many bytes a file may have.
	LargestFile = 200 << 20
	// samplesShown is how many values of a column are shown.
	samplesShown = 3
)

var (
	fileUnreadable = notice.Define("file-unreadable", "{why}")
	fileTooLarge   = notice.Define("file-too-large", "a file may have {most} MB at most: divide it, or bring it as CSV")
	loadRuns       = notice.Define("load-runs", "this load is at work in run {run}; wait for its end, or stop it first")
)

// about is what was found out about a file.
type about struct {
	Source  exchange.Source `json:"source"`
	Samples [][]string      `json:"samples"` // by column
}

// file is a load as it is kept.
type file struct {
	store.Load
	about about
	setup contract.LoadSetup
}

func (f *file) open(ctx context.Context, s *store.Store) exchange.Open {
	return func() (io.ReadCloser, error) { return s.OpenLoad(ctx, f.ID), nil }
}

// limited refuses what is too large.
type limited struct {
	in   io.Reader
	left int64
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.in.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return n, fault.Bad(fileTooLarge, LargestFile>>20)
	}
	return n, err
}

// Bring keeps a file, finds out how it is read, and matches its columns to fields. The error says why it cannot be read;
// then nothing is kept. Cost: the file, a piece of it in memory.
func (s *Service) Bring(ctx context.Context, kind, name string, in io.Reader) (contract.Load, error) {
	if err := access.NeedFor(ctx, kind, actor.RecordsMany); err != nil {
		return contract.Load{}, err
	}
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return contract.Load{}, err
	}
	k, err := ref.Kind(kind)
	if err != nil {
		return contract.Load{}, err
	}
	by, err := s.base.Line.Stamp(ctx)
	if err != nil {
		return contract.Load{}, err
	}
	kept, err := s.base.Store.AddLoad(ctx, store.Load{Kind: k.Key, Name: name, About: "{}", Setup: "{}", Brought: by}, &limited{in, LargestFile}, mostKept)
	if err != nil {
		return contract.Load{}, err
	}
	f := &file{Load: kept}
	if err = s.look(ctx, f, exchange.Source{}); err == nil {
		if f.setup, err = s.guess(ctx, ref, k, f); err == nil {
			err = s.keep(ctx, f)
		}
	}
	if err != nil {
		return contract.Load{}, errors.Join(told(err), s.base.Store.DeleteLoad(context.WithoutCancel(ctx), f.ID))
	}
	if err := s.base.Store.Note(ctx, by, store.TrailEntry{What: "brought", Kind: "load", Key: strconv.FormatInt(f.ID, 10), Note: f.Name}); err != nil {
		return contract.Load{}, err
	}
	return s.show(ctx, ref, k, f)
}

// told is an error of reading a file, for people.
func told(err error) error {
	var why *exchange.UnreadableError
	if errors.As(err, &why) {
		return fault.Bad(fileUnreadable, why.Why)
	}
	return err
}

// look finds out how a file is read, and takes samples.
func (s *Service) look(ctx context.Context, f *file, given exchange.Source) (err error) {
	open := f.open(ctx, s.base.Store)
	if f.about.Source, err = exchange.Look(f.Name, open, given); err != nil {
		return told(err)
	}
	f.about.Samples = make([][]string, len(f.about.Source.Columns))
	enough := errors.New("enough")
	rows := 0
	err = f.about.Source.Each(open, func(r *exchange.Row) error {
		for i, c := range r.Cells {
			if have := f.about.Samples[i]; c.Text != "" && len(have) < samplesShown {
				f.about.Samples[i] = append(have, clipped(c.Text))
			}
		}
		if rows++; rows == 200 {
			return enough
		}
		return nil
	})
	if errors.Is(err, enough) {
		err = nil
	}
	return told(err)
}

// clipped is the beginning of a text.
func clipped(text string) string {
	if letters := []rune(text); len(letters) > 60 {
		return string(letters[:59]) + "…"
	}
	return text
}

func (s *Service) keep(ctx context.Context, f *file) error {
	seen, err := json.Marshal(f.about)
	if err != nil {
		return err
	}
	setup, err := json.Marshal(f.setup)
	if err != nil {
		return err
	}
	f.About, f.Setup = string(seen), string(setup)
	return s.base.Store.SaveLoad(ctx, f.Load, f.setup.Name)
}

func read(l store.Load) (*file, error) {
	f := &file{Load: l}
	if err := json.Unmarshal([]byte(l.About), &f.about); err != nil {
		return nil, err
	}
	return f, json.Unmarshal([]byte(l.Setup), &f.setup)
}

// find returns a load with its kind.
func (s *Service) find(ctx context.Context, id int64) (*cache.Reference, *record.Kind, *file, error) {
	kept, err := s.base.Store.Load(ctx, id)
	if err != nil {
		return nil, nil, nil, commit.Explain(err)
	}
	f, err := read(kept)
	if err != nil {
		return nil, nil, nil, err
	}
	ref, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	kind, err := ref.Kind(f.Kind)
	if err == nil {
		err = access.NeedFor(ctx, f.Kind, actor.RecordsMany)
	}
	if !seen(ctx, &kept) { // what is in a file may be of any company
		err = commit.Explain(&store.NotFoundError{What: "load", Key: strconv.FormatInt(id, 10)})
	}
	return ref, kind, f, err
}

// seen tells whether who asks may see a load: they brought it, or are in all companies.
func seen(ctx context.Context, l *store.Load) bool {
	return access.Everywhere(ctx) || l.Brought.Person == actor.Of(ctx).ID
}

// List returns the newest loads.
func (s *Service) List(ctx context.Context) ([]contract.Load, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return nil, err
	}
	all, err := s.base.Store.Loads(ctx, mostKept)
	if err != nil {
		return nil, err
	}
	shown := []contract.Load{}
	for _, l := range all {
		if !seen(ctx, &l) || !access.Has(ctx, actor.RecordsMany, l.Kind) {
			continue
		}
		f, err := read(l)
		if err != nil {
			return nil, err
		}
		ref, err := s.base.Cache.Seen(ctx)
		if err != nil {
			return nil, err
		}
		kind, err := ref.Kind(f.Kind)
		if err != nil {
			continue // its kind is gone
		}
		one, err := s.show(ctx, ref, kind, f)
		if err != nil {
			return nil, err
		}
		shown = append(shown, one)
	}
	return shown, nil
}

// Get returns a load.
func (s *Service) Get(ctx context.Context, id int64) (contract.Load, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return contract.Load{}, err
	}
	ref, kind, f, err := s.find(ctx, id)
	if err != nil {
		return contract.Load{}, err
	}
	return s.show(ctx, ref, kind, f)
}

func (s *Service) show(ctx context.Context, ref *cache.Reference, kind *record.Kind, f *file) (l contract.Load, err error) {
	source := &f.about.Source
	l = contract.Load{
		ID: f.ID, Kind: f.Kind, Name: f.Name, Form: contract.LoadForm(source.Form), Encoding: source.Encoding, Separator: source.Separator,
		Sheets: append([]string{}, source.Sheets...), Rows: source.Rows, Setup: f.setup, By: f.Brought.By, Columns: []contract.LoadColumn{}, Setups: []contract.LoadSetup{},
	}
	l.At, _ = clock.When(f.Brought)
	targets := targetsOf(ref, kind)
	for i, column := range source.Columns {
		c := contract.LoadColumn{Name: column, Samples: append([]string{}, f.about.Samples[i]...)}
		if at := targets.match(column); f.setup.Columns[column] == "" && at != nil && at.leftOut {
			c.LeftOut = at.label
		}
		l.Columns = append(l.Columns, c)
	}
	if l.Keys, err = s.keys(ctx, kind); err != nil {
		return l, err
	}
	setups, err := s.base.Store.LoadSetups(ctx, kind.Key)
	if err != nil {
		return l, err
	}
	for _, kept := range setups {
		var setup contract.LoadSetup
		if err := json.Unmarshal([]byte(kept.Setup), &setup); err != nil {
			return l, err
		}
		l.Setups = append(l.Setups, setup)
	}
	l.Runs, err = s.runs.About(ctx, f.ID)
	return l, err
}

// SetUp says how a file is read and what is to become of its rows.
func (s *Service) SetUp(ctx context.Context, id int64, setup contract.LoadSetup) (contract.Load, error) {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return contract.Load{}, err
	}
	ref, kind, f, err := s.find(ctx, id)
	if err != nil {
		return contract.Load{}, err
	}
	if err := s.idle(ctx, id); err != nil {
		return contract.Load{}, err
	}
	setup.Name = strings.TrimSpace(setup.Name)
	old := f.setup
	f.setup = setup
	if setup.Encoding != old.Encoding || setup.Separator != old.Separator || setup.Sheet != old.Sheet {
		if err := s.look(ctx, f, exchange.Source{Encoding: setup.Encoding, Separator: setup.Separator, Sheet: setup.Sheet}); err != nil {
			return contract.Load{}, err
		}
	}
	if _, err := s.plan(ctx, ref, kind, f); err != nil {
		return contract.Load{}, err
	}
	by, err := s.base.Line.Stamp(ctx)
	if err != nil {
		return contract.Load{}, err
	}
	err = errors.Join(s.keep(ctx, f), s.base.Store.Note(ctx, by, store.TrailEntry{What: "set up", Kind: "load", Key: strconv.FormatInt(id, 10), Note: f.Name}))
	if err != nil {
		return contract.Load{}, err
	}
	return s.show(ctx, ref, kind, f)
}

// idle refuses what may not be done while a run of the load works.
func (s *Service) idle(ctx context.Context, id int64) error {
	all, err := s.runs.About(ctx, id)
	for _, r := range all {
		if r.State == contract.RunStateRunning || r.State == contract.RunStateWaiting {
			return fault.Hindered(loadRuns, r.ID)
		}
	}
	return err
}

// Remove removes a load with its file. What it loaded stays; its runs can still take it back.
func (s *Service) Remove(ctx context.Context, id int64) error {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return err
	}
	if _, _, _, err := s.find(ctx, id); err != nil {
		return err
	}
	if err := s.idle(ctx, id); err != nil {
		return err
	}
	by, err := s.base.Line.Stamp(ctx)
	if err != nil {
		return err
	}
	return errors.Join(s.base.Store.DeleteLoad(ctx, id), s.base.Store.Note(ctx, by, store.TrailEntry{What: "removed", Kind: "load", Key: strconv.FormatInt(id, 10)}))
}

// RemoveSetup removes a named set-up of a kind; loads that were set up by it stay as they are.
func (s *Service) RemoveSetup(ctx context.Context, kind, name string) error {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return err
	}
	if _, _, err := s.base.KindOf(ctx, kind); err != nil {
		return err
	}
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error { return tx.DeleteLoadSetup(ctx, kind, name, by) })
}

// Refused writes the rows that the last check or load refused, as CSV.
func (s *Service) Refused(ctx context.Context, id int64, to io.Writer) error {
	if err := access.Need(ctx, actor.RecordsMany); err != nil {
		return err
	}
	if _, _, _, err := s.find(ctx, id); err != nil {
		return err
	}
	all, err := s.runs.About(ctx, id)
	if err != nil {
		return err
	}
	for _, r := range all {
		if r.What == contract.RunWhatTakeBack {
			continue
		}
		err := s.base.Store.RunFile(ctx, r.ID, runs.Refused, to)
		if errors.Is(err, store.ErrNotFound) {
			return fault.Missing("a row that was refused in run %d", r.ID)
		}
		return err
	}
	return fault.Missing("a check of this load")
}

// refusedRow is a row of the file of refused rows.
func refusedRow(cells []string) []byte {
	var out bytes.Buffer
	_ = exchange.WriteTo(&out, [][]string{cells}) // into memory: it cannot fail
	return out.Bytes()
}

// why is the column that tells why a row was refused. It is passed over when the file is loaded again.
const why = "Why it was not loaded"

// columns of the file, without the one that tells why.
func (f *file) columns() []string {
	return slices.DeleteFunc(slices.Clone(f.about.Source.Columns), func(c string) bool { return c == why })
}
