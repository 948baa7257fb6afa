package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/user"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/app/backups"
	"codicil/internal/app/people"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/release"
	"codicil/internal/standard"
	"codicil/internal/store"
	"codicil/web"
)

const defaultAddress = "127.0.0.1:8420"

func command(in io.Reader, out, errors io.Writer) *cobra.Command {
	root := &cobra.Command{
		Use:           "codicil",
		Short:         "Rules that fill, replace and refuse field values, tried and proved on test documents",
		SilenceUsage:  true,
		SilenceErrors: false,
		PersistentPreRun: func(c *cobra.Command, _ []string) {
			c.SetContext(actor.With(c.Context(), actor.Named(userName(), actor.CommandLine)))
		},
	}
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errors)
	slog.SetDefault(slog.New(slog.NewTextHandler(errors, &slog.HandlerOptions{Level: slog.LevelWarn})))
	var log string
	root.PersistentFlags().StringVar(&log, "log", "", "what to write to the log: text or json tell every request; empty: errors only")
	before := root.PersistentPreRun
	root.PersistentPreRun = func(c *cobra.Command, arguments []string) {
		before(c, arguments)
		c.SetContext(store.WithProgress(c.Context(), upgrading(errors)))
		switch log {
		case "text":
			slog.SetDefault(slog.New(slog.NewTextHandler(errors, nil)))
		case "json":
			slog.SetDefault(slog.New(slog.NewJSONHandler(errors, nil)))
		}
	}
	root.Version = fmt.Sprintf("%s, data of schema %d", release.Version, store.Schema())
	root.AddCommand(serveCommand(), demoCommand(), feelCommand(), runCommand(), exportCommand(), importCommand(), proveCommand(), findingsCommand(), loadCommand(), generateCommand(), backupCommand(), restoreCommand(), checkCommand(), trailCommand(), settingsCommand())
	return root
}

// upgrading tells how far a file is brought up to date: each step, and of long ones now and then how much is done.
func upgrading(to io.Writer) store.Progress {
	var last string
	var told time.Time
	return func(what string, done, of int) {
		now := time.Now()
		if what == last && now.Sub(told) < 2*time.Second {
			return
		}
		last, told = what, now
		switch {
		case of > 0:
			what = fmt.Sprintf("%s, %d of %d", what, done, of)
		case done > 0:
			what = fmt.Sprintf("%s, %d", what, done)
		}
		_, _ = fmt.Fprintf(to, "Bringing the data up to date: %s\n", what)
	}
}

func serveCommand() *cobra.Command {
	var withoutLog bool
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the application over one database file",
		Long: `Serve the application over one database file, to people who sign in and programs with a key.

Every setting can stand in a file (--config), in the environment (CODICIL_TLS_KEY for --tls-key) or among the flags; flags go
before the environment, which goes before the file. codicil settings prints what holds.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := read(c)
			if err != nil {
				return err
			}
			data := s.GetString(setData)
			if err := os.MkdirAll(filepath.Dir(data), 0o700); err != nil {
				return err
			}
			if withoutLog {
				if err := store.WithoutLog(c.Context(), data); err != nil {
					return err
				}
			}
			signing, _ := s.provider() // which read has looked at
			known := s.people()
			if known.Seal, err = s.seal(); err != nil {
				return err
			}
			return serve(c.Context(), serving{data: data, memory: s.GetInt(setMemory), network: s.network(), people: known, backups: s.backups(), count: s.GetDuration(setCount), rate: s.GetInt(setRate), signing: signing}, announced(c))
		},
	}
	serveFlags(c.Flags())
	c.Flags().BoolVar(&withoutLog, "without-log", false, "open a file that was copied without its log, though what was saved last is not in it")
	return c
}

func demoCommand() *cobra.Command {
	var address string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Serve the application with the Brinewell demo data, fresh at every start",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return serveDemo(c.Context(), address, announced(c))
		},
	}
	c.Flags().StringVar(&address, "address", defaultAddress, "loopback address to listen on")
	return c
}

const leastMemory = 100 // MB

// serving is what is served, and how.
type serving struct {
	data    string
	memory  int // MB
	network httpapi.Network
	people  people.Settings
	backups backups.Plan
	count   time.Duration // how often what breaks the checks is counted; 0: when somebody asks
	rate    int
	signing *provider // of sign-ins; nil: there is none
	demo    bool      // with its data, to whoever comes from this machine
}

// announced tells on the command line where the application is.
func announced(c *cobra.Command) func(url, word string) {
	return func(url, word string) {
		_, _ = fmt.Fprintf(c.OutOrStdout(), "Codicil is at %s\nStop it with Ctrl+C.\n", url)
		if word != "" {
			_, _ = fmt.Fprintf(c.OutOrStdout(), "Nobody can sign in yet. Open the address and make the first administrator with this word, which holds until Codicil stops:\n  %s\n", word)
		}
	}
}

// serveDemo serves the demo data, fresh, from a folder that goes when it ends.
func serveDemo(ctx context.Context, address string, ready func(url, word string)) error {
	folder, err := demoFolder()
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	return serve(ctx, serving{data: filepath.Join(folder, "demo.db"), memory: memoryLimit, network: httpapi.Network{Address: address, Local: true}, people: people.Usual, demo: true}, ready)
}

// beside starts the demo beside the application, once, on a port of its own; it ends with ctx.
func beside(ctx context.Context) (start func(context.Context) (string, error), wait func()) {
	var mutex sync.Mutex
	var group sync.WaitGroup
	url := ""
	start = func(asked context.Context) (string, error) {
		mutex.Lock()
		defer mutex.Unlock()
		if url != "" {
			return url, nil
		}
		at, failed := make(chan string, 1), make(chan error, 1)
		group.Go(func() {
			failed <- serveDemo(ctx, "127.0.0.1:0", func(url, _ string) { at <- url })
		})
		select {
		case url = <-at:
			return url, nil
		case err := <-failed:
			return "", err
		case <-asked.Done():
			return "", asked.Err()
		}
	}
	return start, group.Wait
}

func serve(ctx context.Context, o serving, ready func(url, word string)) (err error) {
	if o.demo {
		if err := demo.Write(ctx, o.data); err != nil {
			return fmt.Errorf("fill the demo: %w", err)
		}
	}
	s, err := store.Open(ctx, o.data)
	if err != nil {
		return err
	}
	defer func() {
		if closing := s.Close(); err == nil {
			err = closing
		}
	}()
	a, err := openApp(ctx, s)
	if err != nil {
		return err
	}
	defer a.Close()
	if o.memory != memoryLimit {
		debug.SetMemoryLimit(int64(o.memory) << 20)
		a.LimitMemory(o.memory << 20)
	}
	a.SignIn.Set(o.people)
	if err := a.SignIn.SealAll(actor.With(ctx, actor.Named("Codicil", actor.CommandLine))); err != nil {
		return err
	}
	a.Watch()
	a.Back(o.backups)
	if o.count > 0 {
		a.Count(o.count)
	}
	options := httpapi.Options{Client: web.Files(), Hosts: o.network.Hosts, Proxies: o.network.Proxies, MostEach: o.rate}
	word := ""
	if o.demo {
		if o.signing, err = simulate(ctx); err != nil {
			return err
		}
	}
	o.signing.use(a)
	if o.demo {
		options.Guests, options.Guest = true, func(ctx context.Context) (actor.Actor, error) { return a.SignIn.Guest(ctx, demo.First) }
	} else if word, err = a.SignIn.First(ctx); err != nil {
		return err
	}
	if !o.demo && o.network.OnThisMachine() {
		start, wait := beside(ctx)
		options.Demo = start
		defer wait()
	}
	handler, err := httpapi.New(a, options) //nolint:contextcheck // it works in the contexts of its requests
	if err != nil {
		return err
	}
	return httpapi.Serve(ctx, o.network, handler, func(url string) { ready(url, word) })
}

// openApp brings the kinds up to date and finishes what an earlier run began.
func openApp(ctx context.Context, s *store.Store) (*app.App, error) {
	if err := standard.Bring(ctx, s); err != nil {
		return nil, err
	}
	a := app.New(s, time.Now)
	return a, a.Resume(ctx)
}

// demoFolders begins the names of the folders that demos work in; the number of their process
// follows.
const demoFolders = "codicil-demo-"

// demoFolder makes a folder for a demo, and removes those of demos that were killed before they
// could.
func demoFolder() (string, error) {
	left, err := filepath.Glob(filepath.Join(os.TempDir(), demoFolders+"*"))
	if err != nil {
		return "", err
	}
	for _, folder := range left {
		number, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(folder), demoFolders), "-")
		if process, err := strconv.Atoi(number); err == nil && errors.Is(syscall.Kill(process, 0), syscall.ESRCH) {
			_ = os.RemoveAll(folder) // another user's stays
		}
	}
	return os.MkdirTemp("", fmt.Sprintf("%s%d-", demoFolders, os.Getpid()))
}

// userName is the name under which changes by the command line are kept. Who may read and write the file may do everything
// to it.
func userName() string {
	if u, err := user.Current(); err == nil {
		if u.Name != "" {
			return u.Name
		}
		return u.Username
	}
	return "unknown"
}
