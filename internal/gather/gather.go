// Package gather captures many devices at once into a case. It exists to make one device's trouble nobody else's: each
// is asked on its own, tried once more where that may help, and joins the case whole or not at all, together with when
// it was asked what.
package gather

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"zarvek/internal/collect"
	"zarvek/internal/gather/fetch"
	"zarvek/internal/gather/record"
	"zarvek/internal/gather/target"
)

// A State is where a device is in a gathering.
type State int

// The states.
const (
	Waiting State = iota
	AtWork
	Done
	Failed
	Stopped // before it was done, by whoever ran the program
)

// An Outcome is what became of one device.
type Outcome struct {
	Target target.Target
	State  State
	Err    error // of Failed and Stopped
	Tries  int
	record.Gathered
	Files []string // in the case
	Bytes int64
}

// A News is a change in what happens with one device.
type News struct {
	Index int // of the targets
	State State
	What  string // is being asked, while it is at work
	Err   error
}

// Options say how to gather.
type Options struct {
	Case   string
	AtOnce int
	Pause  time.Duration // before another try
	Fetch  func(ctx context.Context, t target.Target, at func(what string)) (fetch.Reading, error)
	Tell   func(News) // told what happens, one at a time; nil for nobody
	Now    func() time.Time
}

// errStopped is what ends the devices that were not done when somebody stopped the program.
var errStopped = errors.New("stopped before it was done")

// Run gathers from the targets and returns what became of each, in their order. When ctx ends, the devices that are
// done are in the case and the others are not.
func Run(ctx context.Context, targets []target.Target, opt Options) []Outcome {
	g := &gathering{opt: opt, out: make([]Outcome, len(targets)), read: make(chan reading, len(targets))}
	for i, t := range targets {
		g.out[i].Target = t
	}
	joined := make(chan bool)
	go func() {
		defer close(joined)
		g.join(context.WithoutCancel(ctx))
	}()
	next := make(chan int)
	var wg sync.WaitGroup
	for range max(min(opt.AtOnce, len(targets)), 1) {
		wg.Go(func() {
			for i := range next {
				g.one(ctx, i)
			}
		})
	}
	for i := range targets {
		next <- i
	}
	close(next)
	wg.Wait()
	close(g.read)
	<-joined
	return g.out
}

// gathering is one run.
type gathering struct {
	opt  Options
	read chan reading
	tell sync.Mutex
	out  []Outcome // each is written by its own worker, then by the joiner
}

// reading is a device that was read and has yet to join the case.
type reading struct {
	index int
	files []fetch.File
}

func (g *gathering) news(n News) {
	if g.opt.Tell == nil {
		return
	}
	g.tell.Lock()
	defer g.tell.Unlock()
	g.opt.Tell(n)
}

// one captures one device, with a second try where it may help.
func (g *gathering) one(ctx context.Context, i int) {
	o := &g.out[i]
	o.Way, o.From = string(o.Target.Way), o.Target.String()
	for o.Tries < 2 && ctx.Err() == nil {
		o.Tries++
		o.Start = g.opt.Now().UTC().Truncate(time.Millisecond)
		r, err := g.opt.Fetch(ctx, o.Target, func(what string) { g.news(News{i, AtWork, what, nil}) })
		o.End = g.opt.Now().UTC().Truncate(time.Millisecond)
		if err == nil {
			o.Family, o.Commands, o.Moved, o.NoRoutes, o.Scrubbed = r.Family, r.Commands, r.Moved, r.NoRoutes,
				r.Scrubbed
			g.read <- reading{i, r.Files}
			return
		}
		o.Err = err
		if !fetch.Again(err) || o.Tries == 2 {
			break
		}
		g.news(News{i, Waiting, "waits for another try", err})
		select {
		case <-time.After(g.opt.Pause):
		case <-ctx.Done():
		}
	}
	o.State = Failed
	if ctx.Err() != nil {
		o.State, o.Err = Stopped, errStopped
	}
	g.news(News{i, o.State, "", o.Err})
}

// join puts the devices into the case as they come, all that wait at once: a case is taken for each joining anew.
func (g *gathering) join(ctx context.Context) {
	for r := range g.read {
		some := []reading{r}
		for more := true; more; {
			select {
			case r, ok := <-g.read:
				if more = ok; ok {
					some = append(some, r)
				}
			default:
				more = false
			}
		}
		g.joinAll(ctx, some)
	}
}

// joinAll joins some devices; where that fails together each is tried for itself, so that it is known whose trouble it
// is.
func (g *gathering) joinAll(ctx context.Context, some []reading) {
	names, err := g.add(ctx, some)
	if err != nil && len(some) > 1 {
		for _, r := range some {
			g.joinAll(ctx, []reading{r})
		}
		return
	}
	for _, r := range some {
		o := &g.out[r.index]
		if err != nil {
			o.State, o.Err = Failed, fmt.Errorf("was read and cannot be kept: %w", err)
			g.news(News{r.index, Failed, "", o.Err})
			continue
		}
		o.State, o.Err, o.Files = Done, nil, names[r.index]
		for _, f := range r.files {
			o.Bytes += int64(len(f.Bytes))
		}
		g.news(News{r.index, Done, "", nil})
	}
}

// add puts what was read into the case in one commit; the result is the files of each device, by its number.
func (g *gathering) add(ctx context.Context, some []reading) (map[int][]string, error) {
	var fresh []collect.Fresh
	var whose []int
	for _, r := range some {
		o := &g.out[r.index]
		about := o.Gathered
		for _, f := range r.files {
			fresh = append(fresh, collect.Fresh{File: o.Target.Name + "/" + f.Name, From: o.From, Bytes: f.Bytes,
				Gathered: &about})
			whose = append(whose, r.index)
		}
	}
	result, err := collect.Join(ctx, fresh,
		collect.Options{Case: g.opt.Case, Now: g.opt.Now().UTC().Truncate(time.Second)})
	if err != nil {
		return nil, err
	}
	names := map[int][]string{}
	for k, it := range result.Items {
		if k < len(whose) {
			names[whose[k]] = append(names[whose[k]], it.File)
		}
	}
	return names, nil
}

// Captured lists which of the names have captures in a case already: their folder holds a file.
func Captured(dir string, names []string) ([]string, error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []string
	for _, n := range names {
		if slices.ContainsFunc(entries, func(e os.DirEntry) bool {
			return e.IsDir() && strings.EqualFold(e.Name(), n) && holdsFile(filepath.Join(dir, e.Name()))
		}) {
			out = append(out, n)
		}
	}
	return out, nil
}

func holdsFile(dir string) bool {
	entries, err := os.ReadDir(dir)
	return err == nil && slices.ContainsFunc(entries,
		func(e os.DirEntry) bool { return !strings.HasPrefix(e.Name(), ".") })
}
