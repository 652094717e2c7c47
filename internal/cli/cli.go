// Package cli is the command line: one file a command, options with package flag, streams and exit codes. It loads,
// asks the core and hands the result to present; it computes nothing itself.
package cli

import (
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"golang.org/x/term"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
	"zarvek/internal/present"
)

// Exit codes.
const (
	exitFine    = 0
	exitBadNews = 1 // the answer is bad news
	exitUsage   = 2 // wrong usage
	exitCase    = 3 // a capture or case that cannot be used
)

// A command is one word after the program's name.
type command struct {
	name  string
	args  string // as the help shows them
	short string // one line
	long  string // the rest of the help
	plain bool   // takes no case
	forms string // of output, as -as takes them; "": text or json
	setup func(fs *flag.FlagSet) action
}

// An action runs a command with the arguments that are left.
type action func(e *env, args []string) error

// commands returns all commands in the order in which an engineer uses them. They are made by functions, not kept in
// variables, since help and demo refer back to this list.
func commands() []command {
	return []command{
		gatherCommand(),
		collectCommand(),
		devicesCommand(),
		tableCommand(),
		networksCommand(),
		whyCommand(),
		traceCommand(),
		auditCommand(),
		compareCommand(),
		rehearseCommand(),
		surviveCommand(),
		requireCommand(),
		mendCommand(),
		reportCommand(),
		maskCommand(),
		matrixCommand(),
		mapCommand(),
		layoutsCommand(),
		glossCommand(),
		demoCommand(),
		helpCommand(),
		versionCommand(),
	}
}

// env is what a command gets from outside, and the common options.
type env struct {
	out     *output
	err     io.Writer
	caseDir string
	as      string
	lines   bool
	color   string
	layouts []string
	noCache bool // everything is read anew, and nothing is kept
	suppose bool // tables that were not captured are those that configurations make
}

// errBadNews ends a command that answered, with an answer that is bad news.
var errBadNews = errors.New("bad news")

// usageError is a mistake in how the program was called.
type usageError struct{ text string }

func (e *usageError) Error() string { return e.text }

func usagef(format string, args ...any) error { return &usageError{fmt.Sprintf(format, args...)} }

// Run runs the program and returns its exit code.
func Run(args []string, out, errs io.Writer) int {
	to, within := out.(*output) // the demo runs commands in its own output
	if !within {
		to = &output{to: out}
		tuneCollector()
	}
	e := &env{out: to, err: errs}
	prefix := "zarvek"
	err := e.run(args, &prefix)
	if to.err != nil {
		if within { // the demo tells it, once
			return exitCase
		}
		if closedPipe(to.err) {
			return exitClosed
		}
		err = &notWritten{to.err}
	}
	var usage *usageError
	switch {
	case err == nil:
		return exitFine
	case errors.Is(err, errBadNews):
		return exitBadNews
	case errors.As(err, &usage):
		fmt.Fprintf(errs, "%s: %s\n", prefix, present.Clean(err.Error()))
		return exitUsage
	}
	fmt.Fprintf(errs, "%s: %s\n", prefix, present.Clean(err.Error()))
	return exitCase
}

// run finds the command and its options and runs it. Prefix grows by the command's name, so that errors say whose they
// are.
func (e *env) run(args []string, prefix *string) error {
	if len(args) == 0 {
		return printHelp(e.out)
	}
	name := args[0]
	switch name {
	case "-h", "-help", "--help":
		name = "help"
	case "-version", "--version":
		name = "version"
	}
	c, err := findCommand(name)
	if err != nil {
		return err
	}
	*prefix += " " + c.name
	fs := flag.NewFlagSet(c.name, flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	if !c.plain {
		e.common(fs, c)
	}
	run := c.setup(fs)
	rest, err := parse(fs, args[1:])
	if errors.Is(err, flag.ErrHelp) {
		return commandHelp(e.out, c)
	}
	if err != nil {
		return usagef("%s; zarvek help %s lists the options", optionError(err), c.name)
	}
	if err := e.check(c); err != nil && !c.plain {
		return err
	}
	return run(e, rest)
}

// common adds the options that every command on a case has.
func (e *env) common(fs *flag.FlagSet, c command) {
	def := os.Getenv("ZARVEK_CASE")
	if def == "" {
		def = "."
	}
	fs.StringVar(&e.caseDir, "case", def, "the `folder` with the captures (or set ZARVEK_CASE)")
	fs.StringVar(&e.as, "as", c.first(), "the `form` of the output: "+c.outputs())
	fs.BoolVar(&e.lines, "evidence", false, "show the captured lines behind each statement")
	fs.Func(
		"layout",
		"a `file` that describes a layout; may be given several times (zarvek help layouts)",
		func(s string) error {
			e.layouts = append(e.layouts, s)
			return nil
		},
	)
	fs.BoolVar(&e.noCache, "no-cache", false, "read every capture anew, and keep nothing for the next command")
	fs.StringVar(&e.color, "color", "auto", "colours: `when`, one of auto, always, never")
}

// supposing adds the option of commands that may go by configurations where no table was captured.
func supposing(fs *flag.FlagSet) *bool {
	return fs.Bool("assume-configured", false,
		"devices of which a configuration was captured and no table have the one that it makes")
}

// outputs lists the forms of a command's output in words.
func (c command) outputs() string {
	if c.forms == "" {
		return "text or json"
	}
	return c.forms
}

// first is the form that is written where none is asked for.
func (c command) first() string {
	form, _, _ := strings.Cut(strings.ReplaceAll(c.outputs(), ",", " "), " ")
	return form
}

func (e *env) check(c command) error {
	forms := strings.FieldsFunc(c.outputs(), func(r rune) bool { return r == ' ' || r == ',' })
	if e.as == "or" || !slices.Contains(forms, e.as) {
		return usagef("-as takes %s, not %q", c.outputs(), e.as)
	}
	switch e.color {
	case "auto", "always", "never":
	default:
		return usagef("-color takes auto, always or never, not %q", e.color)
	}
	return nil
}

// parse reads options before, between and after arguments; behind "--" all are arguments.
func parse(fs *flag.FlagSet, args []string) (rest []string, err error) {
	for len(args) > 0 {
		if args[0] == "--" {
			return append(rest, args[1:]...), nil
		}
		if args[0] == "-" || !strings.HasPrefix(args[0], "-") {
			rest, args = append(rest, args[0]), args[1:]
			continue
		}
		// One option a round, so that flag never meets "--" or an argument itself.
		before := args
		if err := fs.Parse(args); err != nil {
			return nil, err
		}
		args = fs.Args()
		if n := len(before) - len(args); n > 0 && before[n-1] == "--" {
			return append(rest, args...), nil
		}
	}
	return rest, nil
}

// optionError words package flag's errors our way.
func optionError(err error) string {
	s := err.Error()
	if name, ok := strings.CutPrefix(s, "flag provided but not defined: "); ok {
		return "there is no option " + name
	}
	if name, ok := strings.CutPrefix(s, "flag needs an argument: "); ok {
		return "the option " + name + " needs a value"
	}
	return s
}

// findCommand finds a command by its name or an unambiguous beginning of it.
func findCommand(name string) (command, error) {
	var names []string
	all := commands()
	for _, c := range all {
		names = append(names, c.name)
	}
	i, err := pick(name, names)
	if err != nil {
		hint := err.Error()
		if hint == "" {
			hint = "; zarvek help lists them"
		}
		return command{}, usagef("there is no command %q%s", name, hint)
	}
	return all[i], nil
}

// loaded is a case with everything that commands ask.
type loaded struct {
	*casefile.Case
	walker *forward.Walker
}

func (e *env) load() (*loaded, error) {
	var p progress
	c, err := casefile.LoadWith(e.caseDir, casefile.Options{
		Layouts: e.layouts,
		Tell: func(done, total int64) {
			if p.tellBytes("reading", done, total, 200<<20); done == total {
				p.busy("putting together")
			}
		},
		Suppose: e.suppose,
		Cache:   e.cache,
	})
	p.done()
	if err != nil {
		return nil, err
	}
	return &loaded{Case: c}, nil
}

// devices loads the case and asks that it has any.
func (e *env) devices() (*loaded, error) {
	l, err := e.load()
	if err == nil && l.Network.Devices().Len() == 0 {
		err = &noDevices{l.Dir}
	}
	return l, err
}

// walk returns the walker, made when it is first needed.
func (l *loaded) walk() *forward.Walker {
	if l.walker == nil {
		l.walker = forward.NewWalker(topology.Build(l.Network))
	}
	return l.walker
}

// walking is walk; assume lets packets pass filters that cannot be judged.
func (l *loaded) walking(assume bool) *forward.Walker {
	if assume {
		return l.walk().Assuming()
	}
	return l.walk()
}

// view is how results are shown in this call; l is nil where no case is loaded.
func (e *env) view(l *loaded) present.View {
	color := e.color == "always"
	if f := e.out.file(); f != nil && e.color == "auto" {
		color = term.IsTerminal(int(f.Fd())) && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	}
	v := present.View{Lines: e.lines, Color: color, Width: e.width()}
	if l != nil {
		v.Evidence = l
		if l.Dir != "." && l.Dir != os.Getenv("ZARVEK_CASE") {
			v.Option = " -case " + l.Dir
		}
	}
	return v
}

// picture refuses to write a picture to a terminal.
func (e *env) picture() error {
	if f := e.out.file(); f != nil && term.IsTerminal(int(f.Fd())) && e.as == "png" {
		return usagef("-as png writes a picture; send it to a file, as in: -as png > picture.png")
	}
	return nil
}

// width returns how many characters a line of the terminal has, 0 where the output is none.
func (e *env) width() int {
	if f := e.out.file(); f != nil {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 20 {
			return w
		}
	}
	return 0
}
