package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"gorm.io/gorm"

	"codicil/core/record"
)

// The states of a run.
const (
	RunWaiting = "waiting"
	RunRunning = "running"
	RunDone    = "done"
	RunStopped = "stopped"
	RunFailed  = "failed"
	RunCutOff  = "cut off" // the program ended before it
)

// Run is long work.
type Run struct {
	ID      int64 `gorm:"primaryKey;autoIncrement"`
	What    string
	Title   string
	Subject string // what it is about, as JSON
	State   string
	Done    int
	Total   int
	Found   string // its counts, as JSON
	Problem string
	EndedAt string       // RFC 3339; "": it has not ended
	Started record.Stamp `gorm:"embedded;embeddedPrefix:started_"`
	// Companies are those in which it works; nil: all.
	Companies []string `gorm:"serializer:json"`
	Writes    int      `gorm:"->;-:migration"` // records that it wrote and that are not taken back
}

// counted are the columns of runs with how much they wrote.
const counted = "runs.*, (SELECT count(*) FROM run_writes w WHERE w.run = runs.id AND NOT w.back) AS writes"

// RunResult is one thing that a run found. Those of a lower rank matter more.
type RunResult struct {
	Rank, Place int
	Result      any // as JSON
}

type runResult struct {
	Run    int64 `gorm:"primaryKey"`
	Rank   int   `gorm:"primaryKey"`
	Place  int   `gorm:"primaryKey"`
	Result []byte
}

// AddRun keeps a new run and returns it with its number. Of those that ended only the newest keep stay, and more of
// those that wrote what can be taken back.
func (s *Store) AddRun(ctx context.Context, r Run, keep int) (Run, error) {
	err := s.Transaction(ctx, func(tx *Store) error {
		if err := tx.db.Create(&r).Error; err != nil {
			return err
		}
		if err := tx.Note(ctx, r.Started, TrailEntry{What: "started", Kind: "run", Key: fmt.Sprint(r.ID), Note: r.What + ": " + r.Title}); err != nil {
			return err
		}
		// What can be taken back stays ten times as long.
		return tx.db.Exec(`DELETE FROM runs WHERE ended_at <> '' AND id NOT IN (SELECT id FROM runs ORDER BY id DESC LIMIT ?)
			AND (id NOT IN (SELECT run FROM run_writes WHERE NOT back) OR id NOT IN (SELECT id FROM runs ORDER BY id DESC LIMIT ?))`, keep, 10*keep).Error
	})
	return r, err
}

type runFile struct {
	Run   int64  `gorm:"primaryKey"`
	Name  string `gorm:"primaryKey"`
	Place int    `gorm:"primaryKey"`
	Piece []byte
}

// RunPiece is a piece of a file of a run.
type RunPiece struct {
	Name  string
	Place int // among the pieces of the file
	Text  []byte
}

// SaveRun keeps how far a run has come, what it found since, and what it wrote since.
func (s *Store) SaveRun(ctx context.Context, r Run, results []RunResult, pieces []RunPiece) error {
	return s.Transaction(ctx, func(tx *Store) error {
		rows := make([]runResult, len(results))
		for i, found := range results {
			text, err := json.Marshal(found.Result)
			if err != nil {
				return err
			}
			rows[i] = runResult{r.ID, found.Rank, found.Place, pack(text)}
		}
		if len(rows) > 0 {
			if err := tx.db.CreateInBatches(&rows, 100).Error; err != nil {
				return err
			}
		}
		for i := range pieces {
			p := &pieces[i]
			if err := tx.db.Create(&runFile{r.ID, p.Name, p.Place, pack(p.Text)}).Error; err != nil {
				return err
			}
		}
		return tx.db.Save(&r).Error
	})
}

// RunFile writes a file of a run, piece by piece. The error is ErrNotFound where there is none.
func (s *Store) RunFile(ctx context.Context, run int64, name string, to io.Writer) error {
	for place := 0; ; place++ {
		var piece runFile
		err := s.db.WithContext(ctx).First(&piece, "run = ? AND name = ? AND place = ?", run, name, place).Error
		if errors.Is(err, gorm.ErrRecordNotFound) && place > 0 {
			return nil
		}
		if err != nil {
			return found(err, "file", name)
		}
		text, err := unpack(piece.Piece)
		if err != nil {
			return err
		}
		if _, err := to.Write(text); err != nil {
			return err
		}
	}
}

// Runs returns the newest runs.
func (s *Store) Runs(ctx context.Context, most int) ([]Run, error) {
	return all(s.db.WithContext(ctx).Select(counted).Order("id DESC").Limit(most), func(r Run) Run { return r })
}

// Run returns one run. The error is ErrNotFound when there is none.
func (s *Store) Run(ctx context.Context, id int64) (r Run, err error) {
	err = s.db.WithContext(ctx).Select(counted).First(&r, id).Error
	return r, found(err, "run", id)
}

// RunsAbout returns the newest runs whose subject is a load.
func (s *Store) RunsAbout(ctx context.Context, load int64, most int) (runs []Run, err error) {
	err = s.db.WithContext(ctx).Select(counted).Where("json_extract(subject, '$.load') = ?", load).Order("id DESC").Limit(most).Find(&runs).Error
	return runs, err
}

// RunWrite is a version of a record that a run wrote.
type RunWrite struct {
	Run          int64 `gorm:"primaryKey;autoIncrement:false"`
	Place        int   `gorm:"primaryKey;autoIncrement:false"`
	Kind, Number string
	Version      int  // that the run made
	Before       int  // the version before it; 0: the run added the record
	Back         bool // it is taken back
	Part         int  // the place of the write that this one came of; 0: it came by itself
	// Preceding is the number of the record that it followed before, where it follows another of that kind since.
	Preceding string
}

// AddRunWrite notes what a run wrote, after all that it wrote before.
func (s *Store) AddRunWrite(ctx context.Context, run int64, r *record.Record) error {
	return s.AddRunWriteOf(ctx, run, 0, r, "")
}

// AddRunWriteOf does the same for what came of another write, at a place. preceding is that of [RunWrite].
func (s *Store) AddRunWriteOf(ctx context.Context, run int64, part int, r *record.Record, preceding string) error {
	return s.db.WithContext(ctx).Exec("INSERT INTO run_writes (run, place, kind, number, version, before, part, preceding) SELECT ?, COALESCE(MAX(place), 0) + 1, ?, ?, ?, ?, ?, ? FROM run_writes WHERE run = ?",
		run, r.Kind, r.Number, r.Version, r.Version-1, part, preceding, run).Error
}

// LastRunWrite is the place of the last thing that a run wrote; 0: it wrote nothing.
func (s *Store) LastRunWrite(ctx context.Context, run int64) (place int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(place), 0) FROM run_writes WHERE run = ?", run).Scan(&place).Error
	return place, err
}

// RunWriteAt returns what a run wrote at a place. The error is ErrNotFound when there is none.
func (s *Store) RunWriteAt(ctx context.Context, run int64, place int) (w RunWrite, err error) {
	err = s.db.WithContext(ctx).First(&w, "run = ? AND place = ?", run, place).Error
	return w, found(err, "write", fmt.Sprint(place))
}

// RunWrites returns what a run wrote and was not taken back, the last first, from before a place on.
func (s *Store) RunWrites(ctx context.Context, run int64, before, limit int) (writes []RunWrite, err error) {
	err = s.db.WithContext(ctx).Where("run = ? AND place < ? AND NOT back", run, before).Order("place DESC").Limit(limit).Find(&writes).Error
	return writes, err
}

// RunWritesAfter returns the same, the first first, from after a place on.
func (s *Store) RunWritesAfter(ctx context.Context, run int64, after, limit int) (writes []RunWrite, err error) {
	err = s.db.WithContext(ctx).Where("run = ? AND place > ? AND NOT back", run, after).Order("place").Limit(limit).Find(&writes).Error
	return writes, err
}

// TakeRunWriteBack notes that what a run wrote is taken back. now is the version of the record that it became; 0: it is
// withdrawn. What runs wrote of the record before stands at that version.
func (s *Store) TakeRunWriteBack(ctx context.Context, w RunWrite, now int) error {
	db := s.db.WithContext(ctx)
	if err := db.Model(&RunWrite{}).Where("run = ? AND place = ?", w.Run, w.Place).Update("back", true).Error; err != nil || now == 0 {
		return err
	}
	return s.MoveRunWrites(ctx, record.Ref{Kind: w.Kind, Number: w.Number}, w.Before, now)
}

// MoveRunWrites says of what runs wrote of a record at a version that it stands at another.
func (s *Store) MoveRunWrites(ctx context.Context, at record.Ref, version, now int) error {
	return s.db.WithContext(ctx).Model(&RunWrite{}).Where("kind = ? AND number = ? AND version = ? AND NOT back", at.Kind, at.Number, version).Update("version", now).Error
}

// DeleteRun removes a run with what it found.
func (s *Store) DeleteRun(ctx context.Context, id int64) error {
	return s.Transaction(ctx, func(tx *Store) error { return tx.db.Delete(&Run{ID: id}).Error })
}

// CutOffRuns marks the runs that the end of the program cut off, and returns all that are.
func (s *Store) CutOffRuns(ctx context.Context, at string) (runs []Run, err error) {
	err = s.Transaction(ctx, func(tx *Store) error {
		err := tx.db.Model(&Run{}).Where("state IN ?", []string{RunWaiting, RunRunning}).Updates(map[string]any{"state": RunCutOff, "ended_at": at}).Error
		if err != nil {
			return err
		}
		return tx.db.Where("state = ?", RunCutOff).Order("id").Find(&runs).Error
	})
	return runs, err
}

// LastResult is the place of the last thing that a run found.
func (s *Store) LastResult(ctx context.Context, run int64) (place int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(place), 0) FROM run_results WHERE run = ?", run).Scan(&place).Error
	return place, err
}

// CountPieces counts the pieces of a file of a run.
func (s *Store) CountPieces(ctx context.Context, run int64, name string) (count int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT count(*) FROM run_files WHERE run = ? AND name = ?", run, name).Scan(&count).Error
	return count, err
}

// RunResults returns what a run found after a rank and place, those that matter more first, up to a
// rank.
func (s *Store) RunResults(ctx context.Context, run int64, rank, place, limit, until int, read func(rank, place int, text []byte) error) error {
	var rows []runResult
	if err := s.db.WithContext(ctx).Where("run = ? AND (rank, place) > (?, ?) AND rank <= ?", run, rank, place, until).Order("rank, place").Limit(limit).Find(&rows).Error; err != nil {
		return err
	}
	for _, row := range rows {
		text, err := unpack(row.Result)
		if err == nil {
			err = read(row.Rank, row.Place, text)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
