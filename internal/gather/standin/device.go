// Package standin plays devices that cannot be installed: command lines with prompts, levels and pagers, and servers of
// NETCONF and RESTCONF, well-behaved or with a fault each. It exists for the tests of gathering, which read from its
// logs that nothing but reading commands ever came.
package standin

import (
	"bufio"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"sync"
	"time"
)

// A Fault is what goes wrong with a device.
type Fault int

// The faults of a command line.
const (
	None         Fault = iota
	Slow               // each byte takes a while
	Mute               // nothing is ever said
	SilentAsked        // a prompt, and nothing after the first command
	CutOff             // the connection ends in the middle of the first long answer
	EndlessPages       // the same page again and again
	Junk               // noise without an end
	BannerFlood        // a banner without an end
)

// A Device is a command line. The fields are set before it serves.
type Device struct {
	Name      string
	Banner    string
	Prompt    string            // with %s for the name; the character # becomes > at the lower level
	Counts    bool              // the prompt has the number of the command behind the name
	Answers   map[string]string // by command
	Changes   map[string]string // what commands say from the second time on
	Complaint string            // of commands that are not known
	Lines     int               // of a page; 0: no pager
	Pager     string            // what it says, " --More-- " unless told otherwise
	PagesOff  string            // the command that ends paging for the session; "": none does
	Level     string            // the command that asks for the higher level; "": there is only one
	Secret    string            // of the higher level
	Needs     map[string]bool   // commands of the higher level
	Fault     Fault
	Crowd     time.Duration // how long each command takes

	mu       sync.Mutex
	received []string
	asked    map[string]bool
}

// Received returns the lines that the device was sent, in order, over all its sessions.
func (d *Device) Received() []string {
	d.mu.Lock()
	defer d.mu.Unlock()
	return append([]string(nil), d.received...)
}

func (d *Device) note(line string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.received = append(d.received, line)
}

// session is one conversation with a device.
type session struct {
	*Device
	in     *bufio.Reader
	out    io.Writer
	raised bool
	paging bool
	number int
}

// Serve holds one conversation on a stream, until one side ends it.
func (d *Device) Serve(stream io.ReadWriter) {
	s := &session{Device: d, in: bufio.NewReader(stream), out: stream, paging: d.Lines > 0, raised: d.Level == ""}
	if d.Fault == Slow {
		s.out = slow{stream}
	}
	switch d.Fault {
	case Mute:
		_, _ = io.Copy(io.Discard, stream)
		return
	case Junk:
		s.flood(func(r *rand.Rand) string { return string([]byte{byte(r.UintN(256)), byte(r.UintN(256))}) })
		return
	case BannerFlood:
		s.flood(func(*rand.Rand) string { return "Keep off the cables while the wind blows.\r\n" })
		return
	}
	if d.Banner != "" {
		s.say(strings.ReplaceAll(d.Banner, "\n", "\r\n"))
	}
	s.say(s.prompt())
	for {
		line, ok := s.line(true)
		if !ok || line == "exit" {
			return
		}
		if line != "" {
			d.note(line)
		}
		if !s.answer(line) {
			return
		}
		s.say(s.prompt())
	}
}

// flood writes without an end, as a device gone wild does.
func (s *session) flood(next func(r *rand.Rand) string) {
	r := rand.New(rand.NewPCG(1, 2))
	var b strings.Builder
	for {
		b.Reset()
		for b.Len() < 4096 {
			b.WriteString(next(r))
		}
		if _, err := io.WriteString(s.out, b.String()); err != nil {
			return
		}
	}
}

func (s *session) prompt() string {
	name := s.Name
	if s.number++; s.Counts {
		name = fmt.Sprintf("%s.%d", name, s.number)
	}
	p := fmt.Sprintf(s.Prompt, name)
	if !s.raised {
		p = strings.ReplaceAll(p, "#", ">")
	}
	return p
}

func (s *session) say(text string) { _, _ = io.WriteString(s.out, text) }

// line reads a line as a terminal does, and shows it unless it is a secret.
func (s *session) line(echo bool) (string, bool) {
	var b strings.Builder
	for {
		c, err := s.in.ReadByte()
		if err != nil {
			return "", false
		}
		if c == '\n' || c == '\r' {
			if echo {
				s.say(b.String())
			}
			s.say("\r\n")
			return b.String(), true
		}
		b.WriteByte(c)
	}
}

// answer says what belongs to a command; false ends the session.
func (s *session) answer(line string) bool {
	if s.Crowd > 0 {
		time.Sleep(s.Crowd)
	}
	text, known := s.text(line)
	switch {
	case line == "":
		return true
	case s.Fault == SilentAsked:
		_, _ = io.Copy(io.Discard, s.in)
		return false
	case line == s.PagesOff:
		s.paging = false
		return true
	case line == s.Level:
		return s.raise()
	case !known || s.Needs[line] && !s.raised:
		s.say(strings.ReplaceAll(s.Complaint, "\n", "\r\n") + "\r\n")
		return true
	case s.Fault == CutOff && len(text) > 200:
		s.say(strings.ReplaceAll(text[:len(text)/2], "\n", "\r\n"))
		return false
	}
	return s.page(text)
}

// text returns what a command says now.
func (d *Device) text(command string) (string, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.asked == nil {
		d.asked = map[string]bool{}
	}
	text, known := d.Answers[command]
	if later, changes := d.Changes[command]; changes && d.asked[command] {
		text = later
	}
	d.asked[command] = true
	return text, known
}

// raise asks for the secret three times, as devices do.
func (s *session) raise() bool {
	if s.raised {
		return true
	}
	for range 3 {
		s.say("Password: ")
		secret, ok := s.line(false)
		if !ok {
			return false
		}
		if s.raised = secret == s.Secret; s.raised {
			return true
		}
	}
	s.say("% Bad secrets\r\n")
	return true
}

// page says a text page by page.
func (s *session) page(text string) bool {
	pager := s.Pager
	if pager == "" {
		pager = " --More-- "
	}
	lines := strings.SplitAfter(text, "\n")
	for i := 0; i < len(lines); i++ {
		s.say(strings.ReplaceAll(lines[i], "\n", "\r\n"))
		if !s.paging || (i+1)%s.Lines != 0 || i+1 == len(lines) {
			continue
		}
		s.say(pager)
		key, err := s.in.ReadByte()
		if err != nil {
			return false
		}
		s.say("\r" + strings.Repeat(" ", len(pager)) + "\r")
		if key == 'q' {
			return true
		}
		if s.Fault == EndlessPages {
			i -= s.Lines
		}
	}
	if text != "" && !strings.HasSuffix(text, "\n") {
		s.say("\r\n")
	}
	return true
}

// slow writes byte by byte.
type slow struct{ to io.Writer }

func (w slow) Write(b []byte) (int, error) {
	for i := range b {
		time.Sleep(2 * time.Millisecond)
		if _, err := w.to.Write(b[i : i+1]); err != nil {
			return i, err
		}
	}
	return len(b), nil
}
