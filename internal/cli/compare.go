package cli

import (
	"flag"
	"fmt"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

// compareCommand is zarvek compare.
func compareCommand() command {
	return command{
		name: "compare", args: "BEFORE AFTER", forms: "text, json or md",
		short: "two cases: what became of every pair of addresses, and which route is to blame",
		long: `Takes the folders of two cases of one network, such as the captures before a change and
those after it, and searches the whole address space of both: every pair of networks of
which packets fare otherwise than before is found, in both directions.

  worse           less arrives, or what was sure is not any more
  not clear       one of the two cannot be told
  better          more arrives
  another way     arrives as before, by other devices or interfaces
  no better       lost or unknown as before, at another place or for another reason

Pairs are put together by the device and the decision at which the ways part, with the
captured line of before and that of after. Then come the findings of an audit that are new
or gone, and what the captures themselves say otherwise: routes, addresses, interfaces,
neighbours, switches. Ages, counters, the order and the form of captures are no difference.

With one folder, BEFORE is the case of -case. Exit code 1: something got worse, or may have.`,
		setup: func(fs *flag.FlagSet) action {
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			severity := fs.String("severity", "risk", "the least `severity` of findings to show: fault, risk or note")
			all := fs.Bool("all", false, "show every group and every change, not the first ones")
			return func(e *env, args []string) error {
				if len(args) == 1 {
					args = []string{e.caseDir, args[0]}
				}
				if len(args) != 2 {
					return usagef("compare takes BEFORE AFTER, two folders, not %d arguments", len(args))
				}
				least, fam, err := parseLeast(*severity, *family)
				if err != nil {
					return err
				}
				var sides [2]*loaded
				c := present.CompareView{All: *all, Least: least}
				for i, dir := range args {
					e.caseDir = dir
					if sides[i], err = e.devices(); err != nil {
						return err
					}
					c.Sides[i] = present.Side{Name: dir, Evidence: present.Labelled(sides[i], dir),
						Option: "-case " + dir}
				}
				collectLess()
				c.Result = differences(sides[0].walk(), sides[1].walk(), fam)
				return e.showComparison(c)
			}
		},
	}
}

// differences compares two networks, with progress on a terminal where it is long.
func differences(before, after *forward.Walker, fam route.Family) *compare.Result {
	var p progress
	defer p.done()
	return compare.Run(before, after, comparing(fam, &p))
}

// comparing is what is compared, of one family or, at 0, both.
func comparing(fam route.Family, p *progress) compare.Options {
	opt := compare.Options{Audit: audit.Options{Family: fam},
		Progress: func(done, total int) { p.tell("comparing", int64(done), int64(total), 200_000) }}
	if fam != 0 {
		opt.Families = []route.Family{fam}
	}
	return opt
}

// showComparison writes a comparison in the form asked for; harm is bad news for the exit code.
func (e *env) showComparison(c present.CompareView) error {
	var err error
	switch e.as {
	case "json":
		err = present.CompareJSON(e.out, c, e.view(nil))
	case "md":
		err = present.CompareMarkdown(e.out, c, e.view(nil))
	default:
		err = present.CompareText(e.out, c, e.view(nil))
	}
	if err != nil {
		return fmt.Errorf("the comparison cannot be shown: %w", err)
	}
	if c.Result.Harm() {
		return errBadNews
	}
	return nil
}
