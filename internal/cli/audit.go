package cli

import (
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/mend"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// auditCommand is zarvek audit.
func auditCommand() command {
	return command{
		name: "audit", forms: "text, json, csv or md",
		short: "search the whole network for packets that get lost, and why",
		long: `Searches the whole address space, not samples of it: every range in which no device's
decision changes is judged from every attached network and every captured device, there
and back. What gets lost is grouped by the device and the decision at which it ends, so
that one missing route is one finding however many networks it cuts off. Then the tables
themselves are searched for what will lose packets later.

Severities:

  fault   packets between networks are lost now
  risk    packets will be lost when something else happens, or to addresses that no
          captured device is behind
  note    only networks between devices are concerned, or it may be meant so

Under each finding stand whom it hurts (effect), the addresses whose packets are lost, the
captured lines, and what would mend it; next hops named there are deduced from who is
attached where.

Each finding has a name (called ...) that stays the same as long as its cause does. A file
for -accept lists names to live with, one a line:

  no-route-3f9a2c41: the workshop is cut off on purpose

Exit code 1: there are findings of at least the severity asked.`,
		setup: func(fs *flag.FlagSet) action {
			severity := fs.String("severity", "risk", "the least `severity` to show: fault, risk or note")
			only := fs.String("only", "", "look for these `kinds` alone, with commas between (zarvek audit -kinds)")
			except := fs.String("except", "", "leave out these `kinds`")
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			accept := fs.String("accept", "", "a `file` of findings to live with: NAME: REASON")
			kinds := fs.Bool("kinds", false, "list the kinds of findings")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("audit takes no arguments, only options")
				}
				if *kinds {
					return present.AuditKinds(e.out, e.view(nil))
				}
				least, fam, err := parseLeast(*severity, *family)
				if err != nil {
					return err
				}
				opt := audit.Options{Family: fam}
				if opt.Only, err = parseKinds("-only", *only); err != nil {
					return err
				}
				if opt.Except, err = parseKinds("-except", *except); err != nil {
					return err
				}
				accepted, err := readAccepted(*accept)
				if err != nil {
					return err
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				r := l.audit(opt)
				return e.showAudit(l, r, least, accepted)
			}
		},
	}
}

// audit runs the audit of a case, with progress on a terminal where it is long.
func (l *loaded) audit(opt audit.Options) *audit.Result {
	opt.Ages, opt.Unread, opt.Moved = l.Ages(), l.UnreadInTables(), l.Moved()
	var p progress
	defer p.done()
	opt.Progress = func(at audit.Phase, done, total int) { p.tell(at.String(), int64(done), int64(total), 200_000) }
	w := l.walk()
	collectLess()
	return audit.Run(w, opt)
}

// showAudit writes findings in the form asked for; that there are any is bad news for the exit code.
func (e *env) showAudit(l *loaded, r *audit.Result, least audit.Severity, accepted []acceptance) error {
	a := auditView(r, least, accepted)
	l.cure(&a)
	var err error
	switch e.as {
	case "json":
		err = present.AuditJSON(e.out, a, e.view(l))
	case "csv":
		err = present.AuditCSV(e.out, a, e.view(l))
	case "md":
		err = present.AuditMarkdown(e.out, a, e.view(l))
	default:
		err = present.AuditText(e.out, a, e.view(l))
	}
	if err == nil && len(a.Findings) > 0 {
		return errBadNews
	}
	return err
}

// cure looks for changes of routes that mend what is shown, where that takes no time worth mentioning.
func (l *loaded) cure(a *present.AuditView) {
	a.Cures.Topo = l.walk().Topology()
	if !l.small() || len(a.Findings) > fewFindings {
		return
	}
	m := mend.New(l.walk(), mend.Options{Proofs: fewProofs})
	a.Cures.Found = map[string]*mend.Result{}
	for i := range a.Findings {
		if f := &a.Findings[i]; present.ByRoutes(f) {
			a.Cures.Found[f.ID] = m.Find(mend.WrongOf(f))
		}
	}
}

// auditView parts the findings into those that are shown, those below the least severity, and those to live with.
func auditView(r *audit.Result, least audit.Severity, accepted []acceptance) present.AuditView {
	a := present.AuditView{Result: r}
	for _, f := range r.Findings {
		i := slices.IndexFunc(accepted, func(x acceptance) bool { return x.id == f.ID })
		switch {
		case i >= 0:
			accepted[i].met = true
			a.Accepted = append(a.Accepted, present.Accepted{Finding: f, Reason: accepted[i].reason})
		case f.Severity < least:
			a.Hidden++
		default:
			a.Findings = append(a.Findings, f)
		}
	}
	for _, x := range accepted {
		if !x.met {
			a.Gone = append(a.Gone, x.id)
		}
	}
	return a
}

// parseKinds reads kinds with commas between; each may be shortened while unambiguous.
func parseKinds(option, s string) ([]audit.Kind, error) {
	var out []audit.Kind
	if s == "" {
		return nil, nil
	}
	all := audit.Kinds()
	names := make([]string, len(all))
	for i, k := range all {
		names[i] = string(k)
	}
	for word := range strings.SplitSeq(s, ",") {
		i, err := pick(strings.TrimSpace(word), names)
		if err != nil {
			hint := err.Error()
			if hint == "" {
				hint = "; zarvek audit -kinds lists them"
			}
			return nil, usagef("%s: there is no kind %q%s", option, strings.TrimSpace(word), hint)
		}
		out = append(out, all[i])
	}
	return out, nil
}

// acceptance is one line of an -accept file.
type acceptance struct {
	id, reason string
	met        bool
}

// readAccepted reads NAME: REASON lines; blank ones and those behind # are passed over.
func readAccepted(file string) ([]acceptance, error) {
	if file == "" {
		return nil, nil
	}
	text, err := source.ReadFile(file, source.MaxRecord)
	if err != nil {
		return nil, usagef("%s: cannot be read: %v", file, pathCause(err))
	}
	var out []acceptance
	n := 0
	for line := range strings.Lines(string(text)) {
		n++
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		id, reason, ok := strings.Cut(line, ":")
		if id, reason = strings.TrimSpace(id), strings.TrimSpace(reason); !ok || reason == "" ||
			strings.ContainsAny(id, " \t") {
			return nil, usagef("%s:%d: no reason; a line is NAME: REASON", file, n)
		}
		if slices.ContainsFunc(out, func(x acceptance) bool { return x.id == id }) {
			return nil, usagef("%s:%d: %s stands there already; name each finding once", file, n, id)
		}
		out = append(out, acceptance{id: id, reason: reason})
	}
	return out, nil
}

// pathCause leaves the path out of an error, since the message names it.
func pathCause(err error) error {
	if p, ok := err.(*os.PathError); ok {
		return p.Err
	}
	return fmt.Errorf("%w", err)
}
