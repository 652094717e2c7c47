// Package collect copies captures into a case: files, folders, archives and standard input, each with where it came
// from. It exists so that a case can be handed over with its provenance, and so that a bad archive can do no harm.
//
// Files and the record of where they came from join the case together: they are prepared in a hidden folder, a plan
// appears there when all of it is on the disk, and from then on they count, wherever they lie. Whatever ends the
// program, the case is as it was before or holds all; one collection at a time works in a case.
package collect

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"zarvek/internal/casefile"
	"zarvek/internal/gather/record"
	"zarvek/internal/source"
)

// Limits for one collection.
const (
	MaxFiles = 100_000
	MaxBytes = 1 << 30
)

// An Item is one file of a collection.
type Item struct {
	File      string    `json:"file"`     // in the case, with slashes
	Original  string    `json:"original"` // where it came from; ARCHIVE!NAME for one in an archive
	SHA256    string    `json:"sha256"`
	Bytes     int64     `json:"bytes"`
	Collected time.Time `json:"collected"`
	Known     bool      `json:"-"` // the same content is in the case already, as File

	Gathered *record.Gathered `json:"gathered,omitempty"` // how it was asked for, nil for what was a file before
}

// Options say where to and how.
type Options struct {
	Case   string
	Device string // put everything into this device's folder
	DryRun bool
	Stdin  io.Reader
	Now    time.Time
	Limit  int64         // bytes in all; 0 means MaxBytes
	Wait   time.Duration // for another collection in the same case; 0 means the package's Wait
	// Look is called for each new file while it is prepared, with where its bytes are.
	Look func(it Item, file string)
}

// An Error is a source that is refused. Its text is one line: what, where, what to do.
type Error struct{ text string }

func (e *Error) Error() string { return e.text }

func refuse(format string, args ...any) error { return &Error{fmt.Sprintf(format, args...)} }

// collection is the state of one run.
type collection struct {
	ctx     context.Context
	opt     Options
	dir     string // the case's folder, links resolved
	disk    disk
	staging string
	known   map[string]string // device's folder and SHA-256: file in the case
	names   map[string]bool   // files of the case, in lower case
	tries   map[string]int    // names, in lower case, that were asked for: how often
	items   []Item
	new     []Item
	bytes   int64
	flat    []string
	left    []casefile.LeftOut

	gathered *record.Gathered // of what is added now
}

// A Result is what was collected.
type Result struct {
	Items []Item
	// Flat are the source folders that held several files and no folders, so that nothing in their names tells which
	// device the files are of.
	Flat []string
	Left []casefile.LeftOut // was not collected
}

// A Fresh is a capture that was no file before it joins the case.
type Fresh struct {
	File     string // in the case
	From     string
	Bytes    []byte
	Gathered *record.Gathered
}

// Run collects the sources. On an error, or when ctx ends, the case is as it was.
func Run(ctx context.Context, sources []string, opt Options) (Result, error) {
	return runOn(ctx, sources, opt, realDisk{})
}

// Join puts captures into the case that were no files before, all of them or none.
func Join(ctx context.Context, captures []Fresh, opt Options) (Result, error) {
	return work(ctx, opt, realDisk{}, func(c *collection) error {
		for _, f := range captures {
			c.gathered = f.Gathered
			if err := c.add(f.File, f.From, bytes.NewReader(f.Bytes)); err != nil {
				return err
			}
		}
		return nil
	})
}

func runOn(ctx context.Context, sources []string, opt Options, d disk) (Result, error) {
	return work(ctx, opt, d, func(c *collection) error { return c.prepare(sources) })
}

// work has the case to itself while prepare stages what joins it.
func work(ctx context.Context, opt Options, d disk, prepare func(c *collection) error) (Result, error) {
	if opt.Limit == 0 {
		opt.Limit = MaxBytes
	}
	if opt.Wait == 0 {
		opt.Wait = Wait
	}
	c := &collection{
		ctx:   ctx,
		opt:   opt,
		disk:  d,
		known: map[string]string{},
		names: map[string]bool{},
		tries: map[string]int{},
	}
	if opt.DryRun {
		return c.look(prepare)
	}
	s, err := openStore(ctx, opt.Case, d, opt.Wait)
	if err != nil {
		return Result{}, err
	}
	defer s.close()
	c.dir = s.dir
	if err := s.recover(); err != nil {
		return Result{}, err
	}
	old, err := c.load()
	if err != nil {
		return Result{}, err
	}
	c.staging, err = d.MkdirTemp(s.dir, fmt.Sprintf("%s%d-", casefile.StagingPrefix, os.Getpid()))
	if err != nil {
		return Result{}, refuse("%s: cannot be written to: %v; the case is as it was", opt.Case, source.Cause(err))
	}
	err = prepare(c)
	if err == nil && len(c.new) > 0 {
		err = s.commit(c.staging, c.new, append(old, c.new...))
	}
	if _, counts := casefile.ReadPlan(c.staging); !counts {
		d.RemoveAll(c.staging)
	}
	if err != nil {
		return Result{}, err
	}
	s.made = false
	return c.result(), nil
}

// look prepares the sources outside of the case and changes nothing in it.
func (c *collection) look(prepare func(c *collection) error) (Result, error) {
	var err error
	if c.dir, err = filepath.EvalSymlinks(c.opt.Case); err != nil {
		c.dir = c.opt.Case
	}
	if _, err := c.load(); err != nil {
		return Result{}, err
	}
	if c.staging, err = os.MkdirTemp("", "zarvek-collect-"); err != nil {
		return Result{}, err
	}
	defer os.RemoveAll(c.staging)
	if err := prepare(c); err != nil {
		return Result{}, err
	}
	return c.result(), nil
}

func (c *collection) result() Result { return Result{c.items, c.flat, c.left} }

// prepare copies every source into the staging folder.
func (c *collection) prepare(sources []string) error {
	for _, s := range sources {
		if err := c.source(s); err != nil {
			return err
		}
	}
	if len(c.items) == 0 {
		why := "; give files, or folders and archives that hold some"
		if len(c.left) > 0 {
			why = fmt.Sprintf(": %s: %s", c.left[0].Name, c.left[0].Why)
		}
		return refuse("%s: nothing to collect there%s", strings.Join(sources, ", "), why)
	}
	if c.opt.Look != nil {
		for i, it := range c.new {
			c.opt.Look(it, c.staged(i))
		}
	}
	return nil
}

// load reads what the case has: its own record, and the content of its files.
func (c *collection) load() ([]Item, error) {
	old, err := manifest(filepath.Join(c.dir, casefile.ProvenanceFile))
	if err != nil {
		return nil, err
	}
	for name, at := range casefile.Pending(c.dir) { // only a dry run finds any
		c.has(name, at)
	}
	err = filepath.WalkDir(c.dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && strings.HasPrefix(d.Name(), ".") && p != c.dir {
			if d != nil && d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if rel, _ := filepath.Rel(c.dir, p); !d.IsDir() {
			c.has(filepath.ToSlash(rel), p)
		}
		return nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	return old, err
}

// has notes that the case has a file, whose bytes are at a place.
func (c *collection) has(name, at string) {
	c.names[strings.ToLower(name)] = true
	if info, err := os.Lstat(at); err == nil && info.Mode().IsRegular() {
		if sum, err := sumOf(at); err == nil {
			c.known[contentKey(name, sum)] = name
		}
	}
}

// contentKey tells the same content of one device; that of two devices is two captures.
func contentKey(name, sum string) string {
	folder, _, ok := strings.Cut(name, "/")
	if !ok {
		folder = ""
	}
	return strings.ToLower(folder) + "\x00" + sum
}

func sumOf(file string) (string, error) {
	f, err := os.Open(file)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	_, err = io.Copy(h, f)
	return hex.EncodeToString(h.Sum(nil)), err
}

// staged returns where a new item's bytes are before it has joined the case.
func (c *collection) staged(i int) string { return filepath.Join(c.staging, stagedName(i)) }

// add stages one file. Name is the wanted name in the case.
func (c *collection) add(name, original string, r io.Reader) error {
	if err := c.ctx.Err(); err != nil {
		return refuse("interrupted; the case is as it was")
	}
	if len(c.items) >= MaxFiles {
		return refuse("%s: more than %d files in one collection; collect fewer at a time", original, MaxFiles)
	}
	name = clean(name)
	if why := c.foreign(name); why != "" {
		c.left = append(c.left, casefile.LeftOut{Name: original, Why: why})
		return nil
	}
	f, err := c.disk.Create(c.staged(len(c.new)))
	if err != nil {
		return refuse("%s: cannot be copied: %v; the case is as it was", original, source.Cause(err))
	}
	h := sha256.New()
	n, err := io.Copy(io.MultiWriter(f, h), io.LimitReader(r, c.opt.Limit-c.bytes+1))
	if err := errors.Join(err, f.Close()); err != nil {
		return refuse("%s: cannot be copied: %v; the case is as it was", original, source.Cause(err))
	}
	if c.bytes += n; c.bytes > c.opt.Limit {
		return refuse("%s: more than %d bytes in one collection; collect less at a time", original, c.opt.Limit)
	}
	it := Item{Original: original, SHA256: hex.EncodeToString(h.Sum(nil)), Bytes: n, Collected: c.opt.Now,
		Gathered: c.gathered}
	id := contentKey(name, it.SHA256)
	if have, ok := c.known[id]; ok {
		it.File, it.Known = have, true
		c.items = append(c.items, it)
		return nil
	}
	if name == casefile.NotesFile && c.names[name] {
		c.left = append(c.left,
			casefile.LeftOut{Name: original,
				Why: "the case has notes of its own; put into them by hand what they lack"})
		return nil
	}
	it.File = c.free(name)
	c.known[id] = it.File
	c.items, c.new = append(c.items, it), append(c.new, it)
	return nil
}

// foreign tells why a file of another case is no capture here, "" where it is one.
func (c *collection) foreign(name string) string {
	switch base := path.Base(name); {
	case base == casefile.ProvenanceFile:
		return "another case's record of where its captures came from"
	case base == casefile.NotesFile && name != base:
		return "notes count in the case's own folder only"
	}
	return ""
}

// sortedNames sorts the names of a folder or archive so that the order does not depend on where they were stored.
func sortedNames[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
