package present

import (
	"io"

	"zarvek/internal/core/change"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

type jsonLost struct {
	jsonRoute
	Because string `json:"rejected-because"`
	Detail  string `json:"rejected-detail"`
}

type jsonResolution struct {
	NextHop   *string     `json:"next-hop-address"`
	Interface *string     `json:"outgoing-interface"`
	Via       []jsonRoute `json:"resolved-by"`
	Owner     *string     `json:"owner"`
	Sure      string      `json:"owner-confidence"`
	Share     float64     `json:"share"`
	Failure   *string     `json:"failure"`
}

var becauseCodes = map[selection.Why]string{
	selection.NotChosen: "not-chosen", selection.ShorterPrefix: "shorter-prefix", selection.Preference: "preference",
	selection.PathType: "path-type", selection.Metric: "metric", selection.Unusable: "inactive",
	selection.NotInstalled: "not-installed", selection.AgainstRules: "device-choice", selection.Level: "level",
	selection.Weight:          "weight",
	selection.LocalPreference: "local-preference", selection.PathLength: "path-length", selection.Origin: "origin",
	selection.MultiExit:     "multi-exit",
	selection.ExternalFirst: "kind-of-peer", selection.ClassBarred: "classful-lookup",
	selection.OnlyConfigured: "only-configured",
}

type jsonStatic struct {
	jsonRoute
	Fate    string `json:"fate"`
	Detail  string `json:"fate-detail"`
	Assumed bool   `json:"preference-assumed"`
}

// jsonStatic is a configured route with its fate, for programs.
func (v View) jsonStatic(s selection.Configured) jsonStatic {
	j := jsonStatic{
		v.jsonRoute(s.Route, s.Lines()),
		fateCodes[s.Fate],
		"",
		s.Assumed && !s.Static.Preference.Known,
	}
	if s.Fate == selection.InUse {
		j.Active, j.Installed = true, true
	} else {
		j.Detail = fateWords(s)
	}
	return j
}

type jsonRemark struct {
	Kind    string     `json:"kind"`
	Route   jsonRoute  `json:"route"`
	Against *jsonRoute `json:"against,omitempty"`
}

var fateCodes = map[selection.Fate]string{
	selection.NotShown:        "not-shown",
	selection.InUse:           "in-use",
	selection.Standby:         "standby",
	selection.HopUnresolved:   "next-hop-unresolved",
	selection.HopUntold:       "next-hop-untold",
	selection.HopByDefault:    "next-hop-by-default-only",
	selection.InterfaceDown:   "interface-down",
	selection.InterfaceGone:   "interface-missing",
	selection.Deactivated:     "deactivated",
	selection.RefusedToUse:    "refused-by-forwarding-table",
	selection.AgainstTheOrder: "against-the-order",
	selection.ObjectDown:      "tracked-object-down",
	selection.SessionDown:     "session-down",
}

var remarkCodes = map[selection.RemarkKind]string{
	selection.ReplacesLearned:   "static-replaces-learned",
	selection.LongerThanLearned: "longer-prefix-wins-always",
	selection.BackupInUse:       "backup-in-use",
	selection.BackupUseless:     "backup-useless",
	selection.Swallows:          "swallows",
	selection.OneHopShown:       "one-next-hop-shown",
}

var outcomeCodes = map[change.Outcome]string{
	change.CouldNotBeUsed: "could-not-be-used",
	change.WouldBeAlone:   "would-be-used",
	change.WouldReplace:   "would-replace",
	change.WouldWait:      "would-wait",
	change.WouldTie:       "undecided",
}

// WishJSON writes how a route that was not added would fare.
func WishJSON(w io.Writer, device string, x change.Fare, v View) error {
	doc := struct {
		Device  string      `json:"device"`
		Route   jsonStatic  `json:"route"`
		Outcome string      `json:"outcome"`
		Already bool        `json:"already-there"`
		InUse   *jsonRoute  `json:"in-use-now"`
		Follows *jsonRoute  `json:"its-addresses-follow-now"`
		Keeps   []jsonRoute `json:"longer-routes-inside"`
	}{Device: device, Route: v.jsonStatic(x.Configured), Outcome: outcomeCodes[x.Outcome], Already: x.Already,
		Keeps: []jsonRoute{}}
	doc.Route.Evidence = nil
	if x.Winner.Prefix.IsValid() {
		j := v.jsonRoute(x.Winner, []route.Mark{x.Winner.Mark})
		doc.InUse = &j
	} else if x.Takes.Found() {
		j := v.jsonRoute(x.Takes.Routes[0], []route.Mark{x.Takes.Routes[0].Mark})
		doc.Follows = &j
	}
	for _, k := range x.Keeps {
		doc.Keeps = append(doc.Keeps, v.jsonRoute(k, []route.Mark{k.Mark}))
	}
	return writeJSON(w, doc)
}

// ReverseJSON writes how the source checks judge packets from an address.
func ReverseJSON(w io.Writer, device string, r selection.Reverse, v View) error {
	doc := struct {
		Device      string     `json:"device"`
		Source      string     `json:"source"`
		Interface   string     `json:"in-interface"`
		Strict      bool       `json:"strict"`
		Feasible    bool       `json:"feasible"`
		Loose       bool       `json:"loose"`
		DefaultOnly bool       `json:"default-only"`
		Back        *jsonRoute `json:"route-back"`
	}{device, r.Source.String(), r.Interface, r.Strict, r.Feasible, r.Loose, r.DefaultOnly, nil}
	if r.Best.Found() {
		j := v.jsonRoute(r.Best.Routes[0], r.Best.Table.Evidence(r.Best.Index[0]))
		doc.Back = &j
	}
	return writeJSON(w, doc)
}

// WhyJSON writes a choice by the JSON contract.
func WhyJSON(w io.Writer, r forward.Explanation, v View) error {
	c := r.Choice
	doc := struct {
		Device      string           `json:"device"`
		Table       string           `json:"table"`
		Destination string           `json:"destination"`
		Chosen      *jsonRoute       `json:"chosen"`
		AlsoChosen  []jsonRoute      `json:"also-chosen,omitempty"`
		Refused     bool             `json:"refused-by-forwarding-table"`
		Contradict  bool             `json:"captures-contradict,omitempty"`
		Candidates  []jsonLost       `json:"candidates"`
		Resolution  []jsonResolution `json:"resolution"`
		TakesOver   *jsonRoute       `json:"takes-over"`
		Neighbours  []string         `json:"takes-over-by-the-same,omitempty"`
		WithoutThem *jsonRoute       `json:"without-these,omitempty"`
		Configured  []jsonStatic     `json:"configured-statics"`
		Remarks     []jsonRemark     `json:"remarks"`
		CannotTell  *jsonCannotTell  `json:"cannot-tell,omitempty"`
		Supposed    bool             `json:"table-supposed,omitempty"`
	}{Supposed: c.Table.Supposed, Configured: []jsonStatic{}, Remarks: []jsonRemark{}, Device: r.Device.Name,
		Table: c.Table.Name, Destination: destination(c), Refused: c.Match.Refused, Contradict: c.Match.Contradiction != nil,
		Candidates: []jsonLost{}, Resolution: []jsonResolution{}}
	if why, mark, unknown := r.CannotTell(); unknown {
		doc.CannotTell = &jsonCannotTell{Because: why.String(), Evidence: v.marked([]route.Mark{mark}),
			Capture: text(captureNext(r))}
	}
	for i, m := range c.Match.Routes {
		j := v.jsonRoute(m, c.Table.Evidence(c.Match.Index[i]))
		if i == 0 {
			doc.Chosen = &j
		} else {
			doc.AlsoChosen = append(doc.AlsoChosen, j)
		}
	}
	for _, l := range c.Lost {
		doc.Candidates = append(
			doc.Candidates,
			jsonLost{v.jsonRoute(l.Route, c.Table.Evidence(l.Index)), becauseCodes[l.Why], lostBy(l)},
		)
	}
	for i, res := range c.Resolutions {
		if res.Failure != selection.Resolved {
			doc.Resolution = append(
				doc.Resolution,
				jsonResolution{NextHop: address(res.NextHop.Address), Interface: text(res.NextHop.Interface),
					Via: []jsonRoute{}, Sure: topology.NotKnown.String(), Share: res.Share,
					Failure: text(failureWords[res.Failure])},
			)
		}
		for k, e := range res.Exits {
			o := r.Owners[i][k]
			j := jsonResolution{
				NextHop:   address(e.Address),
				Interface: text(e.Interface),
				Via:       []jsonRoute{},
				Sure:      o.Confidence.String(),
				Share:     res.Share / float64(len(res.Exits)),
			}
			if o.Device != nil {
				j.Owner = text(o.Device.Name)
			}
			for _, via := range e.Via {
				j.Via = append(j.Via, v.jsonRoute(via, []route.Mark{via.Mark}))
			}
			doc.Resolution = append(doc.Resolution, j)
		}
	}
	doc.TakesOver, doc.WithoutThem = v.jsonSuccessor(c, c.TakesOver), v.jsonSuccessor(c, c.WithoutThem)
	for _, a := range c.Neighbours {
		doc.Neighbours = append(doc.Neighbours, a.String())
	}
	for _, s := range c.Statics {
		doc.Configured = append(doc.Configured, v.jsonStatic(s))
	}
	for _, m := range c.Remarks {
		j := jsonRemark{Kind: remarkCodes[m.Kind], Route: v.jsonRoute(m.Route, []route.Mark{m.Route.Mark})}
		if m.Against.Prefix.IsValid() {
			a := v.jsonRoute(m.Against, []route.Mark{m.Against.Mark})
			j.Against = &a
		}
		doc.Remarks = append(doc.Remarks, j)
	}
	return writeJSON(w, doc)
}

// jsonSuccessor is a route that would be used in another's place, nil for none.
func (v View) jsonSuccessor(c selection.Choice, l *selection.Lost) *jsonRoute {
	if l == nil {
		return nil
	}
	marks := []route.Mark{l.Route.Mark}
	if l.Index >= 0 {
		marks = c.Table.Evidence(l.Index)
	}
	j := v.jsonRoute(l.Route, marks)
	return &j
}
