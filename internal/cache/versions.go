package cache

import (
	"context"

	"github.com/maypok86/otter/v2"

	"codicil/core/record"
	"codicil/internal/store"
)

// Versions keeps versions of records that were read while many are gone through, which read the same again and again. A version is
// written once; only where somebody's personal values are blanked it changes, so it is kept for one pass over records and no
// longer. What it returns is not to be changed. It may be used by several goroutines; one of nil keeps nothing.
type Versions struct {
	kept *otter.Cache[versionOf, *record.Version]
}

type versionOf struct {
	record.Ref
	version int
}

// NewVersions keeps versions up to about so many bytes.
func NewVersions(most int) *Versions {
	return &Versions{otter.Must(&otter.Options[versionOf, *record.Version]{
		MaximumWeight: uint64(max(most, 0)), Weigher: func(_ versionOf, v *record.Version) uint32 { return uint32(weight(&record.Record{Content: v.Content})) },
	})}
}

// Find returns a version of a record. The error is the store's ErrNotFound when there is none.
func (v *Versions) Find(ctx context.Context, s *store.Store, at record.Ref, version int) (record.Version, error) {
	if v == nil {
		return s.RecordVersion(ctx, at, version)
	}
	key := versionOf{at, version}
	if found, known := v.kept.GetIfPresent(key); known {
		return *found, nil
	}
	found, err := s.RecordVersion(ctx, at, version)
	if err == nil {
		v.Keep(at, &found)
	}
	return found, err
}

// Keep keeps a version that was read otherwise.
func (v *Versions) Keep(at record.Ref, version *record.Version) {
	v.kept.Set(versionOf{at, version.Version}, version)
}
