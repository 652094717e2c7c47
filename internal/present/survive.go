package present

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/compare"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/survive"
)

// SurviveText writes what every failure costs, the most harmful first.
func SurviveText(w io.Writer, r *survive.Result, all, cut bool, v View) error {
	v.headline(w, survivesAll(r), "%s", surviveHeadline(r, cut))
	rows := [][]string{{"fails", "networks that lose", "pairs lost", "cannot be told", "another way", "takes over"}}
	quiet := 0
	for i := range r.Outcomes {
		o := &r.Outcomes[i]
		if !o.Noticed() && !all {
			quiet++
			continue
		}
		if len(rows) > maxFailures && !all {
			continue
		}
		rows = append(rows, []string{kindOfFailure(o), losers(o.Lost), grouped(len(o.Lost)), grouped(o.Untold),
			grouped(o.Rerouted), takesOverWords(o)})
	}
	if len(rows) > 1 {
		fmt.Fprintln(w)
		columns(w, "  ", rows)
	}
	if n := len(r.Outcomes) - quiet - (len(rows) - 1); n > 0 && !all {
		fmt.Fprintf(w, "  and %d more that are noticed (-all shows them)\n", n)
	}
	var d document
	d.listed("Assumed", v.notedWords(r.Noted), 1<<30)
	d.listed("Not known, and what would settle it", lackWords(r.Lacks), 1<<30)
	d.listed("Networks that hang on one thing alone", singleWords(r), limit(all))
	d.listed("Backups that come in and do not carry", v.deadBackups(r), limit(all))
	if quiet > 0 {
		d.add(paragraph{words: fmt.Sprintf("Nobody among the hosts notices the loss of %s (-all lists them).",
			count(quiet, "other thing", "other things"))})
	}
	if len(d.parts) > 0 {
		fmt.Fprintln(w)
	}
	d.writeText(w, v)
	return nil
}

// maxFailures is how many failures are listed without -all.
const maxFailures = 25

func limit(all bool) int {
	if all {
		return 1 << 30
	}
	return maxChanges
}

func survivesAll(r *survive.Result) bool {
	return !slices.ContainsFunc(r.Outcomes, func(o survive.Outcome) bool { return len(o.Lost)+o.Untold > 0 })
}

// surviveHeadline is the answer in one line. Cut says that the search was ended before all failures were tried.
func surviveHeadline(r *survive.Result, cut bool) string {
	harm, untold := 0, 0
	for _, o := range r.Outcomes {
		if len(o.Lost) > 0 {
			harm++
		} else if o.Untold > 0 {
			untold++
		}
	}
	s := fmt.Sprintf("%d of %s cut networks with hosts off from each other", harm,
		count(len(r.Outcomes), "failure", "failures"))
	if harm == 0 {
		s = fmt.Sprintf("none of %s surely cuts a network with hosts off",
			count(len(r.Outcomes), "failure", "failures"))
	}
	if untold > 0 {
		s += fmt.Sprintf("; of %d it cannot be told", untold)
	}
	if cut {
		s += "; the search was ended early"
	}
	return s
}

func kindOfFailure(o *survive.Outcome) string {
	return o.Failure.Kind.String() + " " + Clean(o.Failure.Name)
}

// losers counts the networks that lose most, and names them where they are few.
func losers(lost []compare.Pair) string {
	if len(lost) == 0 {
		return "-"
	}
	hubs := hubsOf(lost)
	if len(hubs) > maxHubs {
		in := map[netip.Prefix]bool{}
		for _, p := range lost {
			in[p.From], in[p.To] = true, true
		}
		return fmt.Sprintf("%d networks", len(in))
	}
	return prefixList(hubs, 1)
}

// takesOverWords says what comes in place of what failed.
func takesOverWords(o *survive.Outcome) string {
	var parts []string
	if n := len(o.CameIn); n > 0 {
		parts = append(parts, count(n, "backup", "backups"))
	}
	if o.Predicted > 0 {
		parts = append(parts, fmt.Sprintf("%d predicted", o.Predicted))
	}
	if o.Open > 0 {
		parts = append(parts, fmt.Sprintf("%d untold", o.Open))
	}
	if len(parts) == 0 {
		return "nothing"
	}
	return strings.Join(parts, ", ")
}

// singleWords names the networks that hang on single devices or links.
func singleWords(r *survive.Result) []string {
	var out []string
	for _, s := range r.Singles {
		names := s.On
		more := ""
		if len(names) > 4 {
			more = fmt.Sprintf(" and %d others", len(names)-4)
			names = names[:4]
		}
		out = append(out, fmt.Sprintf("%s on %s%s", s.Network, Clean(strings.Join(names, ", ")), more))
	}
	return out
}

func (v View) deadBackups(r *survive.Result) []string {
	var out []string
	for _, o := range r.Outcomes {
		for _, m := range o.Dead {
			out = append(out, fmt.Sprintf("%s: %s for %s, when %s fails", Clean(m.Device), v.routeList(onlyInUse(m)),
				m.Prefix, Clean(o.Failure.Name)))
		}
	}
	return out
}

type jsonOutcome struct {
	Kind      string      `json:"kind"`
	Name      string      `json:"fails"`
	Lost      []jsonPair  `json:"lost"`
	Untold    int         `json:"pairs-untold"`
	Rerouted  int         `json:"pairs-another-way"`
	CameIn    []jsonMoved `json:"backups"`
	Predicted int         `json:"routes-predicted"`
	Open      int         `json:"routes-untold"`
	Dead      []jsonMoved `json:"backups-that-do-not-carry"`
}

type jsonSingle struct {
	Network string   `json:"network"`
	On      []string `json:"hangs-on"`
}

// SurviveJSON writes every failure as one document.
func SurviveJSON(w io.Writer, r *survive.Result, cut bool, v View) error {
	doc := struct {
		Failures []jsonOutcome `json:"failures"`
		Singles  []jsonSingle  `json:"single-points"`
		Early    bool          `json:"ended-early"`
		Lacks    []jsonLack    `json:"would-settle"`
		OneArea  []jsonNoted   `json:"one-area"`
	}{[]jsonOutcome{}, []jsonSingle{}, cut, jsonLacks(r.Lacks), v.jsonNotes(r.Noted)}
	for _, o := range r.Outcomes {
		j := jsonOutcome{o.Failure.Kind.String(), o.Failure.Name, []jsonPair{}, o.Untold, o.Rerouted,
			v.jsonMoves(o.CameIn),
			o.Predicted, o.Open, v.jsonMoves(o.Dead)}
		for _, p := range o.Lost {
			j.Lost = append(j.Lost, jsonPair{From: p.From.String(), To: p.To.String()})
		}
		doc.Failures = append(doc.Failures, j)
	}
	for _, s := range r.Singles {
		doc.Singles = append(doc.Singles, jsonSingle{s.Network.String(), s.On})
	}
	return writeJSON(w, doc)
}

func (v View) jsonMoves(moves []settle.Move) []jsonMoved {
	out := []jsonMoved{}
	for _, m := range moves {
		out = append(out, jsonMoved{m.Kind.String(), m.Device, m.Table, m.Prefix.String(), v.jsonRoutes(m.Was),
			v.jsonRoutes(m.Is)})
	}
	return out
}
