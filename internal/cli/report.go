package cli

import (
	"bytes"
	"flag"
	"path/filepath"

	"golang.org/x/term"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/chart"
	"zarvek/internal/core/require"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

// reportCommand is zarvek report.
func reportCommand() command {
	return command{
		name: "report", forms: "html or md",
		short: "one page for those who were not there: findings, map, matrix, devices",
		long: `Writes one page that needs nothing else: the answer on top, the findings with the captured lines
to unfold and the changes that were proved to mend them, the map, the matrix whose cells lead to
their traces, and each device with its captures, what is missing, and its tables:

  zarvek report > report.html
  zarvek report -before captures-of-noon -require must.txt > report.html

-before takes the folder of a case of before, as zarvek compare does; -require a file of what must
hold. -as md is for a ticket. The page loads nothing, runs no script but its own small one, and
works without it. What it shows comes from captures: think of who gets it.

Exit code 1: there are faults or risks, something got worse, or a requirement does not hold.`,
		setup: func(fs *flag.FlagSet) action {
			before := fs.String("before", "", "compare with the case in `folder`")
			file := fs.String("require", "", "a `file` of requirements to judge")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("report takes no arguments, only options")
				}
				if f := e.out.file(); f != nil && term.IsTerminal(int(f.Fd())) && e.as == "html" {
					return usagef("report writes a page; send it to a file, as in: zarvek report > report.html")
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				collectLess()
				return e.report(l, *before, *file)
			}
		},
	}
}

// report gathers the parts of the page, each as its own command would find it.
func (e *env) report(l *loaded, before, file string) error {
	w := l.walk()
	name := l.Dir
	if abs, err := filepath.Abs(name); err == nil {
		name = filepath.Base(abs)
	}
	r := present.ReportView{Name: name, Trace: w.Trace, Devices: l.Summaries(), RequireFile: file}
	r.Audit = auditView(l.audit(audit.Options{}), audit.Risk, nil)
	l.cure(&r.Audit)
	r.Mend = present.MendView{Topo: w.Topology(), Lines: lines{l}.of}
	r.Notes, r.Audit.Hidden = r.Audit.Hidden, 0
	bad := len(r.Audit.Findings) > 0
	var err error
	if before != "" {
		if r.Compared, err = e.since(before, l, 0); err != nil {
			return err
		}
		r.Compared.Least = audit.Risk
		bad = bad || r.Compared.Result.Harm()
	}
	if file != "" {
		all, err := l.requirements(file)
		if err != nil {
			return err
		}
		r.Requirements = require.Judge(w, all, l.failuresOf(w))
		bad = bad || require.Worst(r.Requirements) != require.Holds
	}
	defer busyWith("writing")()
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		r.Matrices = append(r.Matrices, audit.MakeMatrix(w, fam, false).Without())
	}
	r.Map = present.MapView{Chart: chart.Make(w.Topology(), route.IPv4), Findings: r.Audit.Findings}
	var words bytes.Buffer
	if err := present.MapText(&words, r.Map, present.View{Evidence: l}); err != nil {
		return err
	}
	r.MapWords = words.String()
	v := e.view(l)
	v.Width = 0
	if e.as == "md" {
		err = present.ReportMarkdown(e.out, r, v)
	} else {
		err = present.ReportHTML(e.out, r, v)
	}
	if err == nil && bad {
		return errBadNews
	}
	return err
}
