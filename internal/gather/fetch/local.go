package fetch

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"zarvek/internal/gather/family"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

// localFamily is what this machine is asked unless told otherwise.
const localFamily = "iproute"

// local captures this machine, or one of its network namespaces.
func (f *Fetcher) local(ctx context.Context, t target.Target, at func(string)) (Reading, error) {
	name := t.Family
	if name == "" {
		name = localFamily
	}
	fam, err := family.ByName(name)
	if err != nil {
		return Reading{}, err
	}
	if !fam.Exec {
		return Reading{}, final("the family %s needs a terminal; this machine is asked as iproute or bsd", name)
	}
	var before []string
	if t.Address != "" {
		before = []string{"ip", "netns", "exec", t.Address}
	}
	return f.byCommand(ctx, fam, t, at, func(ctx context.Context, command string) ([]byte, string, error) {
		return f.run(ctx, append(before[:len(before):len(before)], words(command)...))
	})
}

// run runs one program of this machine, without a shell.
func (f *Fetcher) run(ctx context.Context, argv []string) ([]byte, string, error) {
	limit, stop := context.WithTimeout(ctx, f.longest())
	defer stop()
	path := program(argv[0])
	if path == "" {
		return nil, argv[0] + ": not found", nil
	}
	c := exec.CommandContext(limit, path, argv[1:]...)
	c.WaitDelay = time.Second
	c.Env = append(os.Environ(), "LC_ALL=C")
	out, errs := &bounded{limit: maxOutput}, &bounded{limit: 64 << 10}
	c.Stdout, c.Stderr = out, errs
	err := c.Run()
	var status *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return nil, "", ctx.Err()
	case limit.Err() != nil:
		return nil, "", fmt.Errorf("%w: %q is not done after %v", terminal.ErrTooLong, strings.Join(argv, " "),
			f.longest())
	case out.over:
		return nil, "", fmt.Errorf("%w in the answer to %q", terminal.ErrTooMuch, strings.Join(argv, " "))
	case errors.As(err, &status):
		return out.Bytes(), refusal(errs.Bytes(), out.Bytes(), status.ExitCode()), nil
	case err != nil:
		return nil, err.Error(), nil
	}
	return out.Bytes(), terminal.Complaint(firstPart(out.Bytes())), nil
}

// program finds a program, also where only the administrator's path has it.
func program(name string) string {
	if p, err := exec.LookPath(name); err == nil {
		return p
	}
	for _, dir := range []string{"/usr/sbin", "/sbin"} {
		if p, err := exec.LookPath(filepath.Join(dir, name)); err == nil {
			return p
		}
	}
	return ""
}

// words cuts a command at its blanks; quotes keep what they hold together.
func words(command string) []string {
	var out []string
	var word strings.Builder
	quote, open := rune(0), false
	for _, r := range command {
		switch {
		case quote != 0 && r == quote:
			quote = 0
		case quote == 0 && (r == '\'' || r == '"'):
			quote, open = r, true
		case quote == 0 && r == ' ':
			if open {
				out = append(out, word.String())
			}
			word.Reset()
			open = false
		default:
			word.WriteRune(r)
			open = true
		}
	}
	if open {
		out = append(out, word.String())
	}
	return out
}
