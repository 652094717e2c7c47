package present

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// A TraceView is a round trip with the change of routes that would mend it, where one was looked for.
type TraceView struct {
	forward.RoundTrip
	Cure    *mend.Result
	Topo    *topology.Topology
	Assumed []casefile.Assumption // since no capture tells
	// Supposable are the devices of which no table was captured, and a configuration that makes one.
	Supposable []string
}

// TraceText writes a round trip: the answer first, then the hops out and back.
func TraceText(w io.Writer, t TraceView, v View) error {
	rt := t.RoundTrip
	src, dst := endName(rt.Source), endName(rt.Destination)
	weak := ""
	if rt.Weak() {
		weak = " (on weak evidence: see below)"
	}
	v.headline(w, rt.Verdict == forward.TwoWay, "%s: %s%s", rt.Verdict, v.answer(rt, t.Assumed), weak)
	v.assumption(w, t.Assumed)
	out := "Out"
	if rt.Later {
		out = "Out, behind the first segment"
	}
	v.direction(w, out, src+" to "+dst, rt.Forward, rt.Destination)
	switch {
	case rt.Return == nil:
		fmt.Fprintf(w, "\nBack: not followed, since no capture shows where %s is.\n", dst)
	case rt.ReturnAlone:
		v.direction(w, "Back, if a packet did get there", dst+" to "+src, *rt.Return, rt.Source)
	default:
		v.direction(w, "Back", dst+" to "+src, *rt.Return, rt.Source)
	}
	v.bothWays(w, rt)
	switch all := append(append(advices(rt), t.supposeWords()...), t.cureWords(v.Option)...); len(all) {
	case 0:
	case 1:
		fmt.Fprintf(w, "\nWhat to do: %s.\n", all[0])
	default:
		fmt.Fprintln(w, "\nWhat to do:")
		for _, s := range all {
			fmt.Fprintf(w, "  %s.\n", s)
		}
	}
	return nil
}

// bothWays writes how the two ways differ, and who sees one of them only.
func (v View) bothWays(w io.Writer, rt forward.RoundTrip) {
	a := rt.Asymmetry()
	if a.Found {
		s := "\nThe two ways differ: "
		var parts []string
		if a.Part != "" && a.Meet != "" {
			parts = append(parts, fmt.Sprintf("they part at %s and meet at %s", Clean(a.Part), Clean(a.Meet)))
		}
		if len(a.OnlyOut) > 0 {
			parts = append(parts, "only the packet passes "+Clean(strings.Join(a.OnlyOut, ", ")))
		}
		if len(a.OnlyBack) > 0 {
			parts = append(parts, "only the reply passes "+Clean(strings.Join(a.OnlyBack, ", ")))
		}
		fmt.Fprintf(w, "%s%s.\n", s, strings.Join(parts, "; "))
	}
	if len(rt.OneSided) > 0 {
		fmt.Fprintf(
			w,
			"\nMind: %s keeps state and sees the packet but not its reply; a TCP connection would not survive that.\n",
			Clean(strings.Join(rt.OneSided, ", ")),
		)
	}
	if len(rt.Unjudged) > 0 {
		fmt.Fprintf(
			w,
			"\nWhat %s permits is not known: notes.yaml can tell (zarvek help notes).\n",
			Clean(strings.Join(rt.Unjudged, ", ")),
		)
	}
}

func endName(e forward.End) string {
	if e.Name == "" {
		return e.Address.String()
	}
	return fmt.Sprintf("%s (%s)", e.Address, Clean(e.Name))
}

// headlineOf is the answer in one line: what becomes of the packet, then of the reply. What rests on a guess begins
// with it.
func headlineOf(rt forward.RoundTrip, src, dst string) string {
	if n := len(rt.Guessed); n > 0 && rt.Followed() != forward.BothUnknown &&
		(rt.Guessed[0] == rt.Source.Address || rt.Forward.Verdict == forward.Arrives) {
		var names []string
		for _, a := range rt.Guessed {
			names = append(names, a.String())
		}
		sends := "sends"
		if n > 1 {
			sends = "send"
		}
		rest := rt
		rest.Guessed, rest.Verdict = nil, rt.Followed()
		return fmt.Sprintf("if %s, which no capture shows, %s this way, %s", joinAnd(names), sends,
			headlineOf(rest, src, dst))
	}
	out, _ := rt.Forward.Worst()
	some := someOf(&rt.Forward)
	switch rt.Verdict {
	case forward.TwoWay:
		s := fmt.Sprintf("%s reaches %s and the reply comes back", src, dst)
		if out.Delivery == forward.ToAttachedNetwork {
			s = fmt.Sprintf(
				"%s reaches the network of %s and a reply comes back; whether that host exists is not known",
				src,
				dst,
			)
		}
		return s
	case forward.OneWay:
		back, _ := rt.Return.Worst()
		return fmt.Sprintf(
			"%s reaches %s, but %sreplies are lost%s: %s",
			src,
			dst,
			someOf(rt.Return),
			where(back),
			because(back, rt.Source.Address),
		)
	case forward.Broken:
		if rt.Later {
			return fmt.Sprintf("%s opens a connection to %s, but what it sends behind its first segment is lost%s: %s", src,
				dst, where(out), because(out, rt.Destination.Address))
		}
		return fmt.Sprintf(
			"%spackets from %s to %s are lost%s: %s",
			some,
			src,
			dst,
			where(out),
			because(out, rt.Destination.Address),
		)
	}
	if rt.Forward.Verdict != forward.Arrives {
		if rt.Forward.Verdict == forward.Leaves {
			return fmt.Sprintf(
				"packets from %s to %s leave the captured devices%s: %s",
				src,
				dst,
				where(out),
				because(out, rt.Destination.Address),
			)
		}
		if rt.Later {
			return fmt.Sprintf("%s opens a connection to %s, but whether what it sends behind its first segment gets there "+
				"cannot be told: %s", src, dst, alone(out, rt.Destination.Address))
		}
		return fmt.Sprintf("cannot tell whether %s reaches %s: %s", src, dst, alone(out, rt.Destination.Address))
	}
	if rt.Return == nil {
		return fmt.Sprintf("%s reaches %s, but where the reply starts is not known", src, dst)
	}
	back, _ := rt.Return.Worst()
	if rt.Return.Verdict == forward.Leaves {
		return fmt.Sprintf(
			"%s reaches %s, but the reply leaves the captured devices%s: %s",
			src,
			dst,
			where(back),
			because(back, rt.Source.Address),
		)
	}
	return fmt.Sprintf(
		"%s reaches %s, but whether the reply comes back cannot be told: %s",
		src,
		dst,
		alone(back, rt.Source.Address),
	)
}

// someOf says that not all packets of a direction end like the worst of its branches.
func someOf(d *forward.Direction) string {
	if d == nil {
		return ""
	}
	worst, _ := d.Worst()
	if slices.ContainsFunc(d.Branches, func(b forward.Branch) bool {
		return b.Verdict != worst.Verdict || b.Where != worst.Where || b.Reason.Code != worst.Reason.Code
	}) {
		return "some "
	}
	return ""
}

// answer says what becomes of a round trip, which line leaves it open, and what was asked to be assumed.
func (v View) answer(rt forward.RoundTrip, assumed []casefile.Assumption) string {
	return headlineOf(rt, endName(rt.Source), endName(rt.Destination)) + v.lineInTheWay(rt) + v.assumedWords(rt) +
		supposedOf(assumed)
}

func where(b forward.Branch) string {
	if b.Where == "" {
		return ""
	}
	return " at " + Clean(b.Where)
}

// assumedWords names the filters that are assumed to permit the packets, "" for none.
func (v View) assumedWords(rt forward.RoundTrip) string {
	marks := rt.Assumed()
	if len(marks) == 0 {
		return ""
	}
	return fmt.Sprintf(", assuming that %s (%s)",
		count(len(marks), "rule or filter permits it",
			"rules or filters permit it"), strings.Join(v.somePlaces(marks, 3), ", "))
}

// supposeWords says how to go by configurations where no table was captured.
func (t *TraceView) supposeWords() []string {
	if len(t.Supposable) == 0 {
		return nil
	}
	return []string{fmt.Sprintf("to go by the configuration of %s alone, ask with -assume-configured",
		Clean(firstFew(t.Supposable, maxAssumedDevices, ", ")))}
}

// supposedOf names the devices that are supposed to have the tables of their configurations, "" for none.
func supposedOf(all []casefile.Assumption) string {
	var names []string
	for _, a := range all {
		if slices.Contains(a.What, casefile.UntoldTable) {
			names = append(names, a.Devices...)
		}
	}
	switch len(names) {
	case 0:
		return ""
	case 1:
		return fmt.Sprintf("; assuming that %s has the table that its configuration makes", Clean(names[0]))
	}
	return fmt.Sprintf("; assuming that %s have the tables that their configurations make",
		Clean(firstFew(names, maxAssumedDevices, ", ")))
}

// direction writes the hops of one direction; where ways part, each branch.
func (v View) direction(w io.Writer, title, ends string, d forward.Direction, dst forward.End) {
	if len(d.Branches) == 1 {
		b := d.Branches[0]
		fmt.Fprintf(w, "\n%s, %s: %s%s%s, %s%s\n", title, ends, b.Verdict, where(b), assumed(b),
			because(b, dst.Address), v.inTheWay(b))
		v.hops(w, b)
		return
	}
	how := "in the worst of"
	if !slices.ContainsFunc(d.Branches, func(b forward.Branch) bool { return b.Verdict != d.Verdict }) {
		how = "by each of"
	}
	fmt.Fprintf(w, "\n%s, %s: %s %s %s\n", title, ends, d.Verdict, how, count(len(d.Branches), "branch", "branches"))
	v.branches(w, d, dst)
	v.footnotes(w, d.Branches)
	if d.Omitted {
		fmt.Fprintln(w, "  There are more branches; each way in which they end is shown above.")
	}
}

// lineInTheWay is inTheWay for the branch that an unknown answer is about.
func (v View) lineInTheWay(rt forward.RoundTrip) string {
	b, _ := rt.Forward.Worst()
	if rt.Return != nil && b.Verdict == forward.Arrives {
		b, _ = rt.Return.Worst()
	}
	return v.inTheWay(b)
}

// inTheWay names the line that keeps an answer from being given, "" where none does.
func (v View) inTheWay(b forward.Branch) string {
	switch b.Reason.Code {
	case forward.RowUnread, forward.ChangedSince, forward.AnsweredOtherwise, forward.Encapsulated,
		forward.TableFiltered, forward.TableLacks, forward.CapturesContradict, forward.FilterNotRead,
		forward.ConfigurationCut, forward.ForwardingNotTold, forward.RulesLeftOut, forward.PolicyRouted, forward.CapturesBlended,
		forward.AnswerTranslated, forward.RulesMissing, forward.WhereApplied, forward.RuleNotUnderstood,
		forward.RuleBeforeOwn, forward.OwnFiltered, forward.FlowNotTold, forward.RuleDenies, forward.SourceByDefault,
		forward.SourceUsual:
		if p := strings.Join(v.somePlaces(b.Reason.Marks, 2), ", "); (b.Verdict == forward.Unknown ||
			b.Reason.Code == forward.RuleDenies) && p != "" {
			return " (" + p + ")"
		}
	}
	return ""
}

func assumed(b forward.Branch) string {
	if b.Assumed {
		return " (assuming that the reply comes back in where the packet left)"
	}
	return ""
}

func (v View) hops(w io.Writer, b forward.Branch) {
	rows := [][]string{{"hop", "device", "route taken", "learned by", "next hop", "captured at"}}
	for i, h := range b.Hops {
		rows = append(rows, append([]string{fmt.Sprint(i + 1)}, v.hopRow(h)...))
	}
	if len(b.Hops) == 0 {
		return
	}
	columns(w, "  ", rows)
	v.footnotes(w, []forward.Branch{b})
}

// hopRow is a hop's cells: device, route, who it was learned from, where it leads, where that was captured.
func (v View) hopRow(h forward.Hop) []string {
	taken, by := "none", "-"
	if h.Prefix.IsValid() {
		taken, by = h.Prefix.String(), learned(h.Route.Attributes)
	}
	switch {
	case h.Steered && !h.Prefix.IsValid():
		taken, by = "policy of routing", "configured"
	case h.Table != "default":
		taken += " in table " + Clean(h.Table)
	}
	place := ""
	if len(h.Evidence) > 0 {
		place = v.place(h.Evidence[0])
	}
	return []string{Clean(h.Device), taken, by, onward(h), place}
}

// footnotes writes what concerns hops beside their row: weak evidence, and the captured lines if asked for.
func (v View) footnotes(w io.Writer, branches []forward.Branch) {
	var weak []string
	for _, b := range branches {
		for _, h := range b.Hops {
			if s := Clean(h.Device); h.Weak && !slices.Contains(weak, s) {
				weak = append(weak, s)
			}
		}
	}
	if len(weak) > 0 {
		fmt.Fprintf(
			w,
			"  Weak evidence: of %s only a management walk was captured, which may leave routes out.\n",
			strings.Join(weak, ", "),
		)
	}
	if !v.Lines {
		return
	}
	shown := map[string]bool{}
	for _, b := range branches {
		for i, h := range b.Hops {
			key := fmt.Sprint(h.Device, h.Prefix, h.OutInterface, h.NextHop)
			if len(h.Evidence) == 0 || shown[key] {
				continue
			}
			shown[key] = true
			fmt.Fprintf(w, "    hop %d, %s\n", i+1, Clean(h.Device))
			v.lines(w, "      ", h.Evidence)
			for _, r := range h.Via {
				v.lines(w, "      ", []route.Mark{r.Mark})
			}
		}
		if b.Verdict > forward.Arrives {
			v.lines(w, "      ", b.Reason.Marks)
		}
	}
}

// onward words where a hop sends the packet.
func onward(h forward.Hop) string {
	if h.Route.Attributes == nil && h.NewDestination.IsValid() {
		return "destination becomes " + h.NewDestination.String()
	}
	if h.Route.Attributes == nil {
		return "-"
	}
	if h.Route.Special != route.None {
		return ways(h.Route.Attributes)[0]
	}
	if len(h.Route.NextHops) == 1 && isTable(h.Route.NextHops[0]) {
		return ways(h.Route.Attributes)[0]
	}
	s := to(h.NextHop, h.OutInterface)
	for _, r := range h.Via {
		s += ", resolved by " + r.Prefix.String()
	}
	if h.Owner == topology.Deduced {
		s += ", owner deduced"
	}
	for _, x := range []struct {
		to   netip.Addr
		word string
	}{{h.NewSource, "source becomes"}, {h.NewDestination, "destination becomes"}, {h.Tunnel, "through a tunnel to"}} {
		if x.to.IsValid() {
			s += ", " + x.word + " " + x.to.String()
		}
	}
	return s
}

// advices collects what to do, once each.
func advices(rt forward.RoundTrip) []string {
	var out []string
	add := func(d forward.Direction, end forward.End) {
		for _, b := range d.Branches {
			s := advice(b, end.Address)
			if rt.Later && b.Reason.Code == forward.RuleDenies {
				s = fmt.Sprintf("let the rules of %s permit what is established, not only what is new", Clean(b.Where))
			}
			if b.Verdict != forward.Arrives && s != "" && !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	}
	add(rt.Forward, rt.Destination)
	if rt.Return != nil {
		add(*rt.Return, rt.Source)
	}
	return out
}

// cureWords words the proved change of routes that mends a trip, or who looks for one.
func (t TraceView) cureWords(option string) []string {
	asked := func(d *forward.Direction) bool {
		return d != nil && slices.ContainsFunc(d.Branches, func(b forward.Branch) bool { return hangsOnRoutes(&b) })
	}
	if t.Verdict == forward.TwoWay || !asked(&t.Forward) && !asked(t.Return) {
		return nil
	}
	ask := fmt.Sprintf("zarvek mend %s %s%s", t.Source.Address, t.Destination.Address, Clean(option))
	switch {
	case t.Cure == nil:
		return []string{ask + " looks for a change of routes that mends it, and proves it"}
	case t.Cure.Cure != nil:
		return []string{strings.Join(ordersWords(t.Cure.Cure.Orders, t.Topo), "; ") + provedWords(t.Cure.Cure, ask)}
	case len(t.Cure.Refused) > 0:
		return []string{"no change of routes that mends it passed the proof; " + ask + " tells which were tried"}
	}
	return []string{"no change of routes mends it: " + outsideWords(t.Cure)}
}

// hangsOnRoutes reports whether what ends a branch is a route, or that there is none.
func hangsOnRoutes(b *forward.Branch) bool {
	switch b.Reason.Code {
	case forward.NoCoveringRoute:
		return !b.Reason.NotTaken.IsValid()
	case forward.CameBack, forward.Blackholed, forward.Rejected, forward.NobodyHasIt, forward.Unresolved,
		forward.OwnerDown, forward.OwnLinkDown:
		return true
	case forward.NobodyAnswers:
		return b.Verdict == forward.NextHopLost
	case forward.LeftCase:
		return b.Reason.Behind != ""
	}
	return false
}
