package present

import (
	"fmt"
	"io"
	"net/netip"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// WhyText writes a choice: the answer in one sentence, then the reasons in the order in which they decided.
func WhyText(w io.Writer, r forward.Explanation, v View) error {
	c, dev, dst := r.Choice, Clean(r.Device.Name), destination(r.Choice)
	if !c.Match.Found() {
		v.headline(w, false, "%s has no route to %s", dev, dst)
		fmt.Fprintf(w, "\nNone of the %s in its table %s covers it.\n", count(c.Table.Routes.Len(), "route", "routes"), Clean(c.Table.Name))
		v.lost(w, "Seen, but not used", c.Lost)
		return nil
	}
	best := c.Match.Routes[0]
	if len(r.Own) > 0 && best.Special != route.Receive {
		v.headline(w, true, "%s keeps %s: it is its own address%s, which comes before any route", dev, dst, on(r.Own[0].Interface))
		fmt.Fprintf(w, "  captured at %s\n", v.place(r.Own[0].Mark))
		v.lines(w, "  ", []route.Mark{r.Own[0].Mark})
		fmt.Fprintf(w, "\nIts table alone would say: %s %s.\n", dev, sentence(c, dst))
		return nil
	}
	v.headline(w, !c.Match.Refused && (best.Special == route.None || best.Special == route.Receive), "%s %s", dev, sentence(c, dst))
	for i := range c.Match.Routes {
		if !v.Lines {
			fmt.Fprintf(w, "  captured at %s\n", v.place(c.Match.Routes[i].Mark))
		}
		v.lines(w, "  ", c.Table.Evidence(c.Match.Index[i]))
	}
	same, shorter := split(c.Lost, best.Prefix)
	v.longest(w, c, dst, shorter)
	v.rivals(w, c, same)
	v.resolution(w, r)
	v.takesOver(w, c)
	for _, d := range c.Differences {
		fmt.Fprintf(w, "\n%s\n", v.difference(d))
	}
	return nil
}

func on(ifname string) string {
	if ifname == "" {
		return ""
	}
	return " on " + Clean(ifname)
}

func destination(c selection.Choice) string {
	if c.Destination.IsSingleIP() {
		return c.Destination.Addr().String()
	}
	return c.Destination.String()
}

// sentence words the choice.
func sentence(c selection.Choice, dst string) string {
	best := c.Match.Routes[0]
	by := fmt.Sprintf("its %s route %s%s", learned(best.Attributes), best.Prefix, inParens(numbers(best.Attributes)))
	if c.Match.Refused {
		return fmt.Sprintf("chose %s for %s, but its forwarding table did not take it: what packets follow is not known", by, dst)
	}
	switch best.Special {
	case route.None:
		var all []string
		for _, r := range c.Match.Routes {
			all = append(all, ways(r.Attributes)...)
		}
		if len(all) > 1 {
			return fmt.Sprintf("sends %s by %d equal ways: %s, by %s", dst, len(all), strings.Join(all, " and "), by)
		}
		if h := best.Forwarding(); len(h) == 1 && !h[0].Address.IsValid() {
			return fmt.Sprintf("sends %s %s, by %s", dst, all[0], by)
		}
		return fmt.Sprintf("sends %s to %s, by %s", dst, all[0], by)
	case route.Receive:
		return fmt.Sprintf("keeps %s: it is its own address, by %s", dst, by)
	case route.Blackhole:
		return fmt.Sprintf("discards %s silently, by %s", dst, by)
	case route.Unreachable, route.Prohibit:
		return fmt.Sprintf("refuses %s and tells the sender, by %s", dst, by)
	}
	return fmt.Sprintf("treats %s as %s, by %s", dst, best.Special, by)
}

// split parts the losers into those for the winner's own prefix and the others.
func split(all []selection.Lost, p netip.Prefix) (same, other []selection.Lost) {
	for _, l := range all {
		if l.Route.Prefix == p {
			same = append(same, l)
		} else {
			other = append(other, l)
		}
	}
	return same, other
}

func (v View) longest(w io.Writer, c selection.Choice, dst string, shorter []selection.Lost) {
	best := c.Match.Prefix
	if len(shorter) == 0 {
		fmt.Fprintf(w, "\nLongest prefix: %s is the only prefix in the table that covers %s.\n", best, dst)
		return
	}
	fmt.Fprintf(w, "\nLongest prefix: %s is the longest that covers %s and forwards.\n", best, dst)
	v.lostRows(w, shorter)
}

func (v View) rivals(w io.Writer, c selection.Choice, same []selection.Lost) {
	best := c.Match.Routes[0]
	if len(same) == 0 {
		if c.Table.Kernel && !c.Table.Chosen {
			fmt.Fprintf(w, "\nPreference: not shown by a table of what forwards; the routing table would also show candidates that lost.\n")
		} else {
			fmt.Fprintf(w, "\nPreference: no other candidate for %s was captured.\n", best.Prefix)
		}
	} else {
		fmt.Fprintf(w, "\nAmong the candidates for %s:\n", best.Prefix)
		v.lostRows(w, same)
	}
	if n := len(c.Resolutions); n > 1 {
		var parts []string
		total := 0.0
		for _, r := range c.Resolutions {
			total += r.Share
		}
		for _, r := range c.Resolutions {
			parts = append(parts, fmt.Sprintf("%s %.0f %%", to(r.NextHop.Address, r.NextHop.Interface), 100*r.Share/total))
		}
		fmt.Fprintf(w, "\nEqual cost: %s.\n", strings.Join(parts, ", "))
	}
}

// lostRows writes what lost and why.
func (v View) lostRows(w io.Writer, all []selection.Lost) {
	rows := [][]string{}
	for _, l := range all {
		place := v.place(l.Route.Mark)
		if v.Lines { // it stands above the line itself
			place = ""
		}
		rows = append(rows, []string{"lost: " + l.Route.Prefix.String(), learned(l.Route.Attributes), strings.Join(ways(l.Route.Attributes), " and "), lostBy(l), place})
	}
	columns(w, "  ", rows)
	if v.Lines {
		for _, l := range all {
			v.lines(w, "  ", []route.Mark{l.Route.Mark})
		}
	}
}

func (v View) lost(w io.Writer, title string, all []selection.Lost) {
	if len(all) > 0 {
		fmt.Fprintf(w, "\n%s:\n", title)
		v.lostRows(w, all)
	}
}

// lostBy words the rule by which a candidate lost.
func lostBy(l selection.Lost) string {
	a, b := l.Route, l.Against
	switch l.Why {
	case selection.ShorterPrefix:
		return "shorter prefix"
	case selection.Preference:
		if l.Assumed {
			return fmt.Sprintf("preference %s, after %s (0 assumed)", number(a.Preference), b.Protocol)
		}
		return fmt.Sprintf("preference %s, after %s", number(a.Preference), number(b.Preference))
	case selection.PathType:
		return fmt.Sprintf("path type %s, after %s, whatever the metric", orWord(a.Subtype, "intra-area"), orWord(b.Subtype, "intra-area"))
	case selection.Metric:
		return fmt.Sprintf("metric %s, after %s", number(a.Metric), number(b.Metric))
	case selection.Unusable:
		return "the device shows it as inactive"
	case selection.NotInstalled:
		return "chosen, but what forwards does not have it"
	case selection.AgainstRules:
		return fmt.Sprintf("by preference (%s before %s) it should have won; the device chose otherwise", number(a.Preference), number(b.Preference))
	}
	return "not chosen; the capture does not show by which rule"
}

func orWord(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

func (v View) resolution(w io.Writer, r forward.Explanation) {
	if len(r.Choice.Resolutions) == 0 {
		return
	}
	fmt.Fprintln(w, "\nNext hop:")
	for i, res := range r.Choice.Resolutions {
		if res.Failure != selection.Resolved {
			fmt.Fprintf(w, "  %s cannot be resolved: %s\n", to(res.NextHop.Address, res.NextHop.Interface), failureWords[res.Failure])
			continue
		}
		for j, e := range res.Exits {
			s := to(e.Address, e.Interface)
			for _, via := range e.Via {
				s += fmt.Sprintf(", resolved by %s %s", learned(via.Attributes), via.Prefix)
			}
			fmt.Fprintf(w, "  %s%s\n", s, owner(r.Owners[i][j], e))
		}
	}
}

var failureWords = map[selection.Failure]string{
	selection.NoRoute: "no route covers it", selection.Cycle: "its resolution goes in a circle",
	selection.ThroughSelf:  "nothing but the route itself covers it",
	selection.DiscardedHop: "the route that covers it discards", selection.NoNextHop: "no next hop is shown that can be used",
	selection.NotReadable: "the forwarding table did not take the route that covers it", selection.TooLong: "it leads through too many routes",
}

// owner words who answers for an exit's address.
func owner(o topology.OnLink, e selection.Exit) string {
	if !e.Address.IsValid() {
		return ": the destination itself is looked for there"
	}
	switch o.Answer {
	case topology.Device:
		return fmt.Sprintf(" is %s (%s)", Clean(o.Device.Name), o.Confidence)
	case topology.Host:
		return ": an uncaptured device that has answered"
	case topology.Nobody:
		return ": nobody answered"
	case topology.Down:
		return fmt.Sprintf(": %s, whose interface %s is down", Clean(o.Device.Name), Clean(o.Interface))
	case topology.Elsewhere:
		return fmt.Sprintf(": belongs to %s, which is not on that link", Clean(o.Device.Name))
	case topology.Several:
		return ": several captured devices have it"
	case topology.Conflict:
		return fmt.Sprintf(": belongs to %s, but did not answer", Clean(o.Device.Name))
	}
	return ": no capture shows who has it"
}

func (v View) takesOver(w io.Writer, c selection.Choice) {
	best := c.Match.Routes[0]
	switch {
	case best.Special == route.Receive:
		return
	case c.TakesOver == nil:
		fmt.Fprintf(w, "\nIf %s went, nothing that was captured would take over.\n", best.Prefix)
		return
	}
	t := c.TakesOver.Route
	s := fmt.Sprintf("%s %s%s: %s", learned(t.Attributes), t.Prefix, inParens(numbers(t.Attributes)), strings.Join(ways(t.Attributes), " and "))
	fmt.Fprintf(w, "\nIf it went, this would take over: %s\n", s)
}

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
	selection.NotInstalled: "not-installed", selection.AgainstRules: "device-choice",
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
		Candidates  []jsonLost       `json:"candidates"`
		Resolution  []jsonResolution `json:"resolution"`
		TakesOver   *jsonRoute       `json:"takes-over"`
	}{Device: r.Device.Name, Table: c.Table.Name, Destination: destination(c), Refused: c.Match.Refused,
		Candidates: []jsonLost{}, Resolution: []jsonResolution{}}
	for i, m := range c.Match.Routes {
		j := v.jsonRoute(m, c.Table.Evidence(c.Match.Index[i]))
		if i == 0 {
			doc.Chosen = &j
		} else {
			doc.AlsoChosen = append(doc.AlsoChosen, j)
		}
	}
	for _, l := range c.Lost {
		doc.Candidates = append(doc.Candidates, jsonLost{v.jsonRoute(l.Route, c.Table.Evidence(l.Index)), becauseCodes[l.Why], lostBy(l)})
	}
	for i, res := range c.Resolutions {
		if res.Failure != selection.Resolved {
			doc.Resolution = append(doc.Resolution, jsonResolution{NextHop: address(res.NextHop.Address), Interface: text(res.NextHop.Interface),
				Via: []jsonRoute{}, Sure: topology.NotKnown.String(), Share: res.Share, Failure: text(failureWords[res.Failure])})
		}
		for k, e := range res.Exits {
			o := r.Owners[i][k]
			j := jsonResolution{NextHop: address(e.Address), Interface: text(e.Interface), Via: []jsonRoute{}, Sure: o.Confidence.String(),
				Share: res.Share / float64(len(res.Exits))}
			if o.Device != nil {
				j.Owner = text(o.Device.Name)
			}
			for _, via := range e.Via {
				j.Via = append(j.Via, v.jsonRoute(via, []route.Mark{via.Mark}))
			}
			doc.Resolution = append(doc.Resolution, j)
		}
	}
	if c.TakesOver != nil {
		j := v.jsonRoute(c.TakesOver.Route, c.Table.Evidence(c.TakesOver.Index))
		doc.TakesOver = &j
	}
	return writeJSON(w, doc)
}
