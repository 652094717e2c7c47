// Package fetch captures one device by the way in which it is reached: a command line over SSH, NETCONF, RESTCONF,
// SNMP, or the machine itself. It exists so that whatever gathers many devices need not know how one is asked.
//
// What comes back is what the device said, as a person would have kept it, and when. A device is captured whole or not
// at all: an answer that was cut off is none. Nothing is sent that could change a device.
package fetch

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"zarvek/internal/gather/family"
	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/record"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

// A File is one capture of a device.
type File struct {
	Name  string
	Bytes []byte
}

// A Reading is what was captured of one device.
type Reading struct {
	Family   string
	Files    []File
	Commands []record.Command
	// Moved are the commands whose second answer had other routes than the first.
	Moved []record.Move
	// NoRoutes: nothing that was answered reads as routes.
	NoRoutes bool
	// Scrubbed counts the places in which a secret of the user stood and was made unreadable.
	Scrubbed int
}

// A Fetcher captures devices. Its fields are set before its first use; it may be used by several goroutines.
type Fetcher struct {
	Dialer  *reach.Dialer
	Secrets *secrets.Store
	Limits  terminal.Limits
	// Moved counts the routes that only one of two answers has.
	Moved func(before, after []byte) (gone, come int)
	// Routes counts the routes that are read in what a device said, nil where nobody counts.
	Routes func(text []byte) int
}

// Device captures one device. At is told what is going on, in few words.
func (f *Fetcher) Device(ctx context.Context, t target.Target, at func(what string)) (Reading, error) {
	at("connecting")
	var r Reading
	var err error
	switch t.Way {
	case target.SSH:
		r, err = f.ssh(ctx, t, at)
	case target.Netconf:
		r, err = f.netconf(ctx, t, at)
	case target.Restconf:
		r, err = f.restconf(ctx, t, at)
	case target.SNMP:
		r, err = f.snmp(ctx, t, at)
	case target.Local:
		r, err = f.local(ctx, t, at)
	default:
		err = fmt.Errorf("there is no way %q", t.Way)
	}
	if ctx.Err() != nil {
		return Reading{}, ctx.Err()
	}
	if err != nil {
		return Reading{}, err
	}
	r.NoRoutes = f.Routes != nil
	for i := range r.Files {
		r.NoRoutes = r.NoRoutes && f.Routes(r.Files[i].Bytes) == 0
		var n int
		r.Files[i].Bytes, n = f.Secrets.Scrub(r.Files[i].Bytes)
		r.Scrubbed += n
	}
	return r, nil
}

// Plan lists what a device will be asked, in the words of its way; nothing for one whose family is found first.
func Plan(t target.Target) ([]string, error) {
	switch t.Way {
	case target.SSH, target.Local:
		name := t.Family
		if name == "" && t.Way == target.Local {
			name = localFamily
		}
		if name == "" {
			return nil, nil
		}
		fam, err := family.ByName(name)
		if err != nil {
			return nil, err
		}
		return commands(fam, t)
	case target.Netconf:
		return []string{"get: ietf-interfaces, ietf-routing (RFC 8343, 8344, 8349)", "close-session"}, nil
	case target.Restconf:
		out := []string{"GET " + hostMeta}
		for _, r := range resources {
			out = append(out, "GET "+strings.Join(r.paths, ", else "))
		}
		return out, nil
	case target.SNMP:
		var out []string
		for _, s := range subtrees {
			out = append(out, "GETBULK "+s.what+" (."+s.root+")")
		}
		return out, nil
	}
	return nil, nil
}

// commands lists what is sent to a device of a family.
func commands(fam family.Family, t target.Target) ([]string, error) {
	var out []string
	if !fam.Exec {
		if t.Raise && fam.Privilege != "" {
			out = append(out, fam.Privilege)
		}
		if fam.Nonsense != "" {
			out = append(out, fam.Nonsense)
		}
		for _, s := range fam.Session {
			out = append(out, strings.Join(s, ", else "))
		}
	}
	steps, err := fam.Steps(t.Tables, t.Ask)
	for _, s := range steps {
		out = append(out, strings.Join(s.Commands, ", else "))
	}
	return out, err
}

// An asker puts one question to a device and returns its answer.
type asker func(ctx context.Context, command string) (terminal.Answer, error)

// final is an error that another try would not change.
func final(format string, args ...any) error { return &reach.Refusal{Err: fmt.Errorf(format, args...)} }

// Again reports whether another try may go better: the connection failed or ended, or the device fell silent.
func Again(err error) bool {
	var refusal *reach.Refusal
	if errors.As(err, &refusal) {
		return false
	}
	for _, e := range []error{
		terminal.ErrRefused, terminal.ErrPrompt, terminal.ErrPages, terminal.ErrTooMuch, terminal.ErrTooLong,
		context.Canceled,
	} {
		if errors.Is(err, e) {
			return false
		}
	}
	return true
}

// ask goes through the steps: of each the first command that is taken counts. It fails where the connection does, where
// no command for routes is taken, or where one of the user's own is not.
func ask(ctx context.Context, steps []family.Step, put asker, at func(string)) ([]record.Command, []answered, error) {
	var all []record.Command
	var routes []answered
	needed, refused := false, ""
	for _, s := range steps {
		taken := false
		for i, c := range s.Commands {
			at(c)
			a, err := put(ctx, c)
			if err != nil {
				return nil, nil, err
			}
			all = append(all, record.Command{Command: c, Purpose: s.Purpose, Start: moment(a.Start), End: moment(a.End),
				Bytes: len(a.Text), Refused: a.Complaint, Else: i > 0})
			if a.Complaint == "" {
				taken = true
				if s.Needed {
					needed = true
					routes = append(routes, answered{c, a})
				}
				break
			}
			refused = a.Complaint
		}
		if !taken && s.Own {
			return nil, nil, final("does not take %q: %q", s.Commands[0], shorten(refused))
		}
	}
	if !needed {
		if refused == "" {
			return nil, nil, final("is asked for no routes")
		}
		return nil, nil, final("takes no command that shows its routes: %q", shorten(refused))
	}
	return all, routes, nil
}

// answered is a question for routes with its answer.
type answered struct {
	command string
	terminal.Answer
}

// maxTwice is how long an answer may be to be asked for again.
const maxTwice = 1 << 20

// again asks for the routes once more, at the end, and tells where they are others than at first: what was read between
// then belongs to neither moment.
func (f *Fetcher) again(ctx context.Context, routes []answered, put asker, at func(string)) ([]record.Move, error) {
	if f.Moved == nil {
		return nil, nil
	}
	var out []record.Move
	for _, r := range routes {
		if len(r.Text) > maxTwice || r.Text == "" {
			continue
		}
		at(r.command + " (again)")
		a, err := put(ctx, r.command)
		if err != nil {
			return nil, err
		}
		if gone, come := f.Moved([]byte(r.Text+"\n"), []byte(a.Text+"\n")); gone+come > 0 {
			out = append(out, record.Move{Command: r.command, First: moment(r.Start), Second: moment(a.Start),
				Gone: gone, Come: come})
		}
	}
	return out, nil
}

// moment is a time as it is kept: in UTC, to the millisecond.
func moment(t time.Time) time.Time { return t.UTC().Truncate(time.Millisecond) }

func shorten(s string) string {
	if r := []rune(s); len(r) > 80 {
		return string(r[:80]) + "…"
	}
	return s
}
