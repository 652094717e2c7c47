package cli

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zarvek/internal/demo"
	"zarvek/internal/present"
)

// demoCommand is zarvek demo.
func demoCommand() command {
	return command{
		name: "demo", plain: true,
		short: "the example on a made-up network: a night's story, or all of it with -all",
		long: `Writes the captures of a made-up network, that of Kjelven Ropeways, to a folder and asks
the questions of a night shift about it: each command line is shown before its output. The
story is short, and each answer is cut to what makes its point; -all asks every question
and shows every answer whole.`,
		setup: func(fs *flag.FlagSet) action {
			to := fs.String(
				"to",
				"",
				"write the case to this `folder`, which must be new or empty (default a temporary one)",
			)
			all := fs.Bool("all", false, "ask every question, and show the answers whole")
			color := fs.String("color", "auto", "colours: `when`, one of auto, always, never")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("demo takes no arguments, only options")
				}
				e.color, e.as = *color, "text"
				if err := e.check(command{}); err != nil {
					return err
				}
				dir, err := demoFolder(*to)
				if err != nil {
					return err
				}
				if err := demo.Write(dir); err != nil {
					return fmt.Errorf("the example cannot be written: %w; give another folder with -to", err)
				}
				return e.tour(dir, *all)
			}
		},
	}
}

// demoFolder returns the folder to write to.
func demoFolder(to string) (string, error) {
	if to == "" {
		dir, err := os.MkdirTemp("", "zarvek-demo-")
		if err != nil {
			return "", fmt.Errorf("no temporary folder: %w; give one with -to", err)
		}
		return dir, nil
	}
	list, err := os.ReadDir(to)
	if err == nil && len(list) > 0 {
		return "", usagef("%s: not empty; give a new folder with -to", to)
	}
	return to, nil
}

// tour runs the steps. Bad news is part of the story, so it does not end it.
func (e *env) tour(dir string, all bool) error {
	fmt.Fprintf(e.out, `Kjelven Ropeways runs cable cars between a valley, a midway and a summit station, with
a camera mast, a ticket office, a depot and a workshop. Captures of its eight devices,
in half a dozen layouts, are in

  %s
`, present.Clean(dir))
	for _, s := range demo.Steps {
		if s.Head == 0 && !all {
			continue
		}
		asked := placed(s.Args, dir)
		args := append(slices.Clone(asked), "-color", e.color)
		line := commandLine(asked)
		if args[0] == "layouts" { // the one command that takes a file and no case
			args[1] = filepath.Join(dir, args[1])
			line = "layouts " + args[1]
		}
		fmt.Fprintf(e.out, "\n# %s\n$ zarvek %s\n\n", s.Why, present.Clean(line))
		code := 0
		if all {
			code = Run(args, e.out, e.err)
		} else {
			code = e.head(args, s.Head)
		}
		if code > exitBadNews {
			return fmt.Errorf("the step %q failed", strings.Join(s.Args, " "))
		}
	}
	fmt.Fprintf(e.out, `
# What to try next
  export ZARVEK_CASE=%s
  zarvek trace 10.61.46.9 10.61.0.31         the swallowed sensor, from its own side
  zarvek why mast7 10.61.0.31                why the camera's answers get lost
  zarvek table control -all                  also what the control room does not use
  zarvek trace 10.61.0.31 10.61.44.20 -as json
  zarvek map -as png -path desk,mast-cam -findings > map.png
  zarvek audit -severity note                also what may be meant so
  zarvek demo -all                           every question, and the answers whole
  zarvek devices -case YOUR-CAPTURES         then your own network
`, present.Clean(dir))
	return nil
}

// placed puts the demo's folders into a step's arguments, and the case behind them where none is named.
func placed(args []string, dir string) []string {
	out := slices.Clone(args)
	named := false
	for i, a := range out {
		switch a {
		case "CASE":
			out[i], named = dir, true
		case "AFTER":
			out[i], named = dir+demo.After, true
		case "MUST":
			out[i] = dir + demo.Must
		}
	}
	if !named {
		out = append(out, "-case", dir)
	}
	return out
}

// head runs a command and shows the first lines of its answer, and how many there are more.
func (e *env) head(args []string, lines int) int {
	var answer bytes.Buffer
	if f := e.out.file(); f != nil && e.color == "auto" && e.view(nil).Color {
		args = append(args, "-color", "always") // a buffer is no terminal; this ends up on one
	}
	code := Run(args, &answer, e.err)
	rest := answer.Bytes()
	for range lines {
		line, after, _ := bytes.Cut(rest, []byte("\n"))
		if len(rest) == 0 {
			return code
		}
		fmt.Fprintf(e.out, "%s\n", line)
		rest = after
	}
	if n := bytes.Count(rest, []byte("\n")); n > 0 {
		fmt.Fprintf(e.out, "  (%d more lines here)\n", n)
	}
	return code
}

// commandLine writes arguments as a shell takes them.
func commandLine(args []string) string {
	out := make([]string, len(args))
	for i, a := range args {
		if strings.Contains(a, " ") {
			a = "'" + a + "'"
		}
		out[i] = a
	}
	return strings.Join(out, " ")
}
