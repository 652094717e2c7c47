package cli

import (
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/capture/layout/plain"
	"zarvek/internal/casefile"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// layoutsCommand is zarvek layouts.
func layoutsCommand() command {
	return command{
		name: "layouts", args: "[FILE]",
		short: "the forms of tables that are read, or what was made of one file",
		long: `Without FILE, shows each family of layouts with a look-alike. With FILE (- for standard
input), tells which reader took which lines of it, and why.

` + csvHelp() + `
A layout that no reader knows can be described in a file NAME.layout.yaml in the case,
or with -layout FILE:

  layout: cabin controller                     its name
  recognise: '^CABIN ROUTES'                   a line by which such a text is known
  key: '^  (?P<letter>\w) means (?P<meaning>.+)$'   optional: lines that define letters
  legend: {X: static}                          optional: letters that are always so
  table: '^zone (?P<table>\w+)$'               optional: lines that name a table
  ignore: ['^-+$']                             optional: lines that say nothing
  best-preference: lowest                      optional: or highest
  forwarding-table: false                      optional: true for what forwards
  lines:                                       the shapes of lines, first match wins
    - match: '^(?P<protocol>\w) +(?P<prefix>\S+) +to (?P<gateway>\S+) on (?P<interface>\S+)$'
    - match: '^ +or to (?P<gateway>\S+) on (?P<interface>\S+)$'
      carry: [prefix, protocol]                values of the line before: a further next hop

Expressions are RE2. Values are prefix (or address with length or mask), protocol,
preference, metric, gateway, interface, special, active, table. docs/layouts.md has two
worked examples.`,
		setup: func(*flag.FlagSet) action {
			return func(e *env, args []string) error {
				if len(args) > 1 {
					return usagef("layouts takes one FILE, not %d arguments", len(args))
				}
				if len(args) == 0 {
					if e.as == "json" {
						return present.LayoutsJSON(e.out, capture.Families())
					}
					return present.LayoutsText(e.out, capture.Families(), e.view(nil))
				}
				described, err := casefile.Describe(e.layouts)
				if err != nil {
					return err
				}
				raw, err := readArgument(args[0])
				if err != nil {
					return err
				}
				parts, err := casefile.Preview(args[0], raw, described)
				if err != nil {
					return err
				}
				if e.as == "json" {
					return present.PreviewJSON(e.out, args[0], parts)
				}
				return present.PreviewText(e.out, args[0], parts, e.view(nil))
			}
		},
	}
}

// csvHelp lists the columns of CSV files.
func csvHelp() string {
	var b strings.Builder
	b.WriteString("A CSV file has these names in its first line, in any order:\n\n")
	for _, c := range plain.Columns {
		fmt.Fprintf(&b, "  %-20s %s\n", c.Name, c.Holds)
	}
	return b.String()
}

// readArgument reads a file, or standard input for "-".
func readArgument(name string) ([]byte, error) {
	if name == "-" {
		return source.ReadAll(os.Stdin, source.MaxUnpacked)
	}
	b, err := source.ReadFile(name, source.MaxUnpacked)
	var p *fs.PathError
	if errors.As(err, &p) {
		return nil, fmt.Errorf("%s: cannot be read: %w", name, p.Err)
	}
	return b, err
}
