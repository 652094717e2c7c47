package present

import (
	"fmt"
	"io"
	"net/netip"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

// An AuditView is an audit's findings as they are to be shown.
type AuditView struct {
	Result   *audit.Result
	Findings []audit.Finding // those of at least the severity asked, not accepted
	Hidden   int             // below the severity
	Accepted []Accepted
	Gone     []string // accepted, and no longer found
	Cures    Cures
}

// Accepted is a finding that somebody said to live with, and why.
type Accepted struct {
	Finding audit.Finding
	Reason  string
}

// maxRepairs is how many repairs of one finding are listed.
const maxRepairs = 4

// AuditText writes the findings, the worst first.
func AuditText(w io.Writer, a AuditView, v View) error {
	d := v.auditDocument(a)
	d.writeText(w, v)
	return nil
}

// AuditMarkdown writes the findings for a ticket.
func AuditMarkdown(w io.Writer, a AuditView, v View) error {
	d := v.auditDocument(a)
	d.writeMarkdown(w, v)
	return nil
}

// auditDocument words an audit.
func (v View) auditDocument(a AuditView) document {
	var d document
	d.add(answer{auditHeadline(a), len(a.Findings) == 0})
	for i := range a.Findings {
		d.add(v.finding(i+1, &a.Findings[i], a.Cures))
	}
	if len(a.Accepted) > 0 {
		l := listing{title: "Accepted"}
		for _, x := range a.Accepted {
			l.lines = append(l.lines, fmt.Sprintf("%s: %s (%s)", x.Finding.ID, Clean(x.Reason), summary(&x.Finding)))
		}
		d.add(l)
	}
	if len(a.Gone) > 0 {
		d.add(paragraph{words: "Accepted, and no longer found: " + Clean(strings.Join(a.Gone, ", "))})
	}
	for _, c := range a.Result.Families {
		d.add(paragraph{coverage(c), 2})
	}
	return d
}

// auditHeadline is the answer in one line: how many findings of each severity, and what the reader does not see of
// them.
func auditHeadline(a AuditView) string {
	n := map[audit.Severity]int{}
	for _, f := range a.Findings {
		n[f.Severity]++
	}
	var parts []string
	if k := n[audit.Fault]; k > 0 {
		parts = append(parts, count(k, "fault", "faults"))
	}
	if k := n[audit.Risk]; k > 0 {
		parts = append(parts, count(k, "risk", "risks"))
	}
	if k := n[audit.Note]; k > 0 {
		parts = append(parts, count(k, "note", "notes"))
	}
	s := strings.Join(parts, ", ")
	if s == "" {
		s = "nothing found"
	}
	if a.Hidden > 0 {
		s += fmt.Sprintf(" (%s with -severity note)", count(a.Hidden, "more", "more"))
	}
	if len(a.Accepted) > 0 {
		s += fmt.Sprintf("; %d accepted", len(a.Accepted))
	}
	return s
}

// coverage tells how far the search went, so that "nothing found" can be trusted, and where it rests on weak evidence.
func coverage(c audit.Coverage) string {
	s := fmt.Sprintf(
		"Searched all of %s: %s, %s of behaviour, %s",
		familyName(c.Family),
		count(c.Ranges, "range of addresses", "ranges of addresses"),
		count(c.Classes, "class", "classes"),
		count(c.Ends, "group of possible ends", "groups of possible ends"),
	)
	if c.Followed > 0 {
		s += fmt.Sprintf(
			"; %s followed one by one, since rules on the way look at more than the destination",
			count(c.Followed, "pair", "pairs"),
		)
	}
	if n := len(c.Weak); n > 0 {
		names := Clean(strings.Join(c.Weak[:min(n, 4)], ", "))
		if n > 4 {
			names += " and " + count(n-4, "other", "others")
		}
		s += "; weak evidence: " + names + " by management walks only, which may leave routes out"
	}
	return s
}

// finding words one finding.
func (v View) finding(number int, f *audit.Finding, c Cures) entry {
	e := entry{number: number, strong: f.Severity.String(), words: summary(f), capturedBehind: f.Marks}
	e.row("effect", effect(f))
	if f.Addresses().Sign() > 0 {
		e.row("addresses", ranges(f, 4)+inParens(amount(f.Addresses())))
	}
	if len(f.Loop) > 0 {
		e.row("round", v.round(f.Loop)...)
	} else {
		name := "captured"
		if f.Kind == audit.NoRoute && !f.Classful {
			name = "attached" // the line that is missing cannot be shown; those of the networks can
		}
		e.row(name, strings.Join(v.somePlaces(f.Marks, 4), ", "))
		if files := v.files(f.Searched); len(files) > 0 {
			e.row("searched", "no line of "+strings.Join(files, ", ")+" covers that")
		}
	}
	mend := append(repairs(f), c.of(f, v.Option)...)
	if n := len(mend); n > maxRepairs {
		mend = append(
			mend[:maxRepairs:maxRepairs],
			fmt.Sprintf("and %d more of that sort (-as json lists all)", n-maxRepairs),
		)
	}
	e.row("mend", mend...)
	if f.Weak {
		e.row(
			"weak",
			"known from a management walk only, which may leave routes out; capture the routing table of "+Clean(
				f.Device,
			),
		)
	}
	e.row("called", f.ID)
	return e
}

// round words the hops of a loop, each with the line that leads on.
func (v View) round(hops []forward.Hop) []string {
	var out []string
	for _, h := range hops {
		s := fmt.Sprintf("%s sends %s %s", Clean(h.Device), h.Prefix, leadsTo(h))
		switch {
		case h.Steered && !h.Prefix.IsValid():
			s = Clean(h.Device) + " sends it " + leadsTo(h) + " by a policy of routing"
		case !h.Prefix.IsValid():
			s = Clean(h.Device) + " sends it on by rules that look at more than the destination"
		}
		if p := v.placeOf(h.Evidence); p != "" {
			s += "  " + p
		}
		out = append(out, s)
	}
	return out
}

// ranges names the first few of the addresses' prefixes and counts the rest.
func ranges(f *audit.Finding, most int) string {
	var first []netip.Prefix
	n := 0
	for p := range f.Prefixes() {
		if n++; n <= most {
			first = append(first, p)
		}
	}
	s := prefixList(first, most)
	if n > most {
		s += " and " + count(n-most, "other", "others")
	}
	return s
}

// leadsTo words where a hop leads.
func leadsTo(h forward.Hop) string {
	if !h.NextHop.IsValid() {
		return to(h.NextHop, h.OutInterface)
	}
	return "to " + to(h.NextHop, h.OutInterface)
}

// files names the files of marks.
func (v View) files(marks []route.Mark) []string {
	var out []string
	for _, m := range marks {
		if p := v.Evidence.Position(m); p.File != "" {
			out = append(out, Clean(p.File))
		}
	}
	return out
}

// somePlaces lists the first few places of marks, each once.
func (v View) somePlaces(marks []route.Mark, most int) []string {
	var out []string
	seen := map[string]bool{}
	for _, m := range marks {
		p := v.place(m)
		if p == "" || seen[p] {
			continue
		}
		seen[p] = true
		if len(out) == most {
			return append(out, "…")
		}
		out = append(out, p)
	}
	return out
}

func (v View) placeOf(marks []route.Mark) string {
	if p := v.somePlaces(marks, 1); len(p) > 0 {
		return p[0]
	}
	return ""
}
