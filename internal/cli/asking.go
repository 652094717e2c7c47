package cli

import (
	"errors"
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

// questions asks on the terminal. What is typed ahead stays for the next question.
type questions struct {
	to       io.Writer
	terminal *term.Terminal
}

// newQuestions returns what asks, nil where standard input is no terminal.
func newQuestions(w io.Writer) *questions {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return nil
	}
	return &questions{w, term.NewTerminal(struct {
		io.Reader
		io.Writer
	}{os.Stdin, w}, "")}
}

// ask takes the terminal for one question: nothing that is typed is shown by the system, not even before the question
// is.
func (q *questions) ask(read func(t *term.Terminal) (string, error)) (string, error) {
	asking.Lock()
	defer asking.Unlock()
	before, err := term.MakeRaw(int(os.Stdin.Fd()))
	if err != nil {
		return "", err
	}
	fmt.Fprint(q.to, clearLine(q.to))
	line, err := read(q.terminal)
	_ = term.Restore(int(os.Stdin.Fd()), before)
	if errors.Is(err, io.EOF) { // Ctrl-C, or the end of what is typed
		if p, found := os.FindProcess(os.Getpid()); found == nil {
			_ = p.Signal(os.Interrupt)
		}
	}
	return line, err
}

// secret asks for a secret. What is typed is not shown.
func (q *questions) secret(question string) (string, error) {
	return q.ask(func(t *term.Terminal) (string, error) { return t.ReadPassword(present.Clean(question)) })
}

// yes asks a question that is answered by yes or anything else.
func (q *questions) yes(question string) bool {
	line, err := q.ask(func(t *term.Terminal) (string, error) {
		t.SetPrompt(present.Clean(question) + " (yes or no) ")
		defer t.SetPrompt("")
		return t.ReadLine()
	})
	return err == nil && strings.EqualFold(strings.TrimSpace(line), "yes")
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
	waiting := len(s.targets) - len(s.what)
	for _, n := range s.states {
		waiting -= n
	}
	if waiting > 0 {
		out += fmt.Sprintf(", %d waiting", waiting)
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
