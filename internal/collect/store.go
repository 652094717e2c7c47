package collect

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"zarvek/internal/casefile"
	"zarvek/internal/source"
)

// Wait is how long a collection waits for another one in the same case.
const Wait = 2 * time.Minute

// retry is how often it looks whether the other one is done.
const retry = 20 * time.Millisecond

// A store is a case's folder while one collection has it to itself.
type store struct {
	dir  string // the folder itself, links resolved
	disk disk
	lock *flock.Flock
	made bool // by this collection
}

// openStore takes the case's folder, made where there is none, once no other collection has it. The lock is the
// system's, on the folder: it ends with the process, whatever ends that, and leaves nothing behind.
func openStore(ctx context.Context, dir string, d disk, wait time.Duration) (*store, error) {
	s := &store{disk: d}
	limit := time.Now().Add(wait)
	for {
		_, err := os.Stat(dir)
		if errors.Is(err, fs.ErrNotExist) {
			if err := d.MkdirAll(dir); err != nil {
				return nil, refuse("%s: cannot be made: %v", dir, source.Cause(err))
			}
			s.made = true
		}
		if s.dir, err = filepath.EvalSymlinks(dir); err != nil {
			return nil, refuse("%s: %v", dir, source.Cause(err))
		}
		before, err := os.Stat(s.dir)
		if err != nil {
			continue
		}
		if !before.IsDir() {
			return nil, refuse("%s: not a folder; give another with -case", dir)
		}
		s.lock = flock.New(s.dir, flock.SetFlag(os.O_RDONLY))
		got, err := s.lock.TryLock()
		switch now, gone := os.Stat(s.dir); {
		case err != nil && !errors.Is(err, fs.ErrNotExist):
			return nil, refuse("%s: cannot be locked: %v", dir, source.Cause(err))
		case got && gone == nil && os.SameFile(before, now):
			return s, nil
		}
		s.lock.Close()
		if ctx.Err() != nil {
			return nil, refuse("interrupted; the case is as it was")
		}
		if time.Now().After(limit) {
			return nil, refuse("%s: another collect is at work here%s; try again when it is done", dir, holder(s.dir))
		}
		time.Sleep(retry)
	}
}

// holder words which process has a case, by the name of its staging folder.
func holder(dir string) string {
	for _, s := range casefile.StagingFolders(dir) {
		pid, _, ok := strings.Cut(strings.TrimPrefix(filepath.Base(s), casefile.StagingPrefix), "-")
		if info, err := os.Stat(s); ok && err == nil {
			return fmt.Sprintf(" (process %s, since %s)", pid, info.ModTime().Format(time.TimeOnly))
		}
	}
	return ""
}

// close gives the case back; a folder that was made for nothing is taken away.
func (s *store) close() {
	if s.made {
		s.disk.Remove(s.dir) // only where it is empty
	}
	s.lock.Close()
}

// recover ends what an earlier collection left: one that was cut off before it counted is taken away, one that counts
// is brought to its end. Only its own staging folder is touched, and what is put into place there was prepared in it.
func (s *store) recover() error {
	for _, staging := range casefile.StagingFolders(s.dir) {
		if plan, ok := casefile.ReadPlan(staging); ok && s.whole(staging, plan) {
			if err := s.apply(staging, plan); err != nil {
				return err
			}
		}
		if err := s.disk.RemoveAll(staging); err != nil {
			return refuse("%s: what an earlier collect left cannot be taken away: %v", staging, source.Cause(err))
		}
	}
	return nil
}

// whole reports whether a plan is one that a collection wrote here: its record goes on with the case's own, and has the
// prepared files as they are. Where the record has its place already all is done.
func (s *store) whole(staging string, plan casefile.Plan) bool {
	old, err := manifest(filepath.Join(s.dir, casefile.ProvenanceFile))
	if err != nil {
		return false
	}
	all, err := manifest(filepath.Join(staging, casefile.ProvenanceFile))
	if err != nil || len(all) < len(old) {
		return false
	}
	for i := range old {
		if all[i].File != old[i].File || all[i].SHA256 != old[i].SHA256 {
			return false
		}
	}
	sums := map[string]string{}
	for _, it := range all {
		sums[it.File] = it.SHA256
	}
	for _, f := range plan.Files {
		sum, err := sumOf(filepath.Join(staging, f.Staged))
		if f.File != casefile.ProvenanceFile && err == nil && sum != sums[f.File] {
			return false
		}
	}
	return true
}

// manifest reads what the case says of its captures.
func manifest(file string) ([]Item, error) {
	var old []Item
	b, err := source.ReadFile(file, source.MaxRecord)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err == nil {
		err = json.Unmarshal(b, &old)
	}
	if err != nil {
		return nil, refuse("%s: cannot be used: %v; repair it or move it away", file, source.Cause(err))
	}
	return old, nil
}

// commit puts the prepared files into the case: everything first lies on the disk, then the plan appears, from which
// moment the collection counts, then each file takes its place.
func (s *store) commit(staging string, items, all []Item) error {
	var plan casefile.Plan
	for i, it := range items {
		if err := s.fits(it); err != nil {
			return err
		}
		plan.Files = append(plan.Files, casefile.Planned{Staged: stagedName(i), File: it.File})
	}
	plan.Files = append(plan.Files, casefile.Planned{Staged: casefile.ProvenanceFile, File: casefile.ProvenanceFile})
	draft := filepath.Join(staging, "plan.tmp")
	err := s.writeJSON(filepath.Join(staging, casefile.ProvenanceFile), all)
	if err == nil {
		err = s.writeJSON(draft, plan)
	}
	if err == nil {
		err = s.disk.SyncTree(staging)
	}
	if err == nil {
		err = s.disk.Rename(draft, filepath.Join(staging, casefile.PlanFile))
	}
	if err != nil {
		return refuse("%s: cannot be written to: %v; the case is as it was", s.dir, source.Cause(err))
	}
	if err := s.disk.SyncFolder(staging); err != nil {
		return pending(s.dir, err)
	}
	if err := s.apply(staging, plan); err != nil {
		return err
	}
	if err := s.disk.RemoveAll(staging); err != nil {
		return nil // everything is in its place; the next collection takes the rest away
	}
	return nil
}

// fits checks before anything counts that a file can take its place: a link in the case is never followed.
func (s *store) fits(it Item) error {
	at := s.dir
	parts := strings.Split(it.File, "/")
	for i, part := range parts {
		at = filepath.Join(at, part)
		info, err := os.Lstat(at)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil
		case err != nil:
			return refuse("%s: cannot join the case: %v; the case is as it was", it.File, source.Cause(err))
		case info.Mode()&fs.ModeSymlink != 0:
			return refuse("%s: cannot join the case: %s is a link, which is not followed; the case is as it was",
				it.File, at)
		case i == len(parts)-1:
			return refuse("%s: cannot join the case: it is there already; the case is as it was", it.File)
		case !info.IsDir():
			return refuse("%s: cannot join the case: %s is a file; the case is as it was", it.File, at)
		}
	}
	return nil
}

// apply gives the prepared files their places, those that have them already left out.
func (s *store) apply(staging string, plan casefile.Plan) error {
	folders := map[string]bool{s.dir: true}
	for _, f := range plan.Files {
		from := filepath.Join(staging, f.Staged)
		if info, err := os.Lstat(from); err != nil || !info.Mode().IsRegular() {
			continue
		}
		to := filepath.Join(s.dir, filepath.FromSlash(f.File))
		if f.File != casefile.ProvenanceFile {
			if err := s.fits(Item{File: f.File}); err != nil {
				return refuse("%v; what is to join lies in %s", err, staging)
			}
			if err := s.disk.MkdirAll(filepath.Dir(to)); err != nil {
				return pending(s.dir, err)
			}
		}
		if err := s.disk.Rename(from, to); err != nil {
			return pending(s.dir, err)
		}
		folders[filepath.Dir(to)] = true
	}
	for dir := range folders {
		if err := s.disk.SyncFolder(dir); err != nil {
			return pending(s.dir, err)
		}
	}
	return nil
}

// pending is the error of a collection that counts and whose files could not all be put into their places.
func pending(dir string, err error) error {
	return refuse("%s: the captures are in the case, but not yet in their places: %v; collect again to end that", dir,
		source.Cause(err))
}

func (s *store) writeJSON(file string, v any) error {
	b, err := json.MarshalIndent(v, "", " ")
	if err != nil {
		return err
	}
	f, err := s.disk.Create(file)
	if err != nil {
		return err
	}
	_, err = f.Write(append(b, '\n'))
	return errors.Join(err, f.Close())
}

func stagedName(i int) string { return fmt.Sprintf("%06d", i) }
