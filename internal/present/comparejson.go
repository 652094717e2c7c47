package present

import (
	"io"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/route"
)

type jsonMove struct {
	Verdict   string        `json:"verdict"`
	Prefix    *string       `json:"destination-prefix"`
	NextHop   *string       `json:"next-hop-address"`
	Interface *string       `json:"outgoing-interface"`
	Code      *string       `json:"reason-code"`
	About     jsonArguments `json:"arguments"`
	Evidence  []jsonPlace   `json:"evidence"`
}

type jsonStep struct {
	Device *string    `json:"device"`
	Table  *string    `json:"table"`
	Starts []string   `json:"starts-at,omitempty"`
	Moves  []jsonMove `json:"decisions"`
}

type jsonFate struct {
	Verdict string  `json:"verdict"`
	Packets string  `json:"packets"`
	Ending  *string `json:"ending"`
	Device  *string `json:"device"`
}

type jsonPair struct {
	From   string `json:"from"`
	To     string `json:"to"`
	Beyond bool   `json:"beyond-the-captures,omitempty"`
	Link   bool   `json:"between-devices,omitempty"`
}

type jsonGroup struct {
	Kind    string     `json:"kind"`
	Family  string     `json:"family"`
	Reply   bool       `json:"on-the-way-back"`
	Cause   [2]jsonWas `json:"cause"`
	Pairs   []jsonPair `json:"pairs"`
	Example jsonPair   `json:"example"`
}

// jsonWas is one side of a group: first that of before, then that of after.
type jsonWas struct {
	Side string   `json:"side"`
	Fate jsonFate `json:"fate"`
	Step jsonStep `json:"step"`
}

type jsonMissing struct {
	Device string  `json:"device"`
	Table  *string `json:"table"`
	Family *string `json:"family"`
	What   string  `json:"what"` // device, table or neighbours
	Only   string  `json:"only"`
}

type jsonRouteChange struct {
	Device string      `json:"device"`
	Table  string      `json:"table"`
	Prefix string      `json:"destination-prefix"`
	Was    []jsonRoute `json:"before"`
	Is     []jsonRoute `json:"after"`
}

type jsonFactChange struct {
	Kind      string      `json:"kind"`
	Device    string      `json:"device"`
	Interface *string     `json:"interface"`
	Prefix    *string     `json:"prefix"`
	Family    *string     `json:"family"`
	Was       *string     `json:"before"`
	Is        *string     `json:"after"`
	Evidence  []jsonPlace `json:"evidence"`
}

type jsonFindingChange struct {
	Change string `json:"change"` // new or gone
	jsonFinding
}

type jsonComparison struct {
	Verdict  string              `json:"verdict"`
	Harm     bool                `json:"harm"`
	Counts   map[string]int      `json:"pairs"`
	Missing  []jsonMissing       `json:"only-in-one"`
	Groups   []jsonGroup         `json:"groups"`
	Findings []jsonFindingChange `json:"findings"`
	Routes   []jsonRouteChange   `json:"routes"`
	Facts    []jsonFactChange    `json:"facts"`
}

// CompareJSON writes what differs as one document.
func CompareJSON(w io.Writer, c CompareView, v View) error { return writeJSON(w, v.comparison(c)) }

// comparison is what differs, for machines.
func (v View) comparison(c CompareView) jsonComparison {
	r := c.Result
	doc := jsonComparison{compareHeadline(r), r.Harm(), map[string]int{}, []jsonMissing{}, []jsonGroup{},
		[]jsonFindingChange{},
		[]jsonRouteChange{}, []jsonFactChange{}}
	for k := compare.Worse; k <= compare.OtherEnd; k++ {
		doc.Counts[k.String()] = r.Count(k)
	}
	for _, m := range r.Missing {
		j := jsonMissing{Device: m.Device, Table: text(m.Table), What: "device", Only: "before"}
		switch {
		case m.Neighbours:
			j.What = "neighbours"
		case m.Table != "":
			j.What, j.Family = "table", text(m.Family.String())
			if m.Part {
				j.What = "whole-table"
			}
		}
		if !m.After {
			j.Only = "after"
		}
		doc.Missing = append(doc.Missing, j)
	}
	for i := range r.Groups {
		doc.Groups = append(doc.Groups, v.jsonGroup(&r.Groups[i], c))
	}
	for i := range r.Findings {
		f := &r.Findings[i]
		change, side := "new", 1
		if f.Gone {
			change, side = "gone", 0
		}
		doc.Findings = append(doc.Findings,
			jsonFindingChange{change, v.on(c.Sides[side]).jsonFinding(&f.Finding, Cures{})})
	}
	for _, x := range r.Routes {
		doc.Routes = append(doc.Routes, jsonRouteChange{x.Device, x.Table, x.Prefix.String(),
			v.on(c.Sides[0]).jsonRoutes(x.Was), v.on(c.Sides[1]).jsonRoutes(x.Is)})
	}
	for _, f := range r.Facts {
		doc.Facts = append(doc.Facts, v.jsonFactChange(f, c))
	}
	return doc
}

func (v View) jsonRoutes(list []route.Route) []jsonRoute {
	out := []jsonRoute{}
	for _, r := range list {
		out = append(out, v.jsonRoute(r, []route.Mark{r.Mark}))
	}
	return out
}

// jsonGroup is pairs of one cause for programs, each side with evidence of its own case.
func (v View) jsonGroup(g *compare.Group, c CompareView) jsonGroup {
	j := jsonGroup{
		Kind: g.Kind.String(), Family: g.Family.String(), Reply: g.Reply, Pairs: []jsonPair{},
		Example: jsonPair{From: g.From.String(), To: g.To.String()},
	}
	for i, side := range []string{"before", "after"} {
		f, s := g.Before, g.Was
		if i == 1 {
			f, s = g.After, g.Is
		}
		j.Cause[i] = jsonWas{side, jsonFateOf(f), v.on(c.Sides[i]).jsonStep(s)}
	}
	for _, p := range g.Pairs {
		j.Pairs = append(j.Pairs, jsonPair{p.From.String(), p.To.String(), p.Beyond, p.Link})
	}
	return j
}

func jsonFateOf(f audit.Fate) jsonFate {
	return jsonFate{f.Both.String(), f.Forward.String(), text(f.Ending.String()), text(f.Device)}
}

func (v View) jsonStep(s audit.Step) jsonStep {
	j := jsonStep{Device: text(s.Device), Table: text(s.Table), Starts: s.Starts, Moves: []jsonMove{}}
	for _, m := range s.Moves {
		verdict := m.Verdict.String()
		if verdict == "" {
			verdict = "goes-on"
		}
		j.Moves = append(j.Moves, jsonMove{verdict, prefix(m.Hop.Prefix), address(m.Hop.NextHop),
			text(m.Hop.OutInterface), text(m.Reason.Code.String()), arguments(m.Reason), v.marked(m.Hop.Evidence)})
	}
	return j
}

// jsonFactChange is a difference beside routes for programs.
func (v View) jsonFactChange(f compare.FactChange, c CompareView) jsonFactChange {
	j := jsonFactChange{
		Kind: f.Kind.String(), Device: f.Device, Interface: text(f.Interface), Prefix: prefix(f.Prefix),
		Was: text(f.Was), Is: text(f.Is), Evidence: []jsonPlace{},
	}
	if f.Family != 0 {
		j.Family = text(f.Family.String())
	}
	for i, m := range []route.Mark{f.Before, f.After} {
		j.Evidence = append(j.Evidence, v.on(c.Sides[i]).marked([]route.Mark{m})...)
	}
	return j
}
