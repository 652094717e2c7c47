package cli

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"sync"

	"golang.org/x/term"

	"zarvek/internal/core/network"
	"zarvek/internal/gather"
	"zarvek/internal/gather/target"
	"zarvek/internal/present"
)

// asking keeps questions and the line that tells how far a gathering is apart.
var asking sync.Mutex

// askSecret returns what asks for a secret on the terminal, nil where there is none. What is typed is not shown.
func askSecret(w io.Writer) func(string) (string, error) {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return nil
	}
	return func(question string) (string, error) {
		asking.Lock()
		defer asking.Unlock()
		fmt.Fprintf(w, "%s%s", clearLine(w), present.Clean(question))
		b, err := term.ReadPassword(int(os.Stdin.Fd()))
		fmt.Fprintln(w)
		return string(b), err
	}
}

// askYes returns what asks a question on the terminal, nil where there is none.
func askYes(w io.Writer) func(string) bool {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return nil
	}
	return func(question string) bool {
		asking.Lock()
		defer asking.Unlock()
		fmt.Fprintf(w, "%s%s (yes or no) ", clearLine(w), present.Clean(question))
		line, err := bufio.NewReader(os.Stdin).ReadString('\n')
		return err == nil && strings.EqualFold(strings.TrimSpace(line), "yes")
	}
}

// clearLine takes the status line away, on a terminal.
func clearLine(w io.Writer) string {
	if f, ok := w.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		return "\r\x1b[K"
	}
	return ""
}

// status is the line that tells how far a gathering is, and a line for each device that failed. It writes nothing where
// standard error is no terminal.
type status struct {
	to      *os.File
	targets []target.Target
	what    map[int]string // of the devices at work
	states  map[gather.State]int
}

func newStatus(w io.Writer, targets []target.Target) *status {
	s := &status{targets: targets, what: map[int]string{}, states: map[gather.State]int{}}
	if f, ok := w.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		s.to = f
	}
	return s
}

// tell takes in what happened; calls come one at a time.
func (s *status) tell(n gather.News) {
	if s.to == nil {
		return
	}
	asking.Lock()
	defer asking.Unlock()
	switch n.State {
	case gather.AtWork, gather.Waiting:
		s.what[n.Index] = n.What
	default:
		delete(s.what, n.Index)
		s.states[n.State]++
	}
	fmt.Fprint(s.to, clearLine(s.to))
	if n.State == gather.Failed {
		fmt.Fprintf(s.to, "%s: %s\n", s.targets[n.Index].Name, present.Clean(n.Err.Error()))
	}
	fmt.Fprint(s.to, s.line())
}

// line words the state, as long as the terminal is wide.
func (s *status) line() string {
	out := fmt.Sprintf("%d of %d captured", s.states[gather.Done], len(s.targets))
	if n := s.states[gather.Failed]; n > 0 {
		out += fmt.Sprintf(", %d failed", n)
	}
	var work []string
	for i, what := range s.what {
		work = append(work, s.targets[i].Name+": "+what)
	}
	slices.SortFunc(work, network.CompareNames)
	out += fmt.Sprintf("; %d at work: %s", len(work), present.Clean(strings.Join(work, "; ")))
	width, _, err := term.GetSize(int(s.to.Fd()))
	if err != nil || width < 20 {
		width = 80
	}
	if r := []rune(out); len(r) >= width {
		out = string(r[:width-2]) + "…"
	}
	return out
}

func (s *status) done() {
	if s.to != nil {
		fmt.Fprint(s.to, clearLine(s.to))
	}
}
