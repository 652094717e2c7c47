package present

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TraceText writes a round trip: the answer first, then the hops out and back.
func TraceText(w io.Writer, rt forward.RoundTrip, v View) error {
	src, dst := endName(rt.Source), endName(rt.Destination)
	weak := ""
	if rt.Weak() {
		weak = " (on weak evidence: see below)"
	}
	v.headline(w, rt.Verdict == forward.TwoWay, "%s: %s%s", rt.Verdict, headlineOf(rt, src, dst), weak)
	v.direction(w, "Out", src+" to "+dst, rt.Forward, rt.Destination)
	switch {
	case rt.Return == nil:
		fmt.Fprintf(w, "\nBack: not followed, since no capture shows where %s is.\n", dst)
	case rt.ReturnAlone:
		v.direction(w, "Back, if a packet did get there", dst+" to "+src, *rt.Return, rt.Source)
	default:
		v.direction(w, "Back", dst+" to "+src, *rt.Return, rt.Source)
	}
	switch all := advices(rt); len(all) {
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

func endName(e forward.End) string {
	if e.Name == "" {
		return e.Address.String()
	}
	return fmt.Sprintf("%s (%s)", e.Address, Clean(e.Name))
}

func headlineOf(rt forward.RoundTrip, src, dst string) string {
	out, _ := rt.Forward.Worst()
	some := ""
	if len(rt.Forward.Branches) > 1 {
		some = "some "
	}
	switch rt.Verdict {
	case forward.TwoWay:
		s := fmt.Sprintf("%s reaches %s and the reply comes back", src, dst)
		if out.Delivery == forward.ToAttachedNetwork {
			s = fmt.Sprintf("%s reaches the network of %s and a reply comes back; whether that host exists is not known", src, dst)
		}
		return s
	case forward.OneWay:
		back, _ := rt.Return.Worst()
		return fmt.Sprintf("%s reaches %s, but %sreplies are lost%s: %s", src, dst, someOf(rt.Return), where(back), because(back, rt.Source.Address))
	case forward.Broken:
		return fmt.Sprintf("%spackets from %s to %s are lost%s: %s", some, src, dst, where(out), because(out, rt.Destination.Address))
	}
	if rt.Forward.Verdict != forward.Arrives {
		if rt.Forward.Verdict == forward.Leaves {
			return fmt.Sprintf("packets from %s to %s leave the captured devices%s: %s", src, dst, where(out), because(out, rt.Destination.Address))
		}
		return fmt.Sprintf("cannot tell whether %s reaches %s: %s", src, dst, because(out, rt.Destination.Address))
	}
	if rt.Return == nil {
		return fmt.Sprintf("%s reaches %s, but where the reply starts is not known", src, dst)
	}
	back, _ := rt.Return.Worst()
	if rt.Return.Verdict == forward.Leaves {
		return fmt.Sprintf("%s reaches %s, but the reply leaves the captured devices%s: %s", src, dst, where(back), because(back, rt.Source.Address))
	}
	return fmt.Sprintf("%s reaches %s, but whether the reply comes back cannot be told: %s", src, dst, because(back, rt.Source.Address))
}

func someOf(d *forward.Direction) string {
	if d != nil && len(d.Branches) > 1 {
		return "some "
	}
	return ""
}

func where(b forward.Branch) string {
	if b.Where == "" {
		return ""
	}
	return " at " + Clean(b.Where)
}

func (v View) direction(w io.Writer, title, ends string, d forward.Direction, dst forward.End) {
	if len(d.Branches) == 1 {
		b := d.Branches[0]
		fmt.Fprintf(w, "\n%s, %s: %s%s%s, %s\n", title, ends, b.Verdict, where(b), assumed(b), because(b, dst.Address))
		v.hops(w, b)
		return
	}
	how := "in the worst of"
	if !slices.ContainsFunc(d.Branches, func(b forward.Branch) bool { return b.Verdict != d.Verdict }) {
		how = "by each of"
	}
	fmt.Fprintf(w, "\n%s, %s: %s %s %s\n", title, ends, d.Verdict, how, count(len(d.Branches), "branch", "branches"))
	for i, b := range d.Branches {
		fmt.Fprintf(w, "\n  Branch %d, %s: %s%s%s, %s\n", i+1, share(b), b.Verdict, where(b), assumed(b), because(b, dst.Address))
		v.hops(w, b)
	}
	if d.Omitted {
		fmt.Fprintln(w, "\n  There are more branches; each way in which they end is shown above.")
	}
}

func assumed(b forward.Branch) string {
	if b.Assumed {
		return " (assuming that the reply comes back in where the packet left)"
	}
	return ""
}

func share(b forward.Branch) string {
	if b.Share > 0.999 {
		if len(b.Hops) > 0 {
			return "all packets that start at " + Clean(b.Hops[0].Device)
		}
		return "all packets"
	}
	return fmt.Sprintf("%.0f %% of the packets", 100*b.Share)
}

func (v View) hops(w io.Writer, b forward.Branch) {
	rows := [][]string{{"hop", "device", "route taken", "learned by", "next hop", "captured at"}}
	for i, h := range b.Hops {
		taken, by := "none", "-"
		if h.Prefix.IsValid() {
			taken, by = h.Prefix.String(), learned(h.Route.Attributes)
		}
		if h.Table != "default" {
			taken += " in table " + Clean(h.Table)
		}
		place := ""
		if len(h.Evidence) > 0 {
			place = v.place(h.Evidence[0])
		}
		rows = append(rows, []string{fmt.Sprint(i + 1), Clean(h.Device), taken, by, onward(h), place})
	}
	if len(b.Hops) == 0 {
		return
	}
	columns(w, "  ", rows)
	if b.Weak {
		var weak []string
		for _, h := range b.Hops {
			if s := Clean(h.Device); h.Weak && !slices.Contains(weak, s) {
				weak = append(weak, s)
			}
		}
		fmt.Fprintf(w, "  Weak evidence: of %s only a management walk was captured, which may leave routes out.\n", strings.Join(weak, ", "))
	}
	for i, h := range b.Hops {
		if v.Lines && len(h.Evidence) > 0 {
			fmt.Fprintf(w, "    hop %d, %s\n", i+1, Clean(h.Device))
			v.lines(w, "      ", h.Evidence)
			for _, r := range h.Via {
				v.lines(w, "      ", []route.Mark{r.Mark})
			}
		}
	}
	if v.Lines && b.Verdict > forward.Arrives {
		v.lines(w, "      ", b.Reason.Marks)
	}
}

// onward words where a hop sends the packet.
func onward(h forward.Hop) string {
	if h.Route.Attributes == nil {
		return "-"
	}
	if h.Route.Special != route.None {
		return ways(h.Route.Attributes)[0]
	}
	s := to(h.NextHop, h.OutInterface)
	for _, r := range h.Via {
		s += ", resolved by " + r.Prefix.String()
	}
	if h.Owner == topology.Deduced {
		s += ", owner deduced"
	}
	return s
}

// advices collects what to do, once each.
func advices(rt forward.RoundTrip) []string {
	var out []string
	add := func(d forward.Direction, end forward.End) {
		for _, b := range d.Branches {
			if s := advice(b, end.Address); b.Verdict != forward.Arrives && s != "" && !slices.Contains(out, s) {
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

type jsonEnd struct {
	Address string  `json:"address"`
	Name    *string `json:"name"`
}

type jsonHop struct {
	Device     string      `json:"device"`
	Table      string      `json:"table"`
	In         *string     `json:"in-interface"`
	Prefix     *string     `json:"matched-prefix"`
	Protocol   *string     `json:"source-protocol"`
	NextHop    *string     `json:"next-hop-address"`
	Out        *string     `json:"outgoing-interface"`
	Confidence string      `json:"owner-confidence"`
	Evidence   *jsonPlace  `json:"evidence"`
	More       []jsonPlace `json:"more-evidence,omitempty"`
	ResolvedBy []jsonRoute `json:"resolved-by,omitempty"`
}

type jsonBranch struct {
	Share    float64     `json:"share"`
	Verdict  string      `json:"verdict"`
	Where    *string     `json:"where"`
	Delivery *string     `json:"delivery"`
	Hops     []jsonHop   `json:"hops"`
	Reason   string      `json:"reason"`
	Advice   *string     `json:"what-to-do"`
	Evidence []jsonPlace `json:"reason-evidence"`
	Assumed  bool        `json:"start-assumed"`
	Weak     bool        `json:"weak-evidence"`
}

type jsonDirection struct {
	Verdict  string       `json:"verdict"`
	Branches []jsonBranch `json:"branches"`
	Omitted  bool         `json:"branches-omitted"`
}

// TraceJSON writes a round trip by the JSON contract.
func TraceJSON(w io.Writer, rt forward.RoundTrip, v View) error {
	doc := struct {
		Source      jsonEnd        `json:"source"`
		Destination jsonEnd        `json:"destination"`
		Verdict     string         `json:"verdict"`
		Forward     jsonDirection  `json:"forward"`
		Return      *jsonDirection `json:"return"`
		ReturnAlone bool           `json:"return-is-hypothetical"`
	}{
		Source:      jsonEnd{rt.Source.Address.String(), text(rt.Source.Name)},
		Destination: jsonEnd{rt.Destination.Address.String(), text(rt.Destination.Name)},
		Verdict:     rt.Verdict.String(),
		Forward:     v.jsonDirection(rt.Forward, rt.Destination),
		ReturnAlone: rt.ReturnAlone && rt.Return != nil,
	}
	if rt.Return != nil {
		d := v.jsonDirection(*rt.Return, rt.Source)
		doc.Return = &d
	}
	return writeJSON(w, doc)
}

func (v View) jsonDirection(d forward.Direction, dst forward.End) jsonDirection {
	j := jsonDirection{Verdict: d.Verdict.String(), Branches: []jsonBranch{}, Omitted: d.Omitted}
	for _, b := range d.Branches {
		jb := jsonBranch{Share: b.Share, Verdict: b.Verdict.String(), Where: text(b.Where), Delivery: text(b.Delivery.String()),
			Hops: []jsonHop{}, Reason: alone(b, dst.Address), Evidence: v.places(b.Reason.Marks), Assumed: b.Assumed, Weak: b.Weak}
		if b.Verdict != forward.Arrives {
			jb.Advice = text(advice(b, dst.Address))
		}
		for _, h := range b.Hops {
			jb.Hops = append(jb.Hops, v.jsonHop(h))
		}
		j.Branches = append(j.Branches, jb)
	}
	return j
}

func (v View) jsonHop(h forward.Hop) jsonHop {
	j := jsonHop{Device: h.Device, Table: h.Table, In: text(h.InInterface), Prefix: prefix(h.Prefix), NextHop: address(h.NextHop),
		Out: text(h.OutInterface), Confidence: h.Owner.String()}
	if h.Route.Attributes != nil {
		j.Protocol = text(h.Route.Protocol.String())
	}
	if all := v.places(h.Evidence); len(all) > 0 {
		j.Evidence, j.More = &all[0], all[1:]
	}
	for _, r := range h.Via {
		j.ResolvedBy = append(j.ResolvedBy, v.jsonRoute(r, []route.Mark{r.Mark}))
	}
	return j
}
