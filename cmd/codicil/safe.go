package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"codicil/internal/backup"
	"codicil/internal/store"
)

// withData opens a file of data that no server has open, does something with it, and closes it.
func withData(ctx context.Context, path string, do func(*store.Store) error) (err error) {
	if _, err := os.Stat(path); err != nil {
		return err
	}
	s, err := store.Open(ctx, path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, s.Close()) }()
	return do(s)
}

func backupCommand() *cobra.Command {
	var data, server, to string
	c := &cobra.Command{
		Use:   "backup",
		Short: "Copy all data into one file, packed and with a checksum",
		Long: `Copy all data, as they are at one moment, into one file: packed, with a checksum and the head of the trail.

With --server a running server makes it, which knows the program by the key in CODICIL_KEY; otherwise it is made of a file
of data that no server has open.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if _, err := os.Stat(to); err == nil {
				return fmt.Errorf("%s is there already; choose another name", to)
			}
			if server != "" {
				by := &byServer{strings.TrimSuffix(server, "/") + "/api/v1"}
				return backup.ToFile(to, func(w io.Writer) error {
					return by.ask(c.Context(), http.MethodPost, "/backup", "", nil, w)
				})
			}
			return withData(c.Context(), data, func(s *store.Store) error {
				return backup.ToFile(to, func(w io.Writer) error {
					_, err := backup.Write(c.Context(), s, time.Now(), w)
					return err
				})
			})
		},
	}
	c.Flags().StringVar(&to, "to", "", "file to write; it must not be there yet")
	c.Flags().StringVar(&data, "data", defaultData, "database file")
	c.Flags().StringVar(&server, "server", "", "address of a running server, http://127.0.0.1:8420; it makes the backup instead")
	_ = c.MarkFlagRequired("to")
	return c
}

func restoreCommand() *cobra.Command {
	var from, data string
	c := &cobra.Command{
		Use:   "restore",
		Short: "Write the data of a backup into a new file, and look whether they are sound",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) (err error) {
			if _, err := os.Stat(data); err == nil {
				return fmt.Errorf("%s is there already; nothing was written over it. Restore into a new file with --data", data)
			}
			if err := os.MkdirAll(filepath.Dir(data), 0o700); err != nil {
				return err
			}
			file, err := os.Open(from)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, file.Close()) }()
			m, err := backup.Extract(file, data)
			if err != nil {
				return fmt.Errorf("%s: %w", from, err)
			}
			_, _ = fmt.Fprintf(c.OutOrStdout(), "Restored the backup of %s, made by release %s, into %s.\n", m.Made, m.Release, data)
			return sound(c, data, nil)
		},
	}
	c.Flags().StringVar(&from, "from", "", "backup to read")
	c.Flags().StringVar(&data, "data", defaultData, "database file to write; it must not be there yet")
	_ = c.MarkFlagRequired("from")
	return c
}

// sound tells whether a file of data is sound.
func sound(c *cobra.Command, data string, heads map[int64][]byte) error {
	return withData(c.Context(), data, func(s *store.Store) error {
		found, err := s.Sound(c.Context(), heads)
		if err != nil {
			return err
		}
		for _, f := range found {
			_, _ = fmt.Fprintf(c.OutOrStdout(), "%s: %s\n", f.What, f.Why)
		}
		if len(found) > 0 {
			return fmt.Errorf("%s is not sound", data)
		}
		head, err := s.TrailHead(c.Context())
		_, _ = fmt.Fprintf(c.OutOrStdout(), "Sound: the file, its links, balances and counts, and the trail up to entry %d.\n", head.Last)
		return err
	})
}

// unpacked is the data of a backup in a file of its own, or the data file itself; done removes what was made.
func unpacked(path string) (data string, done func() error, err error) {
	file, err := os.Open(path)
	if err != nil {
		return "", nil, err
	}
	head := make([]byte, 16)
	_, err = io.ReadFull(file, head)
	if err == nil && strings.HasPrefix(string(head), "SQLite format 3") {
		return path, func() error { return nil }, file.Close()
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return "", nil, errors.Join(err, file.Close())
	}
	folder, err := os.MkdirTemp("", "codicil-check-")
	if err != nil {
		return "", nil, errors.Join(err, file.Close())
	}
	done = func() error { return os.RemoveAll(folder) }
	data = filepath.Join(folder, "codicil.db")
	if _, err = backup.Extract(file, data); err != nil {
		err = fmt.Errorf("%s: %w", path, err)
	}
	if err = errors.Join(err, file.Close()); err != nil {
		return "", nil, errors.Join(err, done())
	}
	return data, done, nil
}

func checkCommand() *cobra.Command {
	var heads string
	c := &cobra.Command{
		Use:   "check FILE",
		Short: "Look whether a backup, or a file of data that no server has open, is sound",
		Long: `Look whether a backup, or a file of data that no server has open, is sound: its pages, what leads nowhere, the balances
beside the journal, counts and numbers, and the trail. It ends with 1 where something is wrong, and says what.`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, arguments []string) (err error) {
			kept, err := readHeads(heads)
			if err != nil {
				return err
			}
			data, done, err := unpacked(arguments[0])
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, done()) }()
			return sound(c, data, kept)
		},
	}
	c.Flags().StringVar(&heads, "heads", "", "file of heads of the trail that serve --trail-heads kept")
	return c
}

// readHeads reads the heads of the trail that were kept outside.
func readHeads(path string) (map[int64][]byte, error) {
	heads := map[int64][]byte{}
	if path == "" {
		return heads, nil
	}
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(file)
	for n := 1; lines.Scan(); n++ {
		if strings.TrimSpace(lines.Text()) == "" {
			continue
		}
		h, err := store.ParseTrailHead(lines.Text())
		if err != nil {
			return nil, errors.Join(fmt.Errorf("%s, line %d: %w", path, n, err), file.Close())
		}
		heads[h.Last] = h.Chain
	}
	return heads, errors.Join(lines.Err(), file.Close())
}

func trailCommand() *cobra.Command {
	c := &cobra.Command{Use: "trail", Short: "The trail: what was done, by whom and from where"}
	var data, heads string
	verify := &cobra.Command{
		Use:   "verify",
		Short: "Find what was changed in the trail, removed from it, put into it or cut off",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) (err error) {
			kept, err := readHeads(heads)
			if err != nil {
				return err
			}
			path, done, err := unpacked(data)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, done()) }()
			return withData(c.Context(), path, func(s *store.Store) error {
				head, err := s.VerifyTrail(c.Context(), kept, nil)
				if err == nil {
					_, _ = fmt.Fprintf(c.OutOrStdout(), "The trail is whole: %d entries, and %d heads that were kept outside. Its head is\n%s\n", head.Last, len(kept), head)
				}
				return err
			})
		},
	}
	verify.Flags().StringVar(&data, "data", defaultData, "database file that no server has open, or a backup")
	verify.Flags().StringVar(&heads, "heads", "", "file of heads of the trail that serve --trail-heads kept")
	c.AddCommand(verify)
	return c
}
