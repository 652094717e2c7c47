package cli

import (
	"os"
	"sync"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"
)

// progress shows how far long work is, on standard error if that is a terminal. The zero progress is ready to use, by
// several goroutines.
type progress struct {
	mu  sync.Mutex
	bar *progressbar.ProgressBar
}

// tell shows a bar where the whole work is at least worth.
func (p *progress) tell(what string, done, total, worth int64) {
	if total < worth || !term.IsTerminal(int(os.Stderr.Fd())) {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.bar == nil {
		p.bar = progressbar.NewOptions64(
			total,
			progressbar.OptionSetDescription(what),
			progressbar.OptionSetWriter(os.Stderr),
			progressbar.OptionClearOnFinish(),
			progressbar.OptionThrottle(1e8),
		)
	}
	_ = p.bar.Set64(min(done, total))
}

// done takes the bar away.
func (p *progress) done() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.bar != nil {
		_ = p.bar.Finish()
		_ = p.bar.Clear()
	}
}
