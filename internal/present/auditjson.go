package present

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"zarvek/internal/core/audit"
)

type jsonAffected struct {
	Sources      []string `json:"sources"` // networks
	Destinations []string `json:"destinations"`
	Lost         string   `json:"lost"`   // packets or replies
	Partly       bool     `json:"partly"` // not all addresses of the networks, or not all equal ways
	// where not all addresses of the networks are concerned: which are, as prefixes, addresses and ranges of them
	From []string `json:"source-addresses,omitempty"`
	To   []string `json:"destination-addresses,omitempty"`
	Some bool     `json:"some-ways,omitempty"` // of equal ways
}

type jsonRepair struct {
	Code      string  `json:"code"`
	Text      string  `json:"text"`
	Device    *string `json:"device"`
	Prefix    *string `json:"destination-prefix"`
	NextHop   *string `json:"next-hop-address"`
	Interface *string `json:"outgoing-interface"`
	Towards   *string `json:"towards"`
	Proved    bool    `json:"proved,omitempty"` // by a comparison of all pairs with the network as it would be
}

type jsonFinding struct {
	Kind      string         `json:"kind"`
	Severity  string         `json:"severity"`
	ID        string         `json:"id"`
	Device    *string        `json:"device"`
	Table     *string        `json:"table"`
	Family    *string        `json:"family"`
	Addresses []string       `json:"addresses"`
	Count     string         `json:"address-count"`
	Verdict   *string        `json:"verdict"`
	OneWay    bool           `json:"one-way"`
	Weak      bool           `json:"weak-evidence,omitempty"`
	Reason    *string        `json:"reason-code"`
	Summary   string         `json:"summary"`
	Effect    *string        `json:"effect"`
	Pairs     int            `json:"pairs"`
	Affected  []jsonAffected `json:"affected"`
	Loop      []string       `json:"loop,omitempty"`
	Repair    []jsonRepair   `json:"repair"`
	Evidence  []jsonPlace    `json:"evidence"`
	Searched  []string       `json:"searched-in,omitempty"`
	Accepted  *string        `json:"accepted-because,omitempty"`
}

type jsonCoverage struct {
	Family   string   `json:"family"`
	Ranges   int      `json:"ranges"`
	Classes  int      `json:"classes"`
	Ends     int      `json:"ends"`
	Followed int      `json:"pairs-followed"`
	Weak     []string `json:"weak-devices"`
}

// AuditJSON writes the findings as one document.
func AuditJSON(w io.Writer, a AuditView, v View) error {
	doc := struct {
		Findings []jsonFinding  `json:"findings"`
		Accepted []jsonFinding  `json:"accepted"`
		Gone     []string       `json:"accepted-and-gone"`
		Hidden   int            `json:"below-the-severity"`
		Searched []jsonCoverage `json:"searched"`
	}{[]jsonFinding{}, []jsonFinding{}, append([]string{}, a.Gone...), a.Hidden, []jsonCoverage{}}
	for i := range a.Findings {
		doc.Findings = append(doc.Findings, v.jsonFinding(&a.Findings[i], a.Cures))
	}
	for i := range a.Accepted {
		j := v.jsonFinding(&a.Accepted[i].Finding, a.Cures)
		j.Accepted = &a.Accepted[i].Reason
		doc.Accepted = append(doc.Accepted, j)
	}
	for _, c := range a.Result.Families {
		doc.Searched = append(
			doc.Searched,
			jsonCoverage{c.Family.String(), c.Ranges, c.Classes, c.Ends, c.Followed, append([]string{}, c.Weak...)},
		)
	}
	return writeJSON(w, doc)
}

// jsonFinding is a finding for programs: the codes beside the words, and repairs both by words and as orders for
// rehearse.
func (v View) jsonFinding(f *audit.Finding, c Cures) jsonFinding {
	j := jsonFinding{
		Kind:      string(f.Kind),
		Severity:  f.Severity.String(),
		ID:        f.ID,
		Device:    text(f.Device),
		Table:     text(f.Table),
		Addresses: []string{},
		Count: f.Addresses().
			String(),
		Verdict:  text(f.Verdict.String()),
		OneWay:   f.OneWay,
		Weak:     f.Weak,
		Reason:   text(f.Reason.Code.String()),
		Summary:  summary(f),
		Effect:   text(effect(f)),
		Pairs:    f.Pairs,
		Affected: affected(f),
		Repair:   []jsonRepair{},
		Evidence: v.places(f.Marks),
		Searched: v.files(f.Searched),
	}
	if f.Family != 0 {
		j.Family = text(f.Family.String())
	}
	for p := range f.Prefixes() {
		j.Addresses = append(j.Addresses, p.String())
	}
	for _, h := range f.Loop {
		j.Loop = append(j.Loop, h.Device)
	}
	for _, r := range f.Repair {
		if byRoutes(r.Kind) {
			continue
		}
		j.Repair = append(j.Repair, jsonRepair{Code: r.Kind.String(), Text: repairWords(r), Device: text(r.Device),
			Prefix:  prefix(r.Prefix),
			NextHop: address(r.NextHop), Interface: text(r.Interface), Towards: text(r.Other)})
	}
	j.Repair = append(j.Repair, c.jsonOf(f)...)
	return j
}

// affected tells what is lost by networks, and by addresses where that is not all of them.
func affected(f *audit.Finding) []jsonAffected {
	out := []jsonAffected{}
	for b := range f.Breakages() {
		j := jsonAffected{Lost: "packets", Partly: b.Partly(), Some: b.Split}
		if b.Reply {
			j.Lost = "replies"
		}
		j.Sources, j.From = endWords(b.From)
		j.Destinations, j.To = endWords(b.To)
		out = append(out, j)
	}
	return out
}

// endWords tells ends by their networks and, where they are not all of them, by addresses.
func endWords(ends []audit.Ends) (networks, addresses []string) {
	exact := false
	for _, e := range ends {
		networks = append(networks, e.Network.String())
		exact = exact || e.Addresses != nil
	}
	if !exact {
		return networks, nil
	}
	for _, e := range ends {
		if e.Addresses == nil {
			addresses = append(addresses, e.Network.String())
		}
		for _, r := range e.Addresses {
			q, is := r.Prefix()
			switch {
			case r.From() == r.To():
				addresses = append(addresses, r.From().String())
			case is:
				addresses = append(addresses, q.String())
			default:
				addresses = append(addresses, r.String())
			}
		}
	}
	return networks, addresses
}

// AuditCSV writes one line for each finding.
func AuditCSV(out io.Writer, a AuditView, v View) error {
	w := csv.NewWriter(out)
	if err := w.Write([]string{"id", "severity", "kind", "device", "table", "family", "pairs", "addresses",
		"address-count", "summary", "effect", "repair", "captured-at"}); err != nil {
		return err
	}
	for i := range a.Findings {
		f := &a.Findings[i]
		family := ""
		if f.Family != 0 {
			family = f.Family.String()
		}
		row := []string{
			f.ID,
			f.Severity.String(),
			string(f.Kind),
			f.Device,
			f.Table,
			family,
			fmt.Sprint(f.Pairs),
			prefixWords(f),
			f.Addresses().String(),
			summary(f),
			effect(f),
			strings.Join(repairs(f), "; "),
			strings.Join(v.somePlaces(f.Marks, 20), " "),
		}
		for k := range row {
			row[k] = defuse(row[k])
		}
		if err := w.Write(row); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

func prefixWords(f *audit.Finding) string {
	var parts []string
	for p := range f.Prefixes() {
		parts = append(parts, p.String())
	}
	return strings.Join(parts, " ")
}

// AuditKinds lists the kinds of findings.
func AuditKinds(w io.Writer, v View) error {
	rows := [][]string{{"kind", "what it is"}}
	for _, k := range audit.Kinds() {
		rows = append(rows, []string{string(k), k.What()})
	}
	columns(w, "", rows)
	return nil
}
