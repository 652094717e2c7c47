// Package terminal holds a conversation with a device's command line: it learns the prompt, asks one command after the
// other, turns pages, and keeps all that was shown as a person's log would. It exists because a command line has no
// other end of an answer than its next prompt.
//
// It knows nothing of how the device was reached: anything to read from and write to will do. It never sends a line
// that its caller did not give, but for empty ones, the blank that turns a page, and what answers a question for a
// secret.
package terminal

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"zarvek/internal/lazyregexp"
)

// Limits say how long a device may take. Zero values mean the defaults.
type Limits struct {
	First   time.Duration // until something comes at all: 15 s
	Silence time.Duration // between two pieces of an answer: 20 s
	Longest time.Duration // for one answer: 10 min
	Settle  time.Duration // after which what came is taken for whole, where nothing else tells: 400 ms
	Bytes   int           // of a whole session: 1 GiB
	Pages   int           // that bring nothing new, one after the other: 20
}

// filled puts the usual limits where none are set.
func (l Limits) filled() Limits {
	fill := func(d *time.Duration, to time.Duration) {
		if *d == 0 {
			*d = to
		}
	}
	fill(&l.First, 15*time.Second)
	fill(&l.Silence, 20*time.Second)
	fill(&l.Longest, 10*time.Minute)
	fill(&l.Settle, 400*time.Millisecond)
	if l.Bytes == 0 {
		l.Bytes = 1 << 30
	}
	if l.Pages == 0 {
		l.Pages = 20
	}
	return l
}

// maxBeforePrompt is how much may come before the first prompt: a banner, not a flood.
const maxBeforePrompt = 1 << 20

// A Session is a conversation. It is used by one goroutine.
type Session struct {
	to      io.Writer
	in      chan piece
	limits  Limits
	log     bytes.Buffer // all that came
	from    int          // of the log: where the present answer begins
	prompt  string
	counts  bool   // the prompt has a number that goes up with each command
	refuses string // how the device refuses a command, as it was learned; "" where it was not
	ended   error
}

type piece struct {
	bytes []byte
	err   error
}

// Errors that say why a conversation cannot go on.
var (
	ErrSilent  = errors.New("says nothing more")
	ErrCutOff  = errors.New("the connection ended")
	ErrPrompt  = errors.New("shows no prompt")
	ErrPages   = errors.New("its pages do not end")
	ErrTooMuch = errors.New("sends more than is taken")
	ErrTooLong = errors.New("takes too long")
	ErrRefused = errors.New("refused")
)

// Start begins a conversation on a stream. What the stream gives is read until it ends or stop is done.
func Start(stop context.Context, stream io.ReadWriter, limits Limits) *Session {
	s := &Session{to: stream, in: make(chan piece, 16), limits: limits.filled()}
	go func() {
		for {
			b := make([]byte, 32<<10)
			n, err := stream.Read(b)
			select {
			case s.in <- piece{b[:n], err}:
			case <-stop.Done():
				return
			}
			if err != nil {
				return
			}
		}
	}()
	return s
}

// Log returns all that the device has shown.
func (s *Session) Log() []byte { return s.log.Bytes() }

// AtPrompt returns where in the log the line with the present prompt begins.
func (s *Session) AtPrompt() int { return bytes.LastIndexByte(s.log.Bytes(), '\n') + 1 }

// Prompt returns the device's prompt as it was learned.
func (s *Session) Prompt() string { return s.prompt }

// Greet waits for the first prompt and makes sure of it: an empty line brings the same one again.
func (s *Session) Greet(ctx context.Context) error {
	end := time.Now().Add(s.limits.Longest)
	until := time.Now().Add(s.limits.First)
	for {
		err := s.more(ctx, min(4*s.limits.Settle, time.Until(until)))
		if err == nil {
			until = time.Now().Add(s.limits.Silence)
			err = s.calm(ctx, s.limits.Settle)
		}
		if err != nil && !errors.Is(err, ErrSilent) {
			return err
		}
		line := s.lastLine()
		switch {
		case pressKey.MatchString(line):
			if err := s.send("\n"); err != nil {
				return err
			}
		case mayBePrompt(line):
			if ok, err := s.learn(ctx); ok || err != nil {
				return err
			}
		}
		if now := time.Now(); now.After(until) || now.After(end) {
			if s.log.Len() == 0 {
				return ErrSilent
			}
			return fmt.Errorf("%w; its last line is %q", ErrPrompt, short(line))
		}
	}
}

// learn sends an empty line: what was last before it and stands last behind it is the prompt. Where the two differ in a
// number only, the prompt counts its commands.
func (s *Session) learn(ctx context.Context) (bool, error) {
	before := s.lastLine()
	s.from = s.log.Len()
	if err := s.send("\n"); err != nil {
		return false, err
	}
	end := time.Now().Add(s.limits.Silence)
	for time.Now().Before(end) {
		if err := s.more(ctx, time.Until(end)); err != nil {
			if errors.Is(err, ErrSilent) {
				return false, nil
			}
			return false, err
		}
		now := s.lastLine()
		if withoutNumbers(now) != withoutNumbers(before) || !bytes.ContainsAny(s.log.Bytes()[s.from:], "\r\n") {
			continue
		}
		if err := s.calm(ctx, s.limits.Settle); err != nil {
			return false, err
		}
		if s.lastLine() == now {
			s.prompt, s.counts = now, now != before
			return true, nil
		}
	}
	return false, nil
}

var numbers = lazyregexp.New(`[0-9]+`)

func withoutNumbers(s string) string { return numbers.ReplaceAllString(s, "0") }

// atPrompt reports whether a line is the prompt.
func (s *Session) atPrompt(line string) bool {
	return line == s.prompt || s.counts && withoutNumbers(line) == withoutNumbers(s.prompt)
}

// An Answer is what a device said to one command.
type Answer struct {
	Text       string // clean, without the command and the prompt behind it
	Start, End time.Time
	Complaint  string // the line in which the device says that it does not take the command, "" where it took it
}

// Ask sends a command and waits for the prompt behind its answer.
func (s *Session) Ask(ctx context.Context, command string) (Answer, error) {
	a := Answer{Start: time.Now()}
	s.from = s.log.Len()
	if err := s.send(command + "\n"); err != nil {
		return a, fmt.Errorf("%w before %q was answered", err, command)
	}
	err := s.untilPrompt(ctx, s.atPrompt)
	a.End = time.Now()
	if err != nil {
		return a, fmt.Errorf("%w in the answer to %q", err, command)
	}
	a.Text = s.answer(command)
	a.Complaint = Complaint(a.Text)
	if a.Complaint == "" && s.refuses != "" && shape(a.Text, command) == s.refuses {
		a.Complaint = firstLine(a.Text)
	}
	return a, nil
}

// Learn asks what no device takes, and learns from the answer how this one refuses: each has words of its own for that.
func (s *Session) Learn(ctx context.Context, nonsense string) error {
	s.refuses = ""
	a, err := s.Ask(ctx, nonsense)
	if err == nil {
		s.refuses = shape(a.Text, nonsense)
	}
	return err
}

// maxRefusal is how long the refusal of a command may be.
const maxRefusal = 500

// shape is a short answer without what differs from command to command: the words of the command and numbers. A long
// one is "".
func shape(text, command string) string {
	text = strings.ToLower(strings.TrimSpace(text))
	if len(text) > maxRefusal || text == "" {
		return ""
	}
	words := strings.Fields(strings.ToLower(command))
	out := []string{}
	for _, w := range strings.Fields(text) {
		bare := strings.Trim(w, `"'.,:;<>()`)
		switch {
		case strings.Trim(w, "^") == "", slices.Contains(words, bare):
			continue
		}
		out = append(out, numbers.ReplaceAllString(w, "0"))
	}
	return strings.Join(out, " ")
}

// firstLine returns the first line that is not blank.
func firstLine(text string) string {
	for line := range strings.SplitSeq(text, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			return line
		}
	}
	return ""
}

// Raise asks for another level and answers the question for its secret, once; the prompt is learned anew.
func (s *Session) Raise(ctx context.Context, command, secret string) error {
	asks := func(line string) bool { return asksSecret.MatchString(line) }
	either := func(line string) bool {
		return asks(line) || s.atPrompt(line) || mayBePrompt(line) && samePrompt(line, s.prompt)
	}
	asked := false
	for _, line := range []string{command, secret} {
		s.from = s.log.Len()
		err := s.send(line + "\n")
		if err == nil {
			err = s.untilPrompt(ctx, either)
		}
		if err != nil {
			return fmt.Errorf("%w when asked for the higher level", err)
		}
		if !asks(s.lastLine()) {
			break
		}
		if asked {
			return fmt.Errorf("%w the higher level: its secret was not taken", ErrRefused)
		}
		asked = true
	}
	if now := s.lastLine(); !s.atPrompt(now) {
		s.prompt = now
		return nil
	}
	if why := Complaint(s.answer(command)); why != "" || asked {
		return fmt.Errorf("%w the higher level%s", ErrRefused, because(why))
	}
	return nil // it is at that level already
}

func because(why string) string {
	if why == "" {
		return ""
	}
	return fmt.Sprintf(": %q", short(why))
}

// samePrompt reports whether two prompts are one device's at two levels: they differ in their end only.
func samePrompt(a, b string) bool {
	cut := func(s string) string { return strings.TrimRight(s, "#>$% ") }
	return cut(a) == cut(b)
}

// untilPrompt waits until the last line is what is looked for, and turns pages on the way.
func (s *Session) untilPrompt(ctx context.Context, is func(line string) bool) error {
	end := time.Now().Add(s.limits.Longest)
	page, last, idle := s.from, "", 0
	for {
		err := s.more(ctx, min(s.limits.Silence, time.Until(end)))
		switch {
		case (err == nil || errors.Is(err, ErrSilent)) && time.Now().After(end):
			return fmt.Errorf("%w: not done after %v", ErrTooLong, s.limits.Longest)
		case err != nil:
			return err
		}
		line := s.lastLine()
		if bytes.IndexByte(s.log.Bytes()[s.from:], '\n') < 0 || !is(line) && !turnPage.MatchString(line) {
			continue
		}
		// The line may only be as far as it came yet.
		if err := s.calm(ctx, s.limits.Settle/8); err != nil {
			return err
		}
		if line = s.lastLine(); is(line) {
			return nil
		}
		if !turnPage.MatchString(line) {
			continue
		}
		now := Clean(s.log.Bytes()[page:])
		if idle++; now != last && strings.TrimSpace(now) != strings.TrimSpace(line) {
			idle = 0
		}
		if page, last = s.log.Len(), now; idle >= s.limits.Pages {
			return ErrPages
		}
		key := " "
		if lastPage.MatchString(line) {
			key = "q"
		}
		if err := s.send(key); err != nil {
			return err
		}
	}
}

// answer returns what came since the command, without its echo and the prompt.
func (s *Session) answer(command string) string {
	text := Clean(s.log.Bytes()[s.from:])
	first, rest, ok := strings.Cut(text, "\n")
	if ok && strings.HasSuffix(strings.TrimSpace(first), strings.TrimSpace(command)) {
		text = rest
	}
	if i := strings.LastIndexByte(text, '\n'); i >= 0 {
		return strings.TrimRight(text[:i+1], "\n")
	}
	return ""
}

// send writes to the device.
func (s *Session) send(text string) error {
	if s.ended != nil {
		return s.ended
	}
	if _, err := io.WriteString(s.to, text); err != nil {
		return ErrCutOff
	}
	return nil
}

// more waits for the next piece.
func (s *Session) more(ctx context.Context, wait time.Duration) error {
	if s.ended != nil {
		return s.ended
	}
	timer := time.NewTimer(max(wait, 0))
	defer timer.Stop()
	select {
	case p := <-s.in:
		s.log.Write(p.bytes)
		if s.log.Len() > s.limits.Bytes {
			return ErrTooMuch
		}
		if p.err != nil {
			s.ended = ErrCutOff
			if len(p.bytes) == 0 {
				return s.ended
			}
		}
		return nil
	case <-timer.C:
		return ErrSilent
	case <-ctx.Done():
		return ctx.Err()
	}
}

// calm waits until nothing more comes for a while.
func (s *Session) calm(ctx context.Context, while time.Duration) error {
	end := time.Now().Add(s.limits.Silence)
	for time.Now().Before(end) {
		switch err := s.more(ctx, while); {
		case errors.Is(err, ErrSilent):
			return nil
		case err != nil:
			return err
		case s.prompt == "" && s.log.Len()-s.from > maxBeforePrompt:
			return fmt.Errorf("%w in its first MiB", ErrPrompt)
		}
	}
	return nil
}

// tail is how much of the log's end is looked at for its last line.
const tail = 4 << 10

// lastLine returns the last line as the terminal shows it now.
func (s *Session) lastLine() string {
	b := s.log.Bytes()
	b = b[max(0, len(b)-tail):]
	if i := bytes.LastIndexByte(b, '\n'); i >= 0 {
		b = b[i+1:]
	}
	return Clean(b)
}

var (
	// asksSecret ends a line that asks for a secret.
	asksSecret = lazyregexp.New(`(?i)(?:password|passcode|passphrase|secret)[^:\n]*:\s*$`)
	// pressKey is a line that waits for somebody.
	pressKey = lazyregexp.New(`(?i)press (?:any key|enter|return|<?space>?)[^\n]*$|hit (?:any key|enter` +
		`|return)[^\n]*$`)
	// turnPage is a pager's line.
	turnPage = lazyregexp.New(
		`(?i)^\W*more\b\W*(?:\d+ ?%\W*)?$|-+ ?\(?more\b[^\n]{0,60}$|^\W*press (?:any key|<?space>?` +
			`|enter)[^\n]{0,60}$|` +
			`^lines? \d+-\d+[^\n]{0,40}$|^\W*\(END\)\W*$|\[q quit[^\n]{0,40}$|\(q to quit\)\s*$|^-- \[[^\n]{0,60}$|^:$`,
	)
	// lastPage is the line of a pager that has no more pages and still waits.
	lastPage = lazyregexp.New(`(?i)\(END\)`)
	// complaints are how devices say that they do not take a command. They stand at the beginning of the answer.
	complaints = lazyregexp.New(
		`(?i)^\s*(?:%\s*(?:unknown|invalid|incomplete|ambiguous|unrecogni[sz]ed|bad|permission|authori[sz]ation` +
			`|command|error|` +
			`this command|not (?:allowed|permitted|authori[sz]ed))|\^\s*$|(?:syntax |parse )?error[:.]? ` +
			`|unknown command|unrecogni[sz]ed command|` +
			`invalid (?:input|command|syntax)|bad command name|expected end of command|command (?:not found|fail)|` +
			`permission denied|not authori[sz]ed|[a-z][a-z0-9]{1,9}d is not running\s*$` +
			`|.{0,80}: (?:command )?not found\s*$|no such command)`,
	)
)

// mayBePrompt reports whether a line could be a prompt: short, and ending as prompts do.
func mayBePrompt(line string) bool {
	t := strings.TrimRight(line, " ")
	return len(t) >= 2 && len(t) <= 120 && strings.ContainsRune("#>$%", rune(t[len(t)-1])) &&
		!turnPage.MatchString(line) && !pressKey.MatchString(line)
}

// Complaint returns the first line of an answer in which the device refuses the command. Only a short answer can be
// one.
func Complaint(answer string) string {
	if len(answer) > 2000 {
		return ""
	}
	n := 0
	for line := range strings.SplitSeq(answer, "\n") {
		if strings.TrimSpace(line) == "" {
			continue
		}
		if complaints.MatchString(line) {
			if t := strings.TrimSpace(line); t != "^" {
				return t
			}
			return "the command is not understood"
		}
		if n++; n > 3 {
			break
		}
	}
	return ""
}

// short cuts a line for a message.
func short(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}
