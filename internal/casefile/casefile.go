// Package casefile loads a case: a folder with the captures of one network at one time. It finds the files, reads them
// in parallel, decides which device each part belongs to, and builds the network from all of them.
//
// It needs no preparation of the folder and never writes to it.
package casefile

import (
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"os"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"zarvek/internal/cache"
	"zarvek/internal/capture"
	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/described"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
	"zarvek/internal/filename"
	"zarvek/internal/notes"
	"zarvek/internal/source"
)

// A Case is a loaded case. It is read-only.
type Case struct {
	Dir     string
	Network *network.Snapshot
	Named   map[string][]netip.Prefix // networks and groups of the notes, by name
	Keep    []netip.Addr              // addresses that the notes ask to keep reachable
	Files   []*File                   // by name
	LeftOut []LeftOut                 // what lies in the folder and is no part of the case
	at      *listing
	notes   *capture.Source // nil where the case has none
	// Thought is what follows from the change that the case holds (ChangeFile); nil where it holds none.
	Thought *settle.Result
	Steps   []rehearse.Step // of that change
	change  *capture.Source
	// tables that were not captured are those that configurations make
	supposes bool

	spokenOnce sync.Once
	spoken     map[string]spokenOf // by device
	covered    sync.Map            // what covers was asked for, and the answer
}

// A File is one capture of the case.
type File struct {
	*capture.Capture
	Device string // of the folder or the file's stem; a part's prompt may say otherwise
	named  bool   // Device is that of a folder, which a prompt does not overrule
}

// DeviceOf returns the device that a part of the file belongs to.
func (f *File) DeviceOf(p *capture.Part) string {
	name := f.Device
	if p.Device != "" && !f.named {
		name = p.Device
	}
	if f.named && p.Remote != "" && p.Remote != name { // another device answered than the folder's
		name += "-" + p.Remote
	}
	if p.Space != "" { // a network namespace forwards for itself
		name += "-" + p.Space
	}
	return name
}

// An Error is a case or capture that cannot be used. Its text is one line: what, where, what to do.
type Error struct{ text string }

func (e *Error) Error() string { return e.text }

func errorf(format string, args ...any) error { return &Error{fmt.Sprintf(format, args...)} }

// maxFile is the largest capture that is read.
const maxFile = 4 << 30

// Load reads every capture below dir. Layouts are files that describe layouts, beside those in the case itself
// (*.layout.yaml). Errors are of type *Error.
func Load(dir string, layouts ...string) (*Case, error) {
	return LoadWith(dir, Options{Layouts: layouts})
}

// Options are how a case is loaded. The zero Options tell nobody and suppose nothing.
type Options struct {
	Layouts []string                // files that describe layouts
	Tell    func(done, total int64) // is told how many bytes of all were read, by several goroutines; nil for nobody
	// Suppose lets devices of which a configuration was captured and no table have those that the configuration makes.
	Suppose bool
	// Cache returns where readings are kept, nil for nowhere; it is asked once a capture is large enough. Nil: nowhere.
	Cache func() *cache.Store

	keepAll bool // small captures as well, for tests
}

// LoadWith is Load with options.
func LoadWith(dir string, o Options) (*Case, error) {
	info, err := os.Stat(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, errorf("%s: there is no such folder; give the case's folder with -case", show(dir))
	case err != nil:
		return nil, errorf("%s: %v", show(dir), source.Cause(err))
	case !info.IsDir():
		return nil, errorf("%s: not a folder; -case takes a folder of captures", show(dir))
	}
	l, err := find(dir)
	if err != nil {
		return nil, err
	}
	layouts := slices.Clone(o.Layouts)
	for _, n := range l.layouts {
		layouts = append(layouts, l.path(n))
	}
	described, err := Describe(layouts)
	if err != nil {
		return nil, err
	}
	if len(l.captures) == 0 {
		return nil, errorf(
			"%s: no captures in this folder; put one folder a device there, or give another with -case",
			show(dir),
		)
	}
	files, err := openAll(l)
	if err != nil {
		return nil, err
	}
	c := &Case{Dir: dir, Files: make([]*File, len(files)), LeftOut: l.leftOut, at: l, supposes: o.Suppose}
	var done atomic.Int64
	total := sizes(l)
	r := &reading{described: described, budget: l.budget, store: o.Cache, least: leastKept}
	if o.keepAll {
		r.least = 0
	}
	if r.layouts, err = sumOfFiles(layouts); err != nil {
		return nil, err
	}
	if o.Tell != nil {
		o.Tell(0, total)
	}
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, u := range files {
		g.Go(func() error {
			read, size, err := r.read(&u, uint32(i+1))
			if err != nil {
				return err
			}
			c.Files[i] = &File{Capture: read, Device: u.device, named: u.folder}
			if now := done.Add(size); o.Tell != nil {
				o.Tell(now, total)
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	r.done()
	c.severalInAFolder()
	c.ownNames()
	if err := c.build(); err != nil {
		return nil, err
	}
	if err := c.readChange(); err != nil {
		return nil, err
	}
	return c, nil
}

// severalInAFolder lets prompts say whose a capture is in a folder in which they name several devices: that is a folder
// of logs, or one in which somebody went on from device to device. What was gathered is its folder's device's, whatever
// its prompt looks like.
func (c *Case) severalInAFolder() {
	gathered := map[string]bool{}
	for _, p := range c.provenances() {
		gathered[p.File] = p.Gathered != nil
	}
	named := map[string]map[string]bool{} // by folder: the devices that prompts name
	for _, f := range c.Files {
		for i := range f.Parts {
			if p := &f.Parts[i]; f.named && p.Device != "" && p.Layout != "" && !gathered[f.Source.Name] {
				if named[f.Device] == nil {
					named[f.Device] = map[string]bool{}
				}
				named[f.Device][p.Device] = true
			}
		}
	}
	for _, f := range c.Files {
		if len(named[f.Device]) > 1 && !gathered[f.Source.Name] {
			f.named = false
		}
	}
}

// ownNames gives a configuration that lies beside a device's other captures under a name of its own to the device that
// it names, so that what it restricts is not lost to that device.
func (c *Case) ownNames() {
	known := map[string]bool{}
	for _, f := range c.Files {
		for i := range f.Parts {
			if p := &f.Parts[i]; p.Layout != "" {
				known[f.DeviceOf(p)] = true
			}
		}
	}
	for _, f := range c.Files {
		if name := f.Hostname(); !f.named && name != f.Device && known[name] {
			f.Device = name
		}
	}
}

// sizes sums up the bytes of files; those that cannot be asked count nothing.
func sizes(l *listing) int64 {
	total := int64(0)
	for _, n := range l.captures {
		if info, err := os.Stat(l.path(n)); err == nil {
			total += info.Size()
		}
	}
	return total
}

// build makes a network of what was read, with what notes.yaml adds.
func (c *Case) build() error {
	var b network.Builder
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			if p.Layout == "" {
				continue
			}
			b.Add(f.DeviceOf(p), p.Facts, len(p.Unread))
		}
	}
	c.blended(&b)
	if err := c.readNotes(&b); err != nil {
		return err
	}
	if c.supposes {
		c.suppose(&b)
	}
	if c.Network = b.Build(); c.supposes {
		c.Network = settle.Suppose(c.Network)
	}
	return nil
}

// readNotes adds what notes.yaml tells.
func (c *Case) readNotes(b *network.Builder) error {
	raw, err := source.ReadFile(c.at.path(NotesFile), source.MaxRecord)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return errorf("%s: cannot be read: %v", NotesFile, source.Cause(err))
	}
	if c.notes, err = capture.Open(NotesFile, raw); err != nil {
		return errorf("%s: %v", NotesFile, err)
	}
	n, err := notes.Parse(NotesFile, raw, uint32(len(c.Files)+1), b)
	if err != nil {
		return errorf("%v; zarvek help notes tells the format", err)
	}
	b.Hosts, b.OneArea, c.Keep, c.Named = n.Hosts, n.OneArea, n.Keep, n.Named
	for name, f := range n.Devices {
		b.Add(name, f, 0)
	}
	return nil
}

// source returns the file that a mark points into, nil for none.
func (c *Case) source(m route.Mark) *capture.Source {
	switch n := int(m.File); {
	case n == 0 || n > len(c.Files)+2:
		return nil
	case n == len(c.Files)+1:
		return c.notes
	case n == len(c.Files)+2:
		return c.change
	default:
		return c.Files[n-1].Source
	}
}

// Describe makes readers of the files that describe layouts.
func Describe(files []string) ([]layout.Reader, error) {
	var out []layout.Reader
	for _, f := range files {
		text, err := source.ReadFile(f, source.MaxRecord)
		if err != nil {
			return nil, errorf("%s: cannot be read: %v", show(f), source.Cause(err))
		}
		r, err := described.Parse(show(f), text)
		if err != nil {
			return nil, errorf("%v; see zarvek help layouts", err)
		}
		out = append(out, r)
	}
	return out, nil
}

// Names of the case's own files, which are no captures.
const (
	NotesFile      = "notes.yaml"
	ProvenanceFile = "provenance.json"
	ChangeFile     = "change.yaml"
	DevicesFile    = "devices.yaml"
	layoutSuffix   = ".layout.yaml"
)

// Own reports whether a case keeps a file of that name for itself, wherever in it.
func Own(base string) bool {
	return base == NotesFile || base == ProvenanceFile || base == ChangeFile || base == DevicesFile
}

// anotherCases is the role of a file that a case keeps for itself and that lies deeper.
const anotherCases = "another case's own"

// role names what a file of the case is that is no capture, "" for captures.
func role(name string) string {
	switch {
	case name == NotesFile:
		return "notes"
	case name == ProvenanceFile:
		return "provenance"
	case name == ChangeFile:
		return "change on paper"
	case name == DevicesFile:
		return "list of devices to gather from"
	case Own(path.Base(name)):
		return anotherCases
	case strings.HasSuffix(name, layoutSuffix) && !strings.Contains(name, "/"):
		return "described layout"
	}
	return ""
}

// CaseRoot returns the folder, relative to the case, whose sub-folders are the devices: the case itself, or the one
// folder in it when that holds nothing but folders, so that pointing at the folder above does no harm.
func CaseRoot(names []string) string {
	top, deep := "", false
	for _, n := range names {
		first, rest, ok := strings.Cut(n, "/")
		if !ok {
			continue
		}
		if top != "" && top != first || !strings.Contains(rest, "/") {
			return ""
		}
		top, deep = first, true
	}
	if !deep {
		return ""
	}
	return top + "/"
}

// ArchiveRoot is CaseRoot of an archive, which mostly holds one folder of everything: that is no device where it has
// several folders.
func ArchiveRoot(names []string) string {
	top, folders := "", map[string]bool{}
	for _, n := range names {
		first, rest, ok := strings.Cut(n, "/")
		if !ok || top != "" && top != first {
			return ""
		}
		top = first
		if sub, _, deep := strings.Cut(rest, "/"); deep {
			folders[sub] = true
		}
	}
	if len(folders) < 2 {
		return CaseRoot(names)
	}
	return top + "/"
}

// deviceOf names the device of a file: the folder under the case, else the file's name without its endings.
func deviceOf(name, root string) (device string, folder bool) {
	if rest, ok := strings.CutPrefix(name, root); ok {
		if first, _, ok := strings.Cut(rest, "/"); ok {
			return first, true
		}
	}
	stem, _ := filename.Stem(path.Base(name))
	return stem, false
}

// show makes a path safe to print in a message: control characters are escaped.
func show(p string) string {
	q := fmt.Sprintf("%q", p)
	if q == `"`+p+`"` {
		return p
	}
	return q
}

// A Position is a line of a capture.
type Position struct {
	File string
	Line int
}

// Position returns where a mark points. The zero Position is nowhere.
func (c *Case) Position(m route.Mark) Position {
	src := c.source(m)
	if src == nil {
		return Position{}
	}
	return Position{src.Name, src.Line(m.Off)}
}

// Text returns the captured bytes behind a mark. Do not change them.
func (c *Case) Text(m route.Mark) []byte {
	if src := c.source(m); src != nil {
		return src.Text(m)
	}
	return nil
}
