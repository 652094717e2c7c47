package present

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// The JSON structs below are the contract of the program's output: names are added, never changed.

type jsonPlace struct {
	File string `json:"file"`
	Line int    `json:"line"`
	Text string `json:"text,omitempty"`
}

type jsonNextHop struct {
	Address   *string `json:"next-hop-address"`
	Interface *string `json:"outgoing-interface"`
	Table     *string `json:"next-hop-table,omitempty"`
	Weight    uint32  `json:"weight"`
	Selected  bool    `json:"selected,omitempty"` // among equals, where the device tells
	Recursive bool    `json:"recursive,omitempty"`
	Resolves  bool    `json:"resolves-recursive,omitempty"`
	Inactive  bool    `json:"inactive,omitempty"`
	Backup    bool    `json:"backup,omitempty"`
	Down      bool    `json:"interface-down,omitempty"`
	OnLink    bool    `json:"on-link,omitempty"`
	Inside    bool    `json:"encapsulated,omitempty"`
}

type jsonRoute struct {
	Prefix     string        `json:"destination-prefix"`
	Protocol   string        `json:"source-protocol"`
	Subtype    *string       `json:"subtype"`
	Preference *uint64       `json:"route-preference"`
	Metric     *uint64       `json:"metric"`
	Active     bool          `json:"active"`
	Installed  bool          `json:"installed"`
	Rejected   bool          `json:"rejected,omitempty"`
	Unusable   bool          `json:"unusable,omitempty"`
	Special    *string       `json:"special-next-hop"`
	NextHops   []jsonNextHop `json:"next-hops"`
	Evidence   *jsonPlace    `json:"evidence"`
	More       []jsonPlace   `json:"more-evidence,omitempty"`
}

// jsonRoute is a route for programs. Numbers that the capture does not tell are null, not 0.
func (v View) jsonRoute(r route.Route, marks []route.Mark) jsonRoute {
	j := jsonRoute{
		Prefix: r.Prefix.String(), Protocol: r.Protocol.String(), Subtype: text(r.Subtype),
		Preference: value(r.Preference), Metric: value(r.Metric), Special: text(r.Special.String()),
		Active: r.Is(route.Active), Installed: r.Is(route.Installed), NextHops: []jsonNextHop{},
		Rejected: r.Is(route.Rejected), Unusable: r.Is(route.Unusable),
	}
	for _, h := range r.NextHops {
		j.NextHops = append(
			j.NextHops,
			jsonNextHop{
				address(h.Address), text(h.Interface), text(h.Table), max(h.Weight, 1), h.Installed,
				h.Recursive, h.Resolves, h.Inactive, h.Backup, h.Down, h.OnLink, h.Encapsulated,
			},
		)
	}
	all := v.places(marks)
	if len(all) > 0 {
		j.Evidence, j.More = &all[0], all[1:]
	}
	return j
}

// places resolves marks; the captured text is added when it is asked for.
func (v View) places(marks []route.Mark) []jsonPlace {
	out := []jsonPlace{}
	for _, m := range marks {
		p := v.Evidence.Position(m)
		if p.File == "" {
			continue
		}
		j := jsonPlace{File: p.File, Line: p.Line}
		if v.Lines {
			j.Text = string(v.Evidence.Text(m))
		}
		out = append(out, j)
	}
	return out
}

// text returns nil for "".
func text(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

func value(n route.Number) *uint64 {
	if !n.Known {
		return nil
	}
	return &n.Value
}

func address(a netip.Addr) *string {
	if !a.IsValid() {
		return nil
	}
	return text(a.String())
}

func prefix(p netip.Prefix) *string {
	if !p.IsValid() {
		return nil
	}
	return text(p.String())
}
