package cli

import (
	"os"
	"sync"
	"time"

	"github.com/cheggaaa/pb/v3"
	"golang.org/x/term"
)

// How far work is: which part is done, for how long it has been at work, and of bytes how many of how many; of work
// that nobody counts the time alone.
const (
	countedLine pb.ProgressBarTemplate = `{{string . "phase"}} {{bar . "[" "#" "#" " " "]"}} ` +
		`{{percent . "%.0f %%"}}, {{etime . }}`
	bytesLine     pb.ProgressBarTemplate = countedLine + `, {{counters . "%s of %s"}}`
	uncountedLine pb.ProgressBarTemplate = `{{string . "phase"}}, {{etime . }}`
)

// patience is how long work that nobody counts may take without a word.
const patience = time.Second

// progress shows how far long work is, on standard error if that is a terminal: one line, of the phase that is at work.
// The zero progress is ready to use, by several goroutines.
type progress struct {
	mu    sync.Mutex
	phase string
	bar   *pb.ProgressBar // of the phase; nil where it shows nothing yet
}

// tell shows a bar where the whole work of a phase is at least worth.
func (p *progress) tell(phase string, done, total, worth int64) {
	p.count(phase, done, total, worth, false)
}

// tellBytes is tell of work that is counted in bytes.
func (p *progress) tellBytes(phase string, done, total, worth int64) {
	p.count(phase, done, total, worth, true)
}

func (p *progress) count(phase string, done, total, worth int64, bytes bool) {
	if total < worth || !shown() {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.phase != phase || p.bar == nil {
		p.end()
		line := countedLine
		if bytes {
			line = bytesLine
		}
		p.begin(line, phase, total, bytes)
	}
	p.bar.SetCurrent(min(done, total))
}

// busy names a phase that nobody counts.
func (p *progress) busy(phase string) {
	if !shown() {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.end()
	p.phase = phase
	time.AfterFunc(patience, func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.phase == phase && p.bar == nil {
			p.begin(uncountedLine, phase, 0, false)
		}
	})
}

func (p *progress) begin(line pb.ProgressBarTemplate, phase string, total int64, bytes bool) {
	p.phase = phase
	p.bar = line.New(0).SetTotal(total).SetWriter(os.Stderr).SetRefreshRate(time.Second/10).
		Set("phase", phase).Set(pb.Bytes, bytes).Set(pb.CleanOnFinish, true).Start()
}

// end takes the line of the phase away.
func (p *progress) end() {
	if p.bar != nil {
		p.bar.Finish()
	}
	p.phase, p.bar = "", nil
}

// done takes away what is shown.
func (p *progress) done() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.end()
}

// shown reports whether somebody sees progress.
func shown() bool { return term.IsTerminal(int(os.Stderr.Fd())) }

// busyWith names what is at work until what it returns is called.
func busyWith(phase string) (end func()) {
	var p progress
	p.busy(phase)
	return p.done
}
