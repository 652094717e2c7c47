// Package family holds what may be asked of devices and what is asked of each kind: lists of commands by purpose, kept
// as data. It exists so that gathering is read-only by construction: no command leaves the program that does not match
// an expression of reading commands here, be it from the lists or a user's own.
//
// A family is named by the shape of what it prints, as layouts are. No I/O.
package family

import (
	_ "embed"
	"fmt"
	"regexp"
	"strings"
	"sync"
)

//go:embed families.txt
var data string

// A Family is a kind of command line with what is asked there. The zero Family is none.
type Family struct {
	Name      string
	About     string
	Version   string     // a question that devices of this family answer
	Nonsense  string     // reads nothing that there is, "" where commands run for themselves and say how they end
	Session   [][]string // for the session only, alternatives each; the first must be taken
	Privilege string     // "" where there is no such level
	Exec      bool       // each command runs for itself, without a terminal
	Questions []Question

	prompt  *regexp.Regexp
	reading *regexp.Regexp
}

// A Question is what is asked for one purpose.
type Question struct {
	Purpose  string
	Commands []string // alternatives: the first that the device takes counts
	PerTable bool     // asked once for each table of interest, {table} being its name
}

// purposeRoutes is the purpose without which a device was not gathered.
const purposeRoutes = "routes"

// Needed reports whether a device counts as gathered only with an answer for this purpose.
func (q Question) Needed() bool { return q.Purpose == purposeRoutes }

// All returns the families in the order in which an unknown device is tried.
func All() []Family { return all() }

// all is parsed when it is first asked for: most commands never do.
var all = sync.OnceValue(func() []Family { return mustParse(data) })

// ByName finds a family.
func ByName(name string) (Family, error) {
	var names []string
	for _, f := range all() {
		if f.Name == name {
			return f, nil
		}
		names = append(names, f.Name)
	}
	return Family{}, fmt.Errorf("there is no family %q; it is one of %s", name, strings.Join(names, ", "))
}

// Prompts reports whether a line may be the prompt of such a device.
func (f Family) Prompts(line string) bool { return f.prompt.MatchString(line) }

// plain are the characters that a command may have: none that begins another command, writes to a file or puts another
// command's output into the line, on any device.
var plain = regexp.MustCompile(`^[\w ./:,@=*^+%~|"'(){}\\$-]+$`)

// shellSigns do harm in a shell; within quotes of one kind they are only characters.
var (
	shellSigns = regexp.MustCompile(`[$(){}\\*~^|]`)
	quoted     = regexp.MustCompile(`'[^']*'`)
)

// Allow reports in an error why a command is not sent: it must read, in the family's own words, and hold nothing else.
func (f Family) Allow(command string) error {
	switch {
	case !plain.MatchString(command):
		return fmt.Errorf("%q is not sent: it has characters that may begin another command", command)
	case f.Exec && shellSigns.MatchString(quoted.ReplaceAllString(command, "")):
		return fmt.Errorf("%q is not sent: it has characters that mean something to a shell", command)
	case !f.reading.MatchString(command):
		return fmt.Errorf("%q is not sent: it is no reading command of the family %s", command, f.Name)
	case strings.Contains(command, "{"):
		return fmt.Errorf("%q is not sent: its table has no name", command)
	}
	return nil
}

// tableName is what a table may be called in a command.
var tableName = regexp.MustCompile(`^[\w.:-]+$`)

// A Step is one question with its commands as they are sent.
type Step struct {
	Purpose  string
	Commands []string // alternatives
	Needed   bool     // the device is not gathered unless one such step is answered
	Own      bool     // the user's own: a refusal is a failure
}

// Steps returns what is asked of a device with these tables of interest, and the user's own commands behind it. Each
// command was allowed.
func (f Family) Steps(tables, own []string) ([]Step, error) {
	var out []Step
	for _, q := range f.Questions {
		if !q.PerTable {
			out = append(out, Step{Purpose: q.Purpose, Commands: q.Commands, Needed: q.Needed()})
			continue
		}
		for _, t := range tables {
			if !tableName.MatchString(t) {
				return nil, fmt.Errorf(
					"%q is no name of a table; it may have letters, digits, dots, colons and hyphens", t)
			}
			s := Step{Purpose: q.Purpose, Own: true}
			for _, c := range q.Commands {
				s.Commands = append(s.Commands, strings.ReplaceAll(c, "{table}", t))
			}
			out = append(out, s)
		}
	}
	for _, c := range own {
		out = append(out, Step{Purpose: "own", Commands: []string{c}, Own: true, Needed: f.Name == Unknown().Name})
	}
	for _, s := range out {
		for _, c := range s.Commands {
			if err := f.Allow(c); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// Unknown is the family of a device of which nothing is known: it is asked the user's own commands only, and those must
// begin with a word that reads on every family.
func Unknown() Family {
	return Family{
		Name: "unknown",
		reading: regexp.MustCompile(`^(?:(?:show|display|get|print) [^|]+(?:\| *(?:include|exclude|begin|section` +
			`|match|except|no-more|display set) ?[^|]*)?|show)$`),
		prompt: regexp.MustCompile(`.`),
	}
}

// mustParse reads the data; a mistake in it is ours, which a test shows first.
func mustParse(text string) []Family {
	fs, err := parse(text)
	if err != nil {
		panic(err)
	}
	return fs
}

// parse reads a family's file.
func parse(text string) ([]Family, error) {
	var out []Family
	n := 0
	for line := range strings.Lines(text) {
		n++
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' {
			continue
		}
		key, value, _ := strings.Cut(line, " ")
		value = strings.TrimSpace(value)
		if key == "family" {
			out = append(out, Family{Name: value})
			continue
		}
		if len(out) == 0 {
			return nil, fmt.Errorf("families.txt:%d: a family must begin first", n)
		}
		if err := out[len(out)-1].set(key, value); err != nil {
			return nil, fmt.Errorf("families.txt:%d: %w", n, err)
		}
	}
	return out, nil
}

// set takes one member of a family.
func (f *Family) set(key, value string) (err error) {
	switch key {
	case "about":
		f.About = value
	case "prompt":
		f.prompt, err = regexp.Compile(value)
	case "version":
		f.Version = value
	case "nonsense":
		f.Nonsense = value
	case "session":
		f.Session = append(f.Session, alternatives(value))
	case "privilege":
		f.Privilege = value
	case "exec":
		f.Exec = true
	case "reading":
		f.reading, err = regexp.Compile(`^(?:` + value + `)$`)
	case "ask", "table":
		purpose, commands, ok := strings.Cut(value, ": ")
		if !ok {
			return fmt.Errorf("%q lacks a purpose", value)
		}
		f.Questions = append(f.Questions, Question{purpose, alternatives(commands), key == "table"})
	default:
		return fmt.Errorf("there is no key %q", key)
	}
	return err
}

func alternatives(s string) []string {
	var out []string
	for a := range strings.SplitSeq(s, "||") {
		out = append(out, strings.TrimSpace(a))
	}
	return out
}
