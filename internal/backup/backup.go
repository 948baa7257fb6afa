// Package backup copies the data of a running application into one file, and back.
//
// A backup is a tar, packed with Zstandard (RFC 8878), of a manifest in JSON and the data as it was at one moment. The manifest
// holds the checksum of the data and the head of the trail, so that what is restored can be told from what was taken.
//
// It must never know what the data mean. Start reading at Write.
package backup

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/klauspost/compress/zstd"

	"codicil/internal/release"
	"codicil/internal/store"
)

// Manifest says what a backup holds.
type Manifest struct {
	Release string `json:"release"` // that made it
	Schema  int64  `json:"schema"`  // the version of the data
	Made    string `json:"made"`    // an instant
	Size    int64  `json:"size"`    // of the data, in bytes
	SHA256  string `json:"sha256"`  // of the data, in hexadecimal
	// Trail is the head of the trail: the number of its last entry, and its hash in hexadecimal.
	Trail string `json:"trail"`
}

const (
	manifestName = "manifest.json"
	dataName     = "codicil.db"
	largest      = 1 << 20 // bytes of a manifest
)

// ErrNot reports that a file is no backup, or not whole.
var ErrNot = errors.New("this is not a whole backup")

// Write writes a backup of a store as it is now; others go on reading and writing. Cost: the data once, on the disk beside
// them, and some of it in memory.
func Write(ctx context.Context, s *store.Store, at time.Time, to io.Writer) (m Manifest, err error) {
	folder, err := os.MkdirTemp(s.Folder(), ".codicil-backup-")
	if err != nil {
		return m, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	path := filepath.Join(folder, dataName)
	head, err := s.CopyTo(ctx, path)
	if err != nil {
		return m, err
	}
	file, err := os.Open(path)
	if err != nil {
		return m, err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	sum := sha256.New()
	size, err := io.Copy(sum, file)
	if err != nil {
		return m, err
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return m, err
	}
	m = Manifest{Release: release.Version, Schema: store.Schema(), Made: store.Instant(at), Size: size, SHA256: hex.EncodeToString(sum.Sum(nil)), Trail: head.String()}
	text, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return m, err
	}
	packed, err := zstd.NewWriter(to)
	if err != nil {
		return m, err
	}
	archive := tar.NewWriter(packed)
	for _, part := range []struct {
		name string
		size int64
		from io.Reader
	}{{manifestName, int64(len(text)), bytes.NewReader(text)}, {dataName, size, file}} {
		if err := archive.WriteHeader(&tar.Header{Name: part.name, Mode: 0o600, Size: part.size, ModTime: at}); err != nil {
			return m, err
		}
		if _, err := io.Copy(archive, interruptible{ctx, part.from}); err != nil {
			return m, err
		}
	}
	return m, errors.Join(archive.Close(), packed.Close())
}

// interruptible ends reading where the context ends.
type interruptible struct {
	ctx  context.Context //nolint:containedctx // that of who writes
	from io.Reader
}

// Read reads on.
func (r interruptible) Read(text []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.from.Read(text)
}

// ToFile writes a backup to a new file: all of it, or none.
func ToFile(path string, write func(io.Writer) error) (err error) {
	part := path + ".part"
	file, err := os.OpenFile(part, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(write(file), file.Sync(), file.Close()); err != nil {
		return errors.Join(err, os.Remove(part))
	}
	return os.Rename(part, path)
}

// Extract reads a backup, writes its data to a new file, and looks whether they are those that were taken. The error is ErrNot
// where they are not; then there is no file.
func Extract(from io.Reader, path string) (m Manifest, err error) {
	unpacked, err := zstd.NewReader(from)
	if err != nil {
		return m, fmt.Errorf("%w: %w", ErrNot, err)
	}
	defer unpacked.Close()
	archive := tar.NewReader(unpacked)
	if err := next(archive, manifestName); err != nil {
		return m, err
	}
	if err := json.NewDecoder(io.LimitReader(archive, largest)).Decode(&m); err != nil {
		return m, fmt.Errorf("%w: %w", ErrNot, err)
	}
	if m.Schema > store.Schema() {
		return m, fmt.Errorf("this backup is of release %s, whose data this release cannot read; take the release that made it, or a later one", m.Release)
	}
	if err := next(archive, dataName); err != nil {
		return m, err
	}
	file, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return m, err
	}
	sum := sha256.New()
	size, err := io.Copy(io.MultiWriter(file, sum), archive)
	if err = errors.Join(err, file.Sync(), file.Close()); err == nil && (size != m.Size || hex.EncodeToString(sum.Sum(nil)) != m.SHA256) {
		err = errors.New("its data are not those that were taken")
	}
	if err == nil {
		_, err = io.Copy(io.Discard, unpacked) // its own checksum comes last
	}
	if err != nil {
		return m, errors.Join(fmt.Errorf("%w: %w", ErrNot, err), os.Remove(path))
	}
	return m, nil
}

func next(archive *tar.Reader, name string) error {
	head, err := archive.Next()
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNot, err)
	}
	if head.Name != name {
		return fmt.Errorf("%w: it holds %q where %q is wanted", ErrNot, head.Name, name)
	}
	return nil
}
