package torture

import (
	"errors"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"sync"
	"sync/atomic"

	"github.com/ncruces/go-sqlite3"
	"github.com/ncruces/go-sqlite3/util/vfsutil"
	"github.com/ncruces/go-sqlite3/vfs"
)

// disk is a layer beneath SQLite that knows what was synced. When the power goes, everything fails, and what was not synced
// is there, missing or half there.
type disk struct {
	below vfs.VFSFilename
	// lies: syncing does nothing, as where it is switched off.
	lies bool

	mutex sync.Mutex
	files map[string]*content
	gone  map[string][]byte // removed, and not known to stay so

	left atomic.Int64 // what is still done before the power goes
	off  atomic.Bool
	// room is what the files may still grow by; negative: no end.
	room atomic.Int64
	// onlyRead: nothing may be written.
	onlyRead atomic.Bool
}

// content is what a file holds, and what of it may still be lost.
type content struct {
	pending []change
	made    bool // and not yet synced
}

// change is a change of a file that was not synced: what stood from there on, and what was written over it; nil: it was cut
// off there.
type change struct {
	at       int64
	old, new []byte
}

func newDisk(name string) *disk {
	d := &disk{below: vfs.Find("").(vfs.VFSFilename), files: map[string]*content{}, gone: map[string][]byte{}}
	d.left.Store(1 << 40)
	d.room.Store(-1)
	vfs.Register(name, d)
	return d
}

// work counts what is done, and fails when the power is off.
func (d *disk) work() error {
	if d.left.Add(-1) < 0 {
		d.off.Store(true)
	}
	if d.off.Load() {
		return sqlite3.IOERR
	}
	return nil
}

// Open is vfs.VFS's.
func (d *disk) Open(name string, flags vfs.OpenFlag) (vfs.File, vfs.OpenFlag, error) {
	return d.below.Open(name, flags) // a file of SQLite's own, which it forgets
}

// OpenFilename opens a file.
func (d *disk) OpenFilename(name *vfs.Filename, flags vfs.OpenFlag) (vfs.File, vfs.OpenFlag, error) {
	if d.off.Load() {
		return nil, 0, sqlite3.CANTOPEN
	}
	if name == nil {
		return d.below.OpenFilename(name, flags)
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	_, missing := os.Stat(name.String())
	f, flags, err := d.below.OpenFilename(name, flags)
	if err != nil {
		return f, flags, err
	}
	c := d.files[name.String()]
	if c == nil {
		c = &content{made: errors.Is(missing, fs.ErrNotExist)}
		d.files[name.String()] = c
	}
	return &file{File: f, disk: d, content: c}, flags, nil
}

// Delete removes a file; without a sync of its folder it may come back.
func (d *disk) Delete(name string, syncs bool) error {
	if err := d.work(); err != nil {
		return err
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if text, err := os.ReadFile(name); err == nil && !syncs {
		d.gone[name] = text
	}
	delete(d.files, name)
	return d.below.Delete(name, syncs)
}

// Access is vfs.VFS's.
func (d *disk) Access(name string, flags vfs.AccessFlag) (bool, error) {
	return d.below.Access(name, flags)
}

// FullPathname is vfs.VFS's.
func (d *disk) FullPathname(name string) (string, error) { return d.below.FullPathname(name) }

type file struct {
	vfs.File
	disk    *disk
	content *content
}

func (f *file) Unwrap() vfs.File                { return f.File }
func (f *file) SharedMemory() vfs.SharedMemory  { return vfsutil.WrapSharedMemory(f.File) }
func (f *file) LockState() vfs.LockLevel        { return vfsutil.WrapLockState(f.File) }
func (f *file) PersistWAL() bool                { return vfsutil.WrapPersistWAL(f.File) }
func (f *file) SetPersistWAL(keep bool)         { vfsutil.WrapSetPersistWAL(f.File, keep) }
func (f *file) PowersafeOverwrite() bool        { return vfsutil.WrapPowersafeOverwrite(f.File) }
func (f *file) SetPowersafeOverwrite(safe bool) { vfsutil.WrapSetPowersafeOverwrite(f.File, safe) }
func (f *file) HasMoved() (bool, error)         { return vfsutil.WrapHasMoved(f.File) }

func (f *file) ReadAt(b []byte, at int64) (int, error) {
	if f.disk.off.Load() {
		return 0, sqlite3.IOERR_READ
	}
	return f.File.ReadAt(b, at)
}

func (f *file) WriteAt(b []byte, at int64) (int, error) {
	if err := f.disk.work(); err != nil {
		return 0, err
	}
	if f.disk.onlyRead.Load() {
		return 0, sqlite3.READONLY
	}
	f.disk.mutex.Lock()
	defer f.disk.mutex.Unlock()
	size, err := f.File.Size()
	if err != nil {
		return 0, err
	}
	if grows := at + int64(len(b)) - size; grows > 0 && f.disk.room.Load() >= 0 && f.disk.room.Add(-grows) < 0 {
		f.disk.room.Store(0)
		return 0, sqlite3.FULL
	}
	old := make([]byte, max(0, min(int64(len(b)), size-at)))
	if _, err := f.File.ReadAt(old, at); err != nil && !errors.Is(err, io.EOF) {
		return 0, err
	}
	f.content.pending = append(f.content.pending, change{at, old, append([]byte{}, b...)})
	return f.File.WriteAt(b, at)
}

func (f *file) Truncate(to int64) error {
	if err := f.disk.work(); err != nil {
		return err
	}
	f.disk.mutex.Lock()
	defer f.disk.mutex.Unlock()
	size, err := f.File.Size()
	if err != nil {
		return err
	}
	old := make([]byte, max(0, size-to))
	if _, err := f.File.ReadAt(old, to); err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	f.content.pending = append(f.content.pending, change{to, old, nil})
	return f.File.Truncate(to)
}

// Sync makes sure of everything that was written before. It does not sync below: the machine of the test stays on.
func (f *file) Sync(vfs.SyncFlag) error {
	if err := f.disk.work(); err != nil {
		return err
	}
	if !f.disk.lies {
		f.disk.mutex.Lock()
		f.content.pending, f.content.made = nil, false
		f.disk.mutex.Unlock()
	}
	return nil
}

// lose makes the files what they are after the power was off, for a disk that has done what was not synced in any order, in
// part, or not at all. Nobody has them open.
func (d *disk) lose(r *rand.Rand) error {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	for name, text := range d.gone {
		if _, err := os.Stat(name); errors.Is(err, fs.ErrNotExist) && r.IntN(2) == 0 {
			if err := os.WriteFile(name, text, 0o600); err != nil {
				return err
			}
		}
	}
	for name, c := range d.files {
		text, err := os.ReadFile(name)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return err
		}
		if c.made && r.IntN(2) == 0 {
			if err := os.Remove(name); err != nil {
				return err
			}
			continue
		}
		if err := os.WriteFile(name, c.after(text, r), 0o600); err != nil {
			return err
		}
	}
	d.files, d.gone = map[string]*content{}, map[string][]byte{}
	d.off.Store(false)
	d.left.Store(1 << 40)
	return nil
}

// sector is what a disk writes whole.
const sector = 512

func (c *content) after(text []byte, r *rand.Rand) []byte {
	for i := len(c.pending) - 1; i >= 0; i-- {
		p := c.pending[i]
		if p.new == nil {
			text = append(text[:p.at], p.old...)
			continue
		}
		if len(p.old) < len(p.new) { // the file grew
			text = text[:p.at+int64(len(p.old))]
		}
		copy(text[p.at:], p.old)
	}
	for _, p := range c.pending {
		written := p.new
		switch r.IntN(3) {
		case 0:
			continue
		case 1:
			written = written[:min(len(written), r.IntN(len(written)/sector+1)*sector)]
		}
		if p.new == nil {
			text = text[:min(int64(len(text)), p.at)]
			continue
		}
		if grows := p.at + int64(len(written)) - int64(len(text)); grows > 0 {
			text = append(text, make([]byte, grows)...)
		}
		copy(text[p.at:], written)
	}
	return text
}

// settled takes what is in the files for synced: they were closed, and are looked at as they are.
func (d *disk) settled() {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.files, d.gone = map[string]*content{}, map[string][]byte{}
}
