package cli

import (
	"flag"
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/require"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
	"zarvek/internal/statement"
)

// mendCommand is zarvek mend.
func mendCommand() command {
	return command{
		name: "mend", args: "[FINDING... | SOURCE DESTINATION]", forms: "text, json or md",
		short: "the smallest change that puts something right, proved, with the lines to type",
		long: `Looks for the smallest change of static routes that puts right what an audit found, one pair of
addresses, or requirements that fail, and proves it on paper before it is shown: what was wrong
must be right, and a comparison of all pairs of addresses may show nothing that gets worse, no
loop and no new finding (notes apart). A change that fails the proof is not offered.

  zarvek mend                               every fault and risk that has to do with routes
  zarvek mend no-route-3f9a2c41             the findings of these names
  zarvek mend 10.61.44.20 10.61.0.20        one pair: there and back
  zarvek mend -require must.txt             requirements that fail; those that hold still must

Several cures are proved in the order in which they stand, each on the network with those before
it. No default route is added unless -defaults allows it. What no route can mend (a cable, a
filter, a host's settings, a device that was not captured) is told.

Lines to type are formed after statements of the device's own captured configuration, and read
again by the reader that read those; for open systems they have their documented form; else the
change is told in words. -as json is a change file: zarvek rehearse -change takes it.

Exit code 1: something stays as it is.`,
		setup: func(fs *flag.FlagSet) action {
			severity := fs.String("severity", "risk",
				"without names: the least `severity` of findings to mend: fault, risk or note")
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			file := fs.String("require", "", "mend what fails of the requirements in this `file`")
			defaults := fs.Bool("defaults", false, "default routes may be added")
			return func(e *env, args []string) error {
				least, fam, err := parseLeast(*severity, *family)
				if err != nil {
					return err
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				collectLess()
				opt := mend.Options{Defaults: *defaults, Compare: compare.Options{
					Audit: audit.Options{Family: fam, Ages: l.Ages(), Unread: l.UnreadInTables(), Moved: l.Moved()}}}
				if fam != 0 {
					opt.Compare.Families = []route.Family{fam}
				}
				var wrongs []mend.Wrong
				switch {
				case *file != "" && len(args) > 0:
					return usagef("give either names, a pair, or -require")
				case *file != "":
					if wrongs, opt.Keep, err = l.failing(*file); err != nil {
						return err
					}
				case len(args) == 2 && !looksLikeFinding(args[0]):
					src, dst, err := l.ends(args[0], args[1])
					if err != nil {
						return err
					}
					wrongs = []mend.Wrong{{Trips: []mend.Trip{{Source: src, Destination: dst}}}}
				default:
					if wrongs, err = l.found(args, least, fam); err != nil {
						return err
					}
				}
				return e.mend(l, wrongs, opt)
			}
		},
	}
}

// looksLikeFinding reports whether an argument begins like the name of a finding.
func looksLikeFinding(arg string) bool {
	return slices.ContainsFunc(audit.Kinds(), func(k audit.Kind) bool { return strings.HasPrefix(arg, string(k)) })
}

// found lists the findings of some names, or all of at least a severity.
func (l *loaded) found(names []string, least audit.Severity, fam route.Family) ([]mend.Wrong, error) {
	r := l.audit(audit.Options{Family: fam})
	var out []mend.Wrong
	for i := range r.Findings {
		if f := &r.Findings[i]; len(names) == 0 && f.Severity >= least && (f.Pairs > 0 || present.ByRoutes(f)) {
			out = append(out, mend.WrongOf(f))
		}
	}
	for _, n := range names {
		var some []*audit.Finding
		for i := range r.Findings {
			if f := &r.Findings[i]; f.ID == n || strings.HasPrefix(f.ID, n) && n != "" {
				some = append(some, f)
			}
		}
		switch {
		case len(some) == 0:
			return nil, usagef("an audit finds nothing called %q; zarvek audit -severity note lists the names", n)
		case len(some) > 1 && some[0].ID != n:
			return nil, usagef("%q begins the names of %d findings, such as %s and %s", n, len(some), some[0].ID,
				some[1].ID)
		}
		out = append(out, mend.WrongOf(some[0]))
	}
	return out, nil
}

// failing lists the requirements of a file that do not hold, and what asks whether those that hold still do.
func (l *loaded) failing(file string) ([]mend.Wrong, func(*forward.Walker) bool, error) {
	all, err := l.requirements(file)
	if err != nil {
		return nil, nil, err
	}
	var held []require.Requirement
	var out []mend.Wrong
	for _, v := range require.Judge(l.walk(), all, l.failuresOf(l.walk())) {
		if v.State == require.Holds {
			held = append(held, v.Requirement)
			continue
		}
		r := v.Requirement
		one := func(w *forward.Walker) require.Verdict {
			return require.Judge(w, []require.Requirement{r}, l.failuresOf(w))[0]
		}
		out = append(out, mend.Wrong{
			Name:  fmt.Sprintf("%s (%s:%d)", r.Text, file, r.Line),
			Holds: func(w *forward.Walker) bool { return one(w).State == require.Holds },
			Where: func(w *forward.Walker) *mend.Trip {
				if v := one(w); v.Fault == require.NotReached && v.From.IsValid() && v.To.IsValid() && v.Failed == "" {
					return &mend.Trip{Source: v.From, Destination: v.To}
				}
				return nil
			},
		})
	}
	keep := func(w *forward.Walker) bool {
		return require.Worst(require.Judge(w, held, l.failuresOf(w))) == require.Holds
	}
	return out, keep, nil
}

// mend finds what is to be mended, from findings, a pair or requirements, and shows the cures.
func (e *env) mend(l *loaded, wrongs []mend.Wrong, opt mend.Options) error {
	view := present.MendView{Topo: l.walk().Topology(), Lines: lines{l}.of}
	var p progress
	left := false
	m := mend.New(l.walk(), opt)
	for i, w := range wrongs {
		p.tell("mending", int64(i), int64(len(wrongs)), 2)
		r := m.Find(w)
		if r.Cure != nil {
			m = m.With(r.Cure)
		}
		left = left || r.Cure == nil && !r.Right
		view.Results = append(view.Results, r)
	}
	p.done()
	var err error
	switch e.as {
	case "json":
		err = present.MendJSON(e.out, view, e.view(l))
	case "md":
		err = present.MendMarkdown(e.out, view, e.view(l))
	default:
		err = present.MendText(e.out, view, e.view(l))
	}
	if err == nil && left {
		return errBadNews
	}
	return err
}

// lines finds how devices write routes.
type lines struct{ l *loaded }

// of writes the lines for an order, as the device's own configuration would have them.
// D is the device as it is before the order.
func (x lines) of(d *network.Device, o rehearse.Order) ([]statement.Line, bool) {
	samples, sys := x.l.Statements(d), x.l.System(d)
	switch o.Verb {
	case rehearse.Add:
		l, ok := statement.Add(o.Static, samples, sys)
		return []statement.Line{l}, ok
	case rehearse.Remove:
		return statement.Remove(mend.Removed(d, o), samples, sys)
	}
	return nil, false
}

// What trace and audit look for cures of by themselves; in larger cases mend is asked for that.
const (
	fewDevices  = 40
	fewRoutes   = 10_000
	fewFindings = 30
	fewProofs   = 3 // for one of them
)

// small reports whether a case is so small that looking for cures takes no time worth mentioning.
func (l *loaded) small() bool {
	n := 0
	for _, d := range l.Network.Devices().All() {
		for _, t := range d.Tables().All() {
			n += t.Routes().Len()
		}
	}
	return l.Network.Devices().Len() <= fewDevices && n <= fewRoutes
}
