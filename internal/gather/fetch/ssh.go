package fetch

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"

	"zarvek/internal/gather/family"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

// sessionFile is what the log of a session is called in the case.
const sessionFile = "session.log"

// ssh asks by a terminal, or by one channel a command where the family takes such.
func (f *Fetcher) ssh(ctx context.Context, t target.Target, at func(string)) (Reading, error) {
	client, done, err := f.Dialer.Dial(ctx, t)
	if err != nil {
		return Reading{}, err
	}
	defer done()
	stop := context.AfterFunc(ctx, func() { client.Close() })
	defer stop()
	fam, known := family.Family{}, t.Family != ""
	if known {
		if fam, err = family.ByName(t.Family); err != nil {
			return Reading{}, err
		}
	}
	if known && fam.Exec {
		return f.channels(ctx, client, fam, t, at)
	}
	slow := f.opening(client)
	line, err := openTerminal(ctx, client, f.Limits)
	slow.Stop()
	if err != nil {
		return Reading{}, err
	}
	defer line.close()
	at("waiting for its prompt")
	if err := line.Greet(ctx); err != nil {
		return Reading{}, err
	}
	if known {
		err = f.prepare(ctx, line.Session, fam, t)
	} else {
		at("finding its family")
		fam, err = f.find(ctx, line.Session, t)
	}
	if err != nil {
		return Reading{}, err
	}
	if fam.Exec {
		line.close()
		return f.channels(ctx, client, fam, t, at)
	}
	return f.commandLine(ctx, line.Session, fam, t, at)
}

// opening gives a device the time for its first byte to open a session: the requests for one have no end of their own.
func (f *Fetcher) opening(client *ssh.Client) *time.Timer {
	first := f.Limits.First
	if first == 0 {
		first = 15 * time.Second
	}
	return time.AfterFunc(first, func() { client.Close() })
}

// commandLine asks everything over a terminal. What is kept begins with the first question: the greeting and what found
// the family tell of no route.
func (f *Fetcher) commandLine(
	ctx context.Context, s *terminal.Session, fam family.Family, t target.Target, at func(string),
) (Reading, error) {
	steps, err := fam.Steps(t.Tables, t.Ask)
	if err != nil {
		return Reading{}, err
	}
	r := Reading{Family: fam.Name}
	var routes []answered
	from := s.AtPrompt()
	if r.Commands, routes, err = ask(ctx, steps, s.Ask, at); err != nil {
		return Reading{}, err
	}
	r.Files = []File{{sessionFile, bytes.Clone(s.Log()[from:])}}
	r.Moved, err = f.again(ctx, routes, s.Ask, at)
	return r, err
}

// prepare makes a session ready: the higher level where it is wanted, and no pages. A device that has pages in spite of
// that is read page by page.
func (f *Fetcher) prepare(ctx context.Context, s *terminal.Session, fam family.Family, t target.Target) error {
	err := f.raise(ctx, s, fam, t)
	if err == nil && fam.Nonsense != "" {
		err = s.Learn(ctx, fam.Nonsense)
	}
	if err == nil {
		_, err = session(ctx, s, fam)
	}
	return err
}

// raise asks for the higher level where it is wanted.
func (f *Fetcher) raise(ctx context.Context, s *terminal.Session, fam family.Family, t target.Target) error {
	if !t.Raise || fam.Privilege == "" {
		return nil
	}
	secret, settle, err := f.Secrets.For(t.Name, secrets.Raise, "Password of the higher level: ")
	if err != nil {
		return final("wants a password for its higher level, and none is known; give one with -secrets (raise: ...)")
	}
	err = s.Raise(ctx, fam.Privilege, secret)
	settle(outcome(err, errors.Is(err, terminal.ErrRefused)))
	return err
}

// outcome is what became of a secret, by the error of what it was for.
func outcome(err error, refused bool) secrets.Outcome {
	switch {
	case err == nil:
		return secrets.Taken
	case refused:
		return secrets.Refused
	}
	return secrets.Untold
}

// session asks for no pages and wide lines; false where the device takes none of the first one's forms.
func session(ctx context.Context, s *terminal.Session, fam family.Family) (bool, error) {
	first := len(fam.Session) == 0
	for i, alternatives := range fam.Session {
		for _, c := range alternatives {
			a, err := s.Ask(ctx, c)
			if err != nil {
				return false, err
			}
			if a.Complaint == "" {
				first = first || i == 0
				break
			}
		}
	}
	return first, nil
}

// find finds the family by the prompt and by what the device answers: one whose question for the version is taken, and
// whose way to end paging is, where it has one; else the first whose question is.
func (f *Fetcher) find(ctx context.Context, s *terminal.Session, t target.Target) (family.Family, error) {
	answers := map[string]bool{}
	paged := family.Family{} // takes the question, and no way to end paging
	for _, fam := range family.All() {
		if !fam.Prompts(s.Prompt()) {
			continue
		}
		taken, asked := answers[fam.Version]
		if !asked {
			if fam.Nonsense != "" {
				if err := s.Learn(ctx, fam.Nonsense); err != nil {
					return family.Family{}, err
				}
			}
			a, err := s.Ask(ctx, fam.Version)
			if err != nil {
				return family.Family{}, err
			}
			taken = a.Complaint == "" && strings.TrimSpace(a.Text) != ""
			answers[fam.Version] = taken
		}
		if !taken {
			continue
		}
		if fam.Exec {
			return fam, nil
		}
		switch ok, err := session(ctx, s, fam); {
		case err != nil:
			return family.Family{}, err
		case ok:
			return fam, f.raise(ctx, s, fam, t)
		case paged.Name == "":
			paged = fam
		}
	}
	if paged.Name != "" {
		return paged, f.raise(ctx, s, paged, t)
	}
	if len(t.Ask) > 0 {
		return family.Unknown(), nil
	}
	return family.Family{},
		final("its family of commands is not known (its prompt is %q); name one with family:, or give "+
			"commands that read with -ask", shorten(s.Prompt()))
}

// channels asks each command in a channel of its own, without a terminal, and writes the log that a person would have.
func (f *Fetcher) channels(
	ctx context.Context, client *ssh.Client, fam family.Family, t target.Target, at func(string),
) (Reading, error) {
	return f.byCommand(ctx, fam, t, at, func(ctx context.Context, command string) ([]byte, string, error) {
		return execute(ctx, client, command, f.longest())
	})
}

// longest is how long one answer may take.
func (f *Fetcher) longest() time.Duration {
	if f.Limits.Longest > 0 {
		return f.Limits.Longest
	}
	return 10 * time.Minute
}

// byCommand asks a shell: each command runs for itself, which run does. What it complains of is a refusal.
func (f *Fetcher) byCommand(
	ctx context.Context, fam family.Family, t target.Target, at func(string),
	run func(ctx context.Context, command string) (out []byte, complaint string, err error),
) (Reading, error) {
	steps, err := fam.Steps(t.Tables, t.Ask)
	if err != nil {
		return Reading{}, err
	}
	var log bytes.Buffer
	put := func(keep bool) asker {
		return func(ctx context.Context, command string) (terminal.Answer, error) {
			a := terminal.Answer{Start: time.Now()}
			out, complaint, err := run(ctx, command)
			a.End = time.Now()
			if err != nil {
				return a, err
			}
			a.Text, a.Complaint = string(out), complaint
			if keep && complaint == "" {
				fmt.Fprintf(&log, "%s@%s:~$ %s\n", userWord(t.User), t.Name, command)
				log.Write(out)
				if len(out) > 0 && out[len(out)-1] != '\n' {
					log.WriteByte('\n')
				}
			}
			return a, nil
		}
	}
	r := Reading{Family: fam.Name}
	var routes []answered
	if r.Commands, routes, err = ask(ctx, steps, put(true), at); err != nil {
		return Reading{}, err
	}
	r.Files = []File{{sessionFile, log.Bytes()}}
	r.Moved, err = f.again(ctx, routes, put(false), at)
	return r, err
}

// userWord is who asks, in a log's prompt.
func userWord(user string) string {
	if user == "" {
		return "zarvek"
	}
	return user
}

// maxOutput is how much one command may say.
const maxOutput = 1 << 30

// execute runs one command in a channel of its own.
func execute(ctx context.Context, client *ssh.Client, command string, longest time.Duration) ([]byte, string, error) {
	stuck := time.AfterFunc(longest, func() { client.Close() }) // the request for a session has no end of its own
	defer stuck.Stop()
	ch, err := client.NewSession()
	if err != nil {
		return nil, "", fmt.Errorf("ends the connection before %q: %w", command, terminal.ErrCutOff)
	}
	defer ch.Close()
	limit, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	stop := context.AfterFunc(limit, func() { ch.Close() })
	defer stop()
	out, errs := &bounded{limit: maxOutput}, &bounded{limit: 64 << 10}
	ch.Stdout, ch.Stderr = out, errs
	err = ch.Run(command)
	var status *ssh.ExitError
	switch {
	case ctx.Err() != nil:
		return nil, "", ctx.Err()
	case limit.Err() != nil:
		return nil, "", fmt.Errorf("%w: %q is not done after %v", terminal.ErrTooLong, command, longest)
	case out.over:
		return nil, "", fmt.Errorf("%w in the answer to %q", terminal.ErrTooMuch, command)
	case errors.As(err, &status):
		return out.Bytes(), refusal(errs.Bytes(), out.Bytes(), status.ExitStatus()), nil
	case err != nil:
		return nil, "", fmt.Errorf("%w in the answer to %q", terminal.ErrCutOff, command)
	}
	return out.Bytes(), terminal.Complaint(firstPart(out.Bytes())), nil
}

// firstPart is enough of an answer to see whether it is a complaint.
func firstPart(b []byte) string { return string(b[:min(len(b), 4<<10)]) }

// refusal words why a command failed: what it said last, else how it ended.
func refusal(errs, out []byte, status int) string {
	for _, b := range [][]byte{errs, out} {
		lines := strings.Split(strings.TrimSpace(firstPart(b)), "\n")
		slices.Reverse(lines)
		for _, l := range lines {
			if l = strings.TrimSpace(l); l != "" {
				return l
			}
		}
	}
	return fmt.Sprintf("it ended with status %d", status)
}

// bounded is a buffer that says when too much came.
type bounded struct {
	bytes.Buffer
	limit int
	over  bool
}

func (b *bounded) Write(p []byte) (int, error) {
	if b.Len()+len(p) > b.limit {
		b.over = true
		return 0, io.ErrShortBuffer
	}
	return b.Buffer.Write(p)
}

// aTerminal is a session on a terminal of a device.
type aTerminal struct {
	*terminal.Session
	channel *ssh.Session
	stop    context.CancelFunc
}

func (t *aTerminal) close() {
	t.stop()
	t.channel.Close()
}

// stream joins what is read from and written to.
type stream struct {
	io.Reader
	io.Writer
}

// openTerminal asks for a terminal that is wide and high, so that little is wrapped and few pages are shown.
func openTerminal(ctx context.Context, client *ssh.Client, limits terminal.Limits) (*aTerminal, error) {
	ch, err := client.NewSession()
	if err != nil {
		return nil, fmt.Errorf("opens no session: %w", err)
	}
	err = ch.RequestPty("vt100", 1000, 500, ssh.TerminalModes{ssh.ECHO: 1})
	in, err2 := ch.StdinPipe()
	out, err3 := ch.StdoutPipe()
	if err = errors.Join(err, err2, err3); err == nil {
		err = ch.Shell()
	}
	if err != nil {
		ch.Close()
		return nil, errors.New("gives no terminal")
	}
	live, stop := context.WithCancel(ctx)
	return &aTerminal{terminal.Start(live, stream{out, in}, limits), ch, stop}, nil
}
