package cli

import (
	"errors"
	"flag"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"

	"zarvek/internal/casefile"
	"zarvek/internal/present"
)

// glossCommand is zarvek gloss.
func glossCommand() command {
	return command{
		name: "gloss", args: "FILE [LINE...]",
		short: "what each line of a capture says, in words",
		long: `Explains a capture line by line: headings, keys, routes, the lines that go on with one,
marks, and what could not be read. FILE may also stand in the case; - is standard input.
LINE is a number, or a range such as 12-40; without one, all lines are explained.
Exit code 1: some of them could not be read.`,
		setup: func(fs *flag.FlagSet) action {
			return func(e *env, args []string) error {
				if len(args) == 0 {
					return usagef("gloss takes FILE, and LINE numbers if only some are wanted")
				}
				var wanted []int
				for _, a := range args[1:] {
					more, err := lineRange(a)
					if err != nil {
						return err
					}
					wanted = append(wanted, more...)
				}
				described, err := casefile.Describe(e.layouts)
				if err != nil {
					return err
				}
				raw, err := e.readCapture(args[0])
				if err != nil {
					return err
				}
				lines, err := casefile.Gloss(args[0], raw, wanted, described)
				if err != nil {
					return err
				}
				if e.as == "json" {
					err = present.GlossJSON(e.out, args[0], lines)
				} else {
					err = present.GlossText(e.out, args[0], lines, e.view(nil))
				}
				if err == nil && casefile.SomeUnread(lines) {
					return errBadNews
				}
				return err
			}
		},
	}
}

// readCapture reads a file as it is named, or in the case.
func (e *env) readCapture(name string) ([]byte, error) {
	raw, err := readArgument(name)
	if err != nil && errors.Is(err, fs.ErrNotExist) && !filepath.IsAbs(name) {
		if raw, err2 := readArgument(filepath.Join(e.caseDir, name)); err2 == nil {
			return raw, nil
		}
	}
	return raw, err
}

// maxRange is the longest range of lines that is taken.
const maxRange = 1 << 20

// lineRange reads N or N-M.
func lineRange(s string) ([]int, error) {
	from, to, ranged := strings.Cut(s, "-")
	lo, err := strconv.Atoi(from)
	hi := lo
	if err == nil && ranged {
		hi, err = strconv.Atoi(to)
	}
	if err != nil || lo < 1 || hi < lo || hi-lo > maxRange {
		return nil, usagef("a line is a number from 1 on, or a range such as 12-40, not %q", s)
	}
	var out []int
	for n := lo; n <= hi; n++ {
		out = append(out, n)
	}
	return out, nil
}
