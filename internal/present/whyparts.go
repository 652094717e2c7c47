package present

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// ruleWords words the rule by which one candidate came before another.
var ruleWords = map[selection.Why]string{
	selection.PathType:        "path type",
	selection.Level:           "level",
	selection.Weight:          "weight",
	selection.LocalPreference: "local preference",
	selection.PathLength:      "length of the AS path",
	selection.Origin:          "origin",
	selection.MultiExit:       "multi-exit discriminator",
	selection.ExternalFirst:   "kind of peer",
	selection.Metric:          "metric",
	selection.Preference:      "preference",
}

// lostBy words the rule by which a candidate lost.
func lostBy(l selection.Lost) string {
	a, b := l.Route, l.Against
	s := ""
	switch l.Why {
	case selection.ShorterPrefix:
		s = "shorter prefix"
	case selection.Preference:
		s = fmt.Sprintf("preference %s, after %s", number(a.Preference), number(b.Preference))
		if !b.Preference.Known {
			s = fmt.Sprintf("preference %s, after %s (0 assumed)", number(a.Preference), b.Protocol)
		}
	case selection.PathType:
		s = fmt.Sprintf(
			"path type %s, after %s, whatever the metric",
			orWord(a.Subtype, "intra-area"),
			orWord(b.Subtype, "intra-area"),
		)
	case selection.Level:
		s = fmt.Sprintf("%s, after %s, whatever the metric", a.Subtype, b.Subtype)
	case selection.Weight:
		s = fmt.Sprintf("weight %s, after %s", number(a.BGP.Weight), number(b.BGP.Weight))
	case selection.LocalPreference:
		s = fmt.Sprintf("local preference %s, after %s", number(a.BGP.LocalPreference), number(b.BGP.LocalPreference))
	case selection.PathLength:
		s = fmt.Sprintf("AS path of %s, after %s", number(a.BGP.Length), number(b.BGP.Length))
	case selection.MultiExit:
		s = fmt.Sprintf("multi-exit discriminator %s, after %s", number(a.MultiExit()), number(b.MultiExit()))
	case selection.Origin:
		s = "worse origin of the path"
	case selection.ExternalFirst:
		s = "learned inside the AS, after one from outside"
	case selection.Metric:
		s = fmt.Sprintf("metric %s, after %s", number(a.Metric), number(b.Metric))
	case selection.Unusable:
		s = "the device shows it as inactive"
	case selection.NotInstalled:
		s = "chosen, but what forwards does not have it"
	case selection.AgainstRules:
		s = fmt.Sprintf("by %s it should have won; the device chose otherwise", ruleWords[l.Rule])
		if l.Rule == selection.Preference {
			s = fmt.Sprintf(
				"by preference (%s before %s) it should have won; the device chose otherwise",
				number(a.Preference),
				number(b.Preference),
			)
		}
	case selection.ClassBarred:
		s = "barred by the classful lookup"
	default:
		s = "not chosen; the capture does not show by which rule"
	}
	switch {
	case l.Failure != selection.Resolved && l.Why != selection.Unusable:
		s += "; " + failureWords[l.Failure]
	case l.Why == selection.Preference && a.Protocol == route.Static:
		s += ": a backup that waits"
	}
	return s
}

func orWord(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

// remarks writes the traps.
func (v View) remarks(w io.Writer, c selection.Choice) {
	for _, m := range c.Remarks {
		p := m.Route.Prefix
		switch m.Kind {
		case selection.ReplacesLearned:
			fmt.Fprintf(
				w,
				"\nMind: the static route replaces what %s knows of %s. If it was meant as a backup, raise its "+
					"preference from %s above %d.\n",
				m.Against.Protocol,
				p,
				number(m.Route.Preference),
				m.Number,
			)
		case selection.LongerThanLearned:
			fmt.Fprintf(
				w,
				"\nMind: preference %s does not make the static route a backup: %s is longer than %s of %s, and so "+
					"it wins always.\n",
				number(m.Route.Preference),
				p,
				m.Against.Prefix,
				learned(m.Against.Attributes),
			)
		case selection.BackupInUse:
			fmt.Fprintf(
				w,
				"\nMind: preference %s is that of a backup, and it is in use: nothing better for %s is in the table "+
					"now.\n",
				number(m.Route.Preference),
				p,
			)
		case selection.BackupUseless:
			fmt.Fprintf(
				w,
				"\nMind: the static route with preference %s could not take over: %s.\n",
				number(m.Route.Preference),
				failureWords[m.Failure],
			)
		case selection.OneHopShown:
			fmt.Fprint(w, "\nMind: the captured table shows the first next hop of each route alone: others may be in use "+
				"beside it. What \"ip route\" prints tells all.\n")
		case selection.Swallows:
			fmt.Fprintf(
				w,
				"\nMind: without %s the packet would follow %s to %s.\n",
				p,
				m.Against.Prefix,
				strings.Join(ways(m.Against.Attributes), " and "),
			)
		}
	}
}

// tables writes which table applies to which packets, where a device has several.
func (v View) tables(w io.Writer, r forward.Explanation) {
	if len(r.Rules) > 0 {
		fmt.Fprintln(w, "\nPolicy rules choose the table before any prefix is compared:")
		rows := [][]string{}
		for _, rule := range r.Rules {
			rows = append(rows, []string{fmt.Sprintf("rule %d", rule.Priority), ruleText(rule), v.place(rule.Mark)})
		}
		columns(w, "  ", rows)
	}
	if len(r.Uses) > 0 {
		fmt.Fprintln(w, "\nIts tables:")
		rows := [][]string{}
		for _, u := range r.Uses {
			whose := "no captured interface belongs to it"
			if len(u.Interfaces) > 0 {
				whose = "packets that come in by " + Clean(strings.Join(u.Interfaces, ", "))
			}
			asked := ""
			if u.Table == r.Choice.Table.Name {
				asked = "(the one asked here)"
			}
			rows = append(rows, []string{Clean(u.Table), whose, asked})
		}
		columns(w, "  ", rows)
	}
}

// ruleText words a policy rule as the kernel would read it: all conditions must hold, or, with "not", must not all
// hold.
func ruleText(r network.Rule) string {
	var parts []string
	if r.From.IsValid() {
		parts = append(parts, "packets from "+r.From.String())
	}
	if r.To.IsValid() {
		parts = append(parts, "packets to "+r.To.String())
	}
	if r.Ingress != "" {
		parts = append(parts, "packets that come in by "+Clean(r.Ingress))
	}
	if f := ruleFlow(r); f != "" {
		parts = append(parts, f)
	}
	if r.FWMark != (network.FWMark{}) {
		parts = append(parts, fmt.Sprintf("packets that a filter gave the mark %#x", r.FWMark.Value))
	}
	if r.Undecided {
		parts = append(parts, "packets with something that no capture shows")
	}
	s := strings.Join(parts, ", ")
	switch {
	case len(parts) == 0:
		s = "all packets"
	case r.Not:
		s = "all but " + s
	}
	switch r.Action {
	case network.RuleLookup:
		s += ": table " + Clean(r.Table)
		if r.Suppress > 0 {
			s += fmt.Sprintf(", where a prefix longer than %d covers them", r.Suppress-1)
		}
		return s
	case network.RuleBlackhole:
		return s + ": discarded silently"
	case network.RuleJump:
		return s + ": go to another rule"
	}
	return s + ": refused"
}

// ruleFlow words the protocol and ports that a policy rule asks for.
func ruleFlow(r network.Rule) string {
	s := Clean(r.Protocol)
	if !r.FromPorts.Any() {
		s += " from port " + ports(r.FromPorts)
	}
	if !r.ToPorts.Any() {
		s += " to port " + ports(r.ToPorts)
	}
	return strings.TrimSpace(s)
}

func ports(p network.Ports) string {
	if p.Lo == p.Hi {
		return fmt.Sprint(p.Lo)
	}
	return fmt.Sprintf("%d to %d", p.Lo, p.Hi)
}

// resolution shows by which routes the next hops are found.
func (v View) resolution(w io.Writer, r forward.Explanation) {
	if len(r.Choice.Resolutions) == 0 {
		return
	}
	direct := r.Choice.Match.Routes[0].Protocol == route.Direct
	fmt.Fprintln(w, "\nNext hop:")
	for _, res := range r.Choice.Recursive {
		if res.Failure != selection.Resolved {
			fmt.Fprintf(
				w,
				"  %s, which is found through another route: %s\n",
				res.NextHop.Address,
				failureWords[res.Failure],
			)
			continue
		}
		s := res.NextHop.Address.String()
		for _, via := range res.Exits[0].Via {
			s += fmt.Sprintf(", found through %s %s (%s)", learned(via.Attributes), via.Prefix, v.place(via.Mark))
		}
		fmt.Fprintf(w, "  %s\n", s)
	}
	for i, res := range r.Choice.Resolutions {
		if isTable(res.NextHop) {
			t := Clean(res.NextHop.Table)
			fmt.Fprintf(w, "  its table %s decides; zarvek why -table %s asks that one\n", t, t)
			continue
		}
		if res.Failure != selection.Resolved {
			fmt.Fprintf(
				w,
				"  %s cannot be resolved: %s\n",
				to(res.NextHop.Address, res.NextHop.Interface),
				failureWords[res.Failure],
			)
			continue
		}
		for j, e := range res.Exits {
			s := to(e.Address, e.Interface)
			for _, via := range e.Via {
				s += fmt.Sprintf(", resolved by %s %s", learned(via.Attributes), via.Prefix)
			}
			fmt.Fprintf(w, "  %s%s\n", s, wherePut(r, r.Owners[i][j], e, direct))
		}
	}
}

var failureWords = map[selection.Failure]string{
	selection.NoRoute: "no route covers it", selection.Cycle: "its resolution goes in a circle",
	selection.ThroughSelf:  "nothing but the route itself covers it",
	selection.DiscardedHop: "the route that covers it discards",
	selection.NoNextHop:    "no next hop is shown that can be used",
	selection.Contradicted: "two captures of different moments contradict each other on the route that covers it",
	selection.NotReadable:  "the forwarding table did not take the route that covers it",
	selection.TooLong:      "it leads through too many routes",
	selection.InOtherTable: "it lies in another table",
	selection.Untold:       "the captures do not tell which route covers it",
}

// wherePut words who answers for an exit's address, and into which tunnel it leads.
func wherePut(r forward.Explanation, o topology.OnLink, e selection.Exit, direct bool) string {
	t, ok := r.Device.Tunnel(e.Interface)
	switch {
	case !ok:
		return owner(o, e, direct)
	case !e.Address.IsValid():
		return ": into a tunnel" + tunnelEnds(&t)
	}
	return owner(o, e, direct) + ", into a tunnel" + tunnelEnds(&t)
}

// owner words who answers for an exit's address.
func owner(o topology.OnLink, e selection.Exit, direct bool) string {
	if !e.Address.IsValid() {
		if direct || o.TwoEnds || o.Answer == topology.Device {
			return ": the destination itself is looked for there"
		}
		return ": the destination itself is looked for there; it works only if something on that link answers for " +
			"every such address"
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
	case topology.MaybeDown:
		return fmt.Sprintf(": perhaps %s, whose interface %s is down", Clean(o.Device.Name), Clean(o.Interface))
	case topology.Elsewhere:
		return fmt.Sprintf(": belongs to %s, which is not on that link", Clean(o.Device.Name))
	case topology.Beside:
		return fmt.Sprintf(": belongs to another interface of %s", Clean(o.Device.Name))
	case topology.Several:
		return ": several captured interfaces have it"
	case topology.Reused:
		return ": VRFs may use that address more than once; who has it on that link is not known"
	case topology.Translated:
		return fmt.Sprintf(": an address that %s puts in place of another", Clean(o.Device.Name))
	case topology.Shared:
		names := make([]string, len(o.Sharers))
		for i, d := range o.Sharers {
			names[i] = d.Name
		}
		return fmt.Sprintf(": a virtual address of %s; which router has it is not known", Clean(joinAnd(names)))
	case topology.Unasked:
		return fmt.Sprintf(": %s of %s neither asks for link-layer addresses nor tells its own", Clean(o.Interface),
			Clean(o.Device.Name))
	case topology.Otherwise:
		return fmt.Sprintf(": belongs to %s, but the neighbour entry has a link-layer address that is none of its",
			Clean(o.Device.Name))
	case topology.Conflict:
		return fmt.Sprintf(": belongs to %s, but did not answer", Clean(o.Device.Name))
	}
	return ": no capture shows who has it"
}

// takesOver says what would be used without the route, and what without the neighbour that both lead by: a backup
// through the same neighbour is none.
func (v View) takesOver(w io.Writer, c selection.Choice) {
	best := c.Match.Routes[0]
	switch {
	case best.Special == route.Receive:
		return
	case slices.ContainsFunc(c.Remarks, func(m selection.Remark) bool { return m.Kind == selection.Swallows }):
		return // said there
	case c.TakesOver == nil:
		fmt.Fprintf(w, "\nIf %s went, nothing that was captured would take over.\n", best.Prefix)
		return
	}
	fmt.Fprintf(w, "\nIf it went, this would take over: %s\n", v.successor(c.TakesOver))
	if len(c.Neighbours) == 0 {
		return
	}
	var names []string
	for _, a := range c.Neighbours {
		names = append(names, a.String())
	}
	left := "nothing that was captured would be left"
	if c.WithoutThem != nil {
		left = "this would be left: " + v.successor(c.WithoutThem)
	}
	fmt.Fprintf(w, "That leads by %s too. Without that neighbour %s\n", joinAnd(names), left)
}

// successor words the route that would come in, with where it was captured.
func (v View) successor(l *selection.Lost) string {
	t := l.Route
	s := fmt.Sprintf(
		"%s %s%s: %s",
		learned(t.Attributes),
		t.Prefix,
		inParens(numbers(t)),
		strings.Join(ways(t.Attributes), " and "),
	)
	if l.Index < 0 {
		s += ", from the configuration (" + v.place(t.Mark) + ")"
	}
	return s
}
