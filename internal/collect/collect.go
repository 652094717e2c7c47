// Package collect copies captures into a case: files, folders, archives and standard input, each with where it came
// from. It exists so that a case can be handed over with its provenance, and so that a bad archive can do no harm.
//
// The case stays as it was until everything is there: files are prepared in a hidden folder, then join the case one by
// one under a plan, so that a collection that is cut off can be undone, and its files are not read until it has
// finished.
package collect

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
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
}

// Options say where to and how.
type Options struct {
	Case   string
	Device string // put everything into this device's folder
	DryRun bool
	Stdin  io.Reader
	Now    time.Time
	Limit  int64 // bytes in all; 0 means MaxBytes
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
	staging string
	known   map[string]string // device's folder and SHA-256: file in the case
	names   map[string]bool   // files of the case, in lower case
	items   []Item
	new     []Item
	bytes   int64
	flat    []string
}

// A Result is what was collected.
type Result struct {
	Items []Item
	// Flat are the source folders that held several files and no folders, so that nothing in their names tells which
	// device the files are of.
	Flat []string
}

// Run collects the sources. On an error, or when ctx ends, the case is as it was.
func Run(ctx context.Context, sources []string, opt Options) (Result, error) {
	if opt.Limit == 0 {
		opt.Limit = MaxBytes
	}
	c := &collection{ctx: ctx, opt: opt, known: map[string]string{}, names: map[string]bool{}}
	old, err := c.load()
	if err != nil {
		return Result{}, err
	}
	made, err := c.stage()
	if err != nil {
		return Result{}, err
	}
	defer func() {
		os.RemoveAll(c.staging)
		if made {
			os.Remove(opt.Case) // only where it is still empty
		}
	}()
	for _, s := range sources {
		if err := c.source(s); err != nil {
			return Result{}, err
		}
	}
	if opt.Look != nil {
		for i, it := range c.new {
			opt.Look(it, c.staged(i))
		}
	}
	if opt.DryRun || len(c.new) == 0 {
		return Result{c.items, c.flat}, nil
	}
	return Result{c.items, c.flat}, c.commit(append(old, c.new...))
}

// load reads what the case has, and undoes a collection that was cut off.
func (c *collection) load() ([]Item, error) {
	for _, f := range casefile.Unfinished(c.opt.Case) {
		os.Remove(filepath.Join(c.opt.Case, filepath.FromSlash(f)))
	}
	left, _ := filepath.Glob(filepath.Join(c.opt.Case, casefile.StagingPrefix+"*"))
	for _, l := range left {
		os.RemoveAll(l)
	}
	var old []Item
	b, err := os.ReadFile(filepath.Join(c.opt.Case, casefile.ProvenanceFile))
	if err == nil {
		err = json.Unmarshal(b, &old)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, refuse(
			"%s: cannot be used: %v; repair it or move it away",
			filepath.Join(c.opt.Case, casefile.ProvenanceFile),
			err,
		)
	}
	err = filepath.WalkDir(c.opt.Case, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && strings.HasPrefix(d.Name(), ".") && p != c.opt.Case {
			if d != nil && d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if d.Type().IsRegular() {
			rel, _ := filepath.Rel(c.opt.Case, p)
			c.names[strings.ToLower(filepath.ToSlash(rel))] = true
			if sum, err := sumOf(p); err == nil {
				c.known[contentKey(filepath.ToSlash(rel), sum)] = filepath.ToSlash(rel)
			}
		}
		return nil
	})
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	return old, err
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

// stage makes the hidden folder; made tells that the case itself is new.
func (c *collection) stage() (made bool, err error) {
	if c.opt.DryRun {
		c.staging, err = os.MkdirTemp("", "zarvek-collect-")
		return false, err
	}
	if _, err := os.Stat(c.opt.Case); errors.Is(err, fs.ErrNotExist) {
		made = true
	}
	if err := os.MkdirAll(c.opt.Case, 0o755); err != nil {
		return false, refuse("%s: cannot be made: %v", c.opt.Case, err)
	}
	c.staging, err = os.MkdirTemp(c.opt.Case, casefile.StagingPrefix)
	if err != nil {
		return made, refuse("%s: cannot be written to: %v; give another folder with -case", c.opt.Case, err)
	}
	return made, nil
}

// Staged returns where a new item's bytes are before it has joined the case.
func (c *collection) staged(i int) string { return filepath.Join(c.staging, fmt.Sprintf("%06d", i)) }

// add stages one file. Name is the wanted name in the case.
func (c *collection) add(name, original string, r io.Reader) error {
	if err := c.ctx.Err(); err != nil {
		return refuse("interrupted; the case is as it was")
	}
	if len(c.items) >= MaxFiles {
		return refuse("%s: more than %d files in one collection; collect fewer at a time", original, MaxFiles)
	}
	f, err := os.Create(c.staged(len(c.new)))
	if err != nil {
		return err
	}
	h := sha256.New()
	n, err := io.Copy(io.MultiWriter(f, h), io.LimitReader(r, c.opt.Limit-c.bytes+1))
	if err := errors.Join(err, f.Close()); err != nil {
		return refuse("%s: cannot be copied: %v", original, err)
	}
	if c.bytes += n; c.bytes > c.opt.Limit {
		return refuse("%s: more than %d bytes in one collection; collect less at a time", original, c.opt.Limit)
	}
	it := Item{Original: original, SHA256: hex.EncodeToString(h.Sum(nil)), Bytes: n, Collected: c.opt.Now}
	name = clean(name)
	id := contentKey(name, it.SHA256)
	if have, ok := c.known[id]; ok {
		it.File, it.Known = have, true
		c.items = append(c.items, it)
		return nil
	}
	it.File = c.free(name)
	c.known[id] = it.File
	c.items, c.new = append(c.items, it), append(c.new, it)
	return nil
}

// clean makes a name that is safe on every system: no hidden part, no control or reserved characters.
func clean(name string) string {
	parts := strings.Split(path.Clean("/" + strings.ReplaceAll(name, `\`, "/"))[1:], "/")
	for i, p := range parts {
		p = strings.Map(func(r rune) rune {
			if r < ' ' || r == 0x7f || strings.ContainsRune(`<>:"|?*`, r) || r == '\uFFFD' {
				return '_'
			}
			return r
		}, p)
		p = strings.TrimLeft(strings.TrimRight(p, " ."), ".")
		if p == "" {
			p = "_"
		}
		parts[i] = p
	}
	return strings.Join(parts, "/")
}

// free returns the name, or the name with a number where it is taken.
func (c *collection) free(name string) string {
	ext := path.Ext(name)
	for n, try := 2, name; ; n++ {
		if low := strings.ToLower(try); !c.names[low] {
			c.names[low] = true
			return try
		}
		try = fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ext), n, ext)
	}
}

// commit lets the new files join the case, the manifest last. Until the staging folder is gone they are no part of it.
func (c *collection) commit(all []Item) error {
	var plan []string
	for _, it := range c.new {
		plan = append(plan, it.File)
	}
	if err := writeJSON(filepath.Join(c.staging, casefile.PlanFile), plan); err != nil {
		return err
	}
	for i, it := range c.new {
		to := filepath.Join(c.opt.Case, filepath.FromSlash(it.File))
		err := os.MkdirAll(filepath.Dir(to), 0o755)
		if err == nil {
			err = os.Rename(c.staged(i), to)
		}
		if err != nil {
			for _, undo := range plan[:i+1] {
				os.Remove(filepath.Join(c.opt.Case, filepath.FromSlash(undo)))
			}
			return refuse("%s: cannot join the case: %v; the case is as it was", it.File, err)
		}
	}
	manifest := filepath.Join(c.staging, casefile.ProvenanceFile)
	if err := writeJSON(manifest, all); err != nil {
		return err
	}
	if err := os.Rename(manifest, filepath.Join(c.opt.Case, casefile.ProvenanceFile)); err != nil {
		return err
	}
	return os.Remove(filepath.Join(c.staging, casefile.PlanFile))
}

func writeJSON(file string, v any) error {
	b, err := json.MarshalIndent(v, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(b, '\n'), 0o644)
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
