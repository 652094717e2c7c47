package present

import (
	"fmt"
	"strings"

	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
)

// lackWords says what is not known of routing protocols, and what would settle it.
func lackWords(list []settle.Lack) (out []string) {
	for _, l := range list {
		name := l.Protocol.String()
		if l.Family == route.IPv6 && l.Protocol != route.RIPng {
			name += " for IPv6"
		}
		places, configurations := fewOf(l.Places), "configurations"
		if len(l.Places) == 1 {
			configurations = "configuration"
		}
		lists := "" // what tells it as well
		if l.Protocol == route.OSPF {
			lists = " or its lists of interfaces"
		}
		switch l.Kind {
		case settle.AreasNotShown:
			out = append(out, fmt.Sprintf("%s: whether it has one %s; capture the %s%s of %s; if you know that it has one, "+
				"note it (one-area in zarvek help notes)", name, areaWord(l.Protocol), configurations, lists, places))
		case settle.CostsUnknown:
			out = append(out, fmt.Sprintf("%s: what the interfaces %s cost; capture the configurations%s of their devices", name,
				places, lists))
		case settle.NewPorts:
			out = append(out, fmt.Sprintf("%s: whether it runs on %s, and what they cost; capture the configurations%s "+
				"of their devices", name, places, lists))
		case settle.WhatComesFirst:
			out = append(out, fmt.Sprintf("%s: which of the routes that %s hand over between protocols come first; no capture "+
				"tells that, and it may be another one each time", name, places))
		case settle.NobodyTells:
			out = append(out, fmt.Sprintf("%s: the sessions of %s, and what is announced over them; capture the %s, and what "+
				"%s itself lists", name, places, configurations, name))
		}
	}
	return out
}

// areaWord is what a link-state protocol calls its parts.
func areaWord(p route.Protocol) string {
	if p == route.ISIS {
		return "level"
	}
	return "area"
}

// mostPlaces is how many places are named.
const mostPlaces = 6

// fewOf names the first of some places, and counts the others.
func fewOf(places []string) string {
	more := ""
	if n := len(places) - mostPlaces; n > 0 {
		more = fmt.Sprintf(" and %s", count(n, "other", "others"))
		places = places[:mostPlaces]
	}
	clean := make([]string, len(places))
	for i, p := range places {
		clean[i] = Clean(p)
	}
	if n := len(clean) - 1; more == "" && n > 0 {
		return strings.Join(clean[:n], ", ") + " and " + clean[n]
	}
	return strings.Join(clean, ", ") + more
}

// notedWords says on which notes predictions rest.
func (v View) notedWords(list []settle.Noted) (out []string) {
	for _, n := range list {
		out = append(out, fmt.Sprintf("%s has one %s, as %s says", n.Protocol, areaWord(n.Protocol), v.place(n.Mark)))
	}
	return out
}

type jsonLack struct {
	Protocol string   `json:"protocol"`
	Family   string   `json:"family"`
	Kind     string   `json:"lacks"`
	Places   []string `json:"places"`
}

func jsonLacks(list []settle.Lack) []jsonLack {
	out := []jsonLack{}
	for _, l := range list {
		out = append(out, jsonLack{l.Protocol.String(), l.Family.String(), l.Kind.String(), l.Places})
	}
	return out
}

type jsonNoted struct {
	Protocol string      `json:"protocol"`
	Evidence []jsonPlace `json:"evidence"`
}

// jsonNotes are the protocols of which notes say that they have one area.
func (v View) jsonNotes(list []settle.Noted) []jsonNoted {
	out := []jsonNoted{}
	for _, n := range list {
		out = append(out, jsonNoted{n.Protocol.String(), v.places([]route.Mark{n.Mark})})
	}
	return out
}
