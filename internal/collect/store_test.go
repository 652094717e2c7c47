package collect

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
)

var kills = flag.Int("kills", 20, "how often collections are killed at random")

// state says what a case holds for its readers: each capture, wherever its bytes lie, and what the record says of it.
// Both must agree.
func state(t *testing.T, dir string) string {
	t.Helper()
	at := casefile.Pending(dir)
	require.NoError(t, filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		rel, _ := filepath.Rel(dir, p)
		switch name := filepath.ToSlash(rel); {
		case err != nil:
			return err
		case d.IsDir() && strings.HasPrefix(d.Name(), "."):
			return filepath.SkipDir
		case !d.IsDir() && at[name] == "":
			at[name] = p
		}
		return nil
	}))
	var items []Item
	if record := at[casefile.ProvenanceFile]; record != "" {
		b, err := os.ReadFile(record)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(b, &items), "the record must be whole")
		delete(at, casefile.ProvenanceFile)
	}
	told := map[string]string{}
	for _, it := range items {
		told[it.File] = it.SHA256
	}
	var out []string
	for _, name := range sortedNames(at) {
		sum, err := sumOf(at[name])
		require.NoError(t, err)
		require.Equal(t, told[name], sum, "%s: the record and the file must agree", name)
		delete(told, name)
		out = append(out, name)
	}
	require.Empty(t, told, "the record tells of files that are not there")
	return strings.Join(out, " ")
}

var errFault = errors.New("no space left on device")

// faulty fails at one step; where it is dead, at every later one too, as if the program had been killed there.
type faulty struct {
	disk
	steps, at int
	dead      bool
}

func (f *faulty) step() error {
	f.steps++
	if f.steps == f.at || f.dead && f.steps > f.at {
		return errFault
	}
	return nil
}

func (f *faulty) MkdirTemp(dir, prefix string) (string, error) {
	if err := f.step(); err != nil {
		return "", err
	}
	return f.disk.MkdirTemp(dir, prefix)
}

func (f *faulty) Create(file string) (io.WriteCloser, error) {
	if err := f.step(); err != nil {
		return nil, err
	}
	w, err := f.disk.Create(file)
	return &faultyFile{w, f}, err
}

func (f *faulty) do(what func() error) error {
	if err := f.step(); err != nil {
		return err
	}
	return what()
}

func (f *faulty) MkdirAll(dir string) error {
	return f.do(func() error { return f.disk.MkdirAll(dir) })
}
func (f *faulty) Rename(a, b string) error { return f.do(func() error { return f.disk.Rename(a, b) }) }
func (f *faulty) Remove(name string) error { return f.do(func() error { return f.disk.Remove(name) }) }
func (f *faulty) RemoveAll(dir string) error {
	return f.do(func() error { return f.disk.RemoveAll(dir) })
}
func (f *faulty) SyncTree(dir string) error {
	return f.do(func() error { return f.disk.SyncTree(dir) })
}
func (f *faulty) SyncFolder(dir string) error {
	return f.do(func() error { return f.disk.SyncFolder(dir) })
}

type faultyFile struct {
	io.WriteCloser
	f *faulty
}

// Write writes half before it fails.
func (w *faultyFile) Write(b []byte) (int, error) {
	if err := w.f.step(); err != nil {
		n, _ := w.WriteCloser.Write(b[:len(b)/2])
		return n, err
	}
	return w.WriteCloser.Write(b)
}

func (w *faultyFile) Close() error {
	err := w.f.step()
	return errors.Join(err, w.WriteCloser.Close())
}

// TestAFaultAtEveryStep leaves the case as it was or whole, with a record that agrees, and the next collection goes on
// from there: whether one step fails or the program ends at it.
func TestAFaultAtEveryStep(t *testing.T) {
	src := t.TempDir()
	write(t, src, "valley/b.txt", attached+"\n")
	write(t, src, "midway/c.txt", attached)
	write(t, src, "midway/d.txt", attached+"\n\n")
	const before, whole = "valley/a.txt", "midway/c.txt midway/d.txt valley/a.txt valley/b.txt"
	outcomes := map[string]int{}
	for _, dead := range []bool{false, true} {
		for at := 1; ; at++ {
			dir := filepath.Join(t.TempDir(), "case")
			first := write(t, t.TempDir(), "a.txt", attached)
			_, err := Run(context.Background(), []string{first}, Options{Case: dir, Device: "valley"})
			require.NoError(t, err)
			f := &faulty{disk: realDisk{}, at: at, dead: dead}
			_, err = runOn(context.Background(), []string{src}, Options{Case: dir}, f)
			got := state(t, dir)
			outcomes[got]++
			require.Contains(t, []string{before, whole}, got, "step %d, dead: %v", at, dead)
			if err == nil {
				require.Equal(t, whole, got)
			} else if got == before {
				require.ErrorContains(t, err, "the case is as it was", "step %d", at)
			}
			_, err = Run(context.Background(), []string{write(t, t.TempDir(), "z.txt", "z")}, Options{Case: dir})
			require.NoError(t, err)
			require.Equal(t, got+" z.txt", state(t, dir))
			require.Empty(t, casefile.StagingFolders(dir))
			if f.steps < at {
				t.Logf("%d steps, dead: %v", f.steps, dead)
				break
			}
		}
	}
	require.Greater(t, outcomes[before], 10)
	require.Greater(t, outcomes[whole], 5)
}

// TestManyAtOnce: forty collections in one case lose nothing.
func TestManyAtOnce(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "case")
	var wg sync.WaitGroup
	errs := make([]error, 40)
	for i := range errs {
		src := write(t, t.TempDir(), "r.txt", fmt.Sprintf("%s%d\n", attached, i))
		wg.Go(func() {
			_, errs[i] = Run(context.Background(), []string{src}, Options{Case: dir, Device: fmt.Sprintf("mast%d", i)})
		})
	}
	wg.Wait()
	require.NoError(t, errors.Join(errs...))
	require.Len(t, strings.Fields(state(t, dir)), 40)
}

// TestWhoHasTheCaseIsTold to one that cannot wait any longer.
func TestWhoHasTheCaseIsTold(t *testing.T) {
	dir := t.TempDir()
	s, err := openStore(context.Background(), dir, realDisk{}, time.Second)
	require.NoError(t, err)
	require.NoError(t, os.Mkdir(filepath.Join(dir, ".collect-4711-x"), 0o755))
	opt := Options{Case: dir, Wait: time.Millisecond}
	_, err = Run(context.Background(), []string{write(t, t.TempDir(), "a.txt", "a")}, opt)
	require.ErrorContains(t, err, "another collect is at work here (process 4711, since ")
	require.DirExists(t, filepath.Join(dir, ".collect-4711-x"), "nobody takes another's files away")
	s.close()
	_, err = Run(context.Background(), []string{write(t, t.TempDir(), "a.txt", "a")}, opt)
	require.NoError(t, err)
	require.NoDirExists(t, filepath.Join(dir, ".collect-4711-x"))
}

// TestMain runs a collection instead of the tests where TestRandomKills asks for one.
func TestMain(m *testing.M) {
	if dir := os.Getenv("KILLED_CASE"); dir != "" {
		if _, err := Run(context.Background(), []string{os.Getenv("KILLED_SOURCE")}, Options{Case: dir}); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	os.Exit(m.Run())
}

// TestRandomKills kills collections at random moments: the case is as it was or whole, and the next one goes on.
func TestRandomKills(t *testing.T) {
	dir := t.TempDir()
	have := ""
	full, cut := 0, 0
	for n := range *kills {
		src := t.TempDir()
		var names []string
		for i := range 30 {
			name := fmt.Sprintf("mast%d/run%d.txt", i, n)
			write(t, src, name, fmt.Sprintf("%s%d %d\n", attached, n, i))
			names = append(names, name)
		}
		c := exec.Command(os.Args[0])
		c.Env = append(os.Environ(), "KILLED_CASE="+dir, "KILLED_SOURCE="+src)
		require.NoError(t, c.Start())
		time.Sleep(time.Duration(rand.IntN(60)) * time.Millisecond)
		_ = c.Process.Kill()
		_ = c.Wait()
		all := map[string]bool{}
		for _, f := range append(strings.Fields(have), names...) {
			all[f] = true
		}
		whole := strings.Join(sortedNames(all), " ")
		got := state(t, dir)
		require.Contains(t, []string{have, whole}, got)
		if got == have {
			cut++
		} else {
			full++
		}
		have = got
	}
	t.Logf("%d kills: %d collections counted, %d did not", *kills, full, cut)
}

// TestAPlantedPlan does no harm: nothing outside is touched, nothing in the case is hidden, replaced or taken away.
func TestAPlantedPlan(t *testing.T) {
	for name, plan := range map[string]string{
		"outside":        `{"files":[{"staged":"000000","file":"../victim.txt"}]}`,
		"absolute":       `{"files":[{"staged":"000000","file":"/victim.txt"}]}`,
		"from outside":   `{"files":[{"staged":"../../victim.txt","file":"taken.txt"}]}`,
		"over a capture": `{"files":[{"staged":"000000","file":"valley/a.txt"}]}`,
		"the record":     `{"files":[{"staged":"provenance.json","file":"provenance.json"}]}`,
		"hidden":         `{"files":[{"staged":"000000","file":".git/config"}]}`,
		"an older form":  `["valley/a.txt","../victim.txt"]`,
		"no plan":        `{`,
	} {
		t.Run(name, func(t *testing.T) {
			top := t.TempDir()
			victim := write(t, top, "victim.txt", "mine")
			dir := filepath.Join(top, "case")
			_, err := Run(
				context.Background(),
				[]string{write(t, t.TempDir(), "a.txt", attached)},
				Options{Case: dir, Device: "valley"},
			)
			require.NoError(t, err)
			write(t, dir, ".collect-1-x/plan.json", plan)
			write(t, dir, ".collect-1-x/000000", "planted")
			write(t, dir, ".collect-1-x/provenance.json", "[]\n")
			record, err := os.ReadFile(filepath.Join(dir, casefile.ProvenanceFile))
			require.NoError(t, err)
			before := tree(t, top)
			loaded, err := casefile.Load(dir)
			require.NoError(t, err)
			require.NotNil(t, loaded.Network.Device("valley"), "a plan hides no capture")
			dry := Options{Case: dir, DryRun: true}
			_, err = Run(context.Background(), []string{write(t, t.TempDir(), "b.txt", "b")}, dry)
			require.NoError(t, err)
			require.Equal(t, before, tree(t, top), "a dry run changes nothing")

			_, err = Run(context.Background(), []string{write(t, t.TempDir(), "b.txt", "b")}, Options{Case: dir})
			require.NoError(t, err)
			require.Equal(t, "b.txt valley/a.txt", state(t, dir))
			now, err := os.ReadFile(victim)
			require.NoError(t, err)
			require.Equal(t, "mine", string(now))
			after, err := os.ReadFile(filepath.Join(dir, casefile.ProvenanceFile))
			require.NoError(t, err)
			require.True(
				t,
				strings.HasPrefix(string(after), strings.TrimSuffix(string(record), "\n]\n")),
				"the record goes on",
			)
			a, err := os.ReadFile(filepath.Join(dir, "valley/a.txt"))
			require.NoError(t, err)
			require.Equal(t, attached, string(a))
		})
	}
}
