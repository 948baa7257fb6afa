// Package backups makes backups of the running application, on demand and by a schedule, and keeps the head of the trail
// outside of the data.
//
// It must never know what a backup holds. Start reading at Service.Make.
package backups

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/backup"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Plan says where and how often backups are made.
type Plan struct {
	Folder string // "": nowhere
	Every  time.Duration
	Keep   int // how many stay; 0: all
	// Heads is a file to which the head of the trail is added every HeadEvery; "": none.
	Heads string
}

// headEvery is how often the head of the trail is kept outside.
const headEvery = 10 * time.Minute

// Service serves these use cases.
type Service struct {
	base *judging.Service

	mutex   sync.Mutex
	problem string
	folder  string // of the schedule; "": there is none
}

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{base: j} }

// Make writes a backup. It holds all companies, so that only who is in all may make one.
func (s *Service) Make(ctx context.Context, to io.Writer) (backup.Manifest, error) {
	if err := access.Need(ctx, actor.BackupMake); err != nil {
		return backup.Manifest{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return backup.Manifest{}, err
	}
	m, err := backup.Write(ctx, s.base.Store, s.base.Clock(), to)
	if err != nil {
		return m, commit.Explain(err)
	}
	return m, s.note(ctx, "made", m.Trail)
}

func (s *Service) note(ctx context.Context, what, note string) error {
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		return tx.Note(ctx, by, store.TrailEntry{What: what, Kind: "backup", Note: note})
	})
}

// Problem is why the last backup by the schedule was not made; "": it was, or there is no schedule.
func (s *Service) Problem() string {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return s.problem
}

// schedule is who makes backups by the schedule, as the trail tells.
const schedule = "Codicil"

// mostMade is how many backups on demand are named.
const mostMade = 200

// Made are the backups that people made, the newest first, as far as the trail goes back. Nobody knows where they are kept.
func (s *Service) Made(ctx context.Context) (made []contract.BackupMade, err error) {
	entries, err := s.base.Store.Trail(ctx, store.TrailQuery{Kind: "backup", What: "made", Limit: mostMade})
	made = []contract.BackupMade{}
	for i := range entries {
		if e := &entries[i]; e.Person != schedule {
			made = append(made, contract.BackupMade{At: e.At, By: e.By})
		}
	}
	return made, err
}

// Kept names the files of backups that the schedule has made and that are there, the oldest first.
func (s *Service) Kept() (names []string) {
	s.mutex.Lock()
	folder := s.folder
	s.mutex.Unlock()
	if folder == "" {
		return nil
	}
	names, _ = filepath.Glob(filepath.Join(folder, prefix+"*"+suffix)) // the pattern is sound
	for i := range names {
		names[i] = filepath.Base(names[i])
	}
	slices.Sort(names)
	return names
}

const (
	prefix = "codicil-"
	suffix = ".backup"
)

// Run makes backups, and keeps the head of the trail, by a plan, until the context ends.
func (s *Service) Run(ctx context.Context, p Plan) {
	ctx = actor.With(ctx, actor.Named(schedule, actor.CommandLine))
	s.mutex.Lock()
	s.folder = p.Folder
	s.mutex.Unlock()
	var group sync.WaitGroup
	if p.Folder != "" {
		group.Go(func() { s.each(ctx, p.Every, func() { s.scheduled(ctx, p) }) })
	}
	if p.Heads != "" {
		group.Go(func() {
			keep := func() {
				if err := s.keepHead(context.WithoutCancel(ctx), p.Heads); err != nil {
					slog.Error("the head of the trail could not be kept", "file", p.Heads, "error", err)
				}
			}
			s.each(ctx, headEvery, keep)
			keep()
		})
	}
	group.Wait()
}

// each does something now, and then again and again.
func (s *Service) each(ctx context.Context, every time.Duration, do func()) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		do()
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// scheduled makes a backup if the last is older than the plan says, and removes those that are too many.
func (s *Service) scheduled(ctx context.Context, p Plan) {
	err := s.make(ctx, p)
	if ctx.Err() != nil {
		return
	}
	problem := ""
	if err != nil {
		problem = fmt.Sprintf("The backup of %s was not made: %v", s.base.Clock().UTC().Format(time.DateTime), err)
		slog.Error("a backup could not be made", "folder", p.Folder, "error", err)
		if noting := s.note(ctx, "failed", err.Error()); noting != nil {
			slog.Error("the trail could not be written", "error", noting)
		}
	}
	s.mutex.Lock()
	s.problem = problem
	s.mutex.Unlock()
}

func (s *Service) make(ctx context.Context, p Plan) error {
	if err := os.MkdirAll(p.Folder, 0o700); err != nil {
		return err
	}
	kept, err := filepath.Glob(filepath.Join(p.Folder, prefix+"*"+suffix))
	if err != nil {
		return err
	}
	slices.SortFunc(kept, func(a, b string) int { return cmp.Compare(b, a) }) // the newest first
	now := s.base.Clock().UTC()
	if len(kept) > 0 {
		if last, err := time.Parse(stamp, strings.TrimSuffix(strings.TrimPrefix(filepath.Base(kept[0]), prefix), suffix)); err == nil && now.Sub(last) < p.Every {
			return nil
		}
	}
	name := filepath.Join(p.Folder, prefix+now.Format(stamp)+suffix)
	err = backup.ToFile(name, func(to io.Writer) error {
		_, err := s.Make(ctx, to)
		return err
	})
	if err != nil || p.Keep == 0 {
		return err
	}
	var errs []error
	for _, old := range kept[min(len(kept), p.Keep-1):] {
		errs = append(errs, os.Remove(old))
	}
	return errors.Join(errs...)
}

// stamp is how the name of a backup says when it was made; later ones sort after.
const stamp = "20060102-150405"

// keepHead adds the head of the trail to a file.
func (s *Service) keepHead(ctx context.Context, path string) error {
	head, err := s.base.Store.TrailHead(ctx)
	if err != nil || head.Last == 0 {
		return err
	}
	file, err := os.OpenFile(path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(file, "%s %s\n", head, store.Instant(s.base.Clock()))
	return errors.Join(err, file.Sync(), file.Close())
}
