package present

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/compare"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
	"zarvek/internal/statement"
)

// A MendView is what was looked for cures of, in the order in which the cures were proved.
type MendView struct {
	Results []*mend.Result
	Topo    *topology.Topology                                             // of the network as it was captured
	Lines   func(*network.Device, rehearse.Order) ([]statement.Line, bool) // how the device, as it is, writes an order
}

// MendText writes cures with the lines to type, and why there is none.
func MendText(w io.Writer, m MendView, v View) error {
	d := v.mendDocument(m)
	d.writeText(w, v)
	return nil
}

// MendMarkdown writes them for a ticket.
func MendMarkdown(w io.Writer, m MendView, v View) error {
	d := v.mendDocument(m)
	d.writeMarkdown(w, v)
	return nil
}

// mendDocument lists the cures; the answer is good only where nothing is left unmended.
func (v View) mendDocument(m MendView) document {
	var d document
	cured, left := 0, 0
	for _, r := range m.Results {
		switch {
		case r.Cure != nil:
			cured++
		case !r.Right:
			left++
		}
	}
	d.add(answer{mendHeadline(m, cured, left), left == 0})
	for i, r := range m.Results {
		d.add(v.mended(i+1, r, m))
	}
	if cured > 0 {
		words := "Proved on paper: with all that follows from it every pair of addresses was compared; nothing gets " +
			"worse, and no fault or risk is new."
		if cured > 1 {
			words = "Each was proved on the network with those before it. " + words
		}
		d.add(paragraph{words: words})
	}
	return d
}

// mendHeadline is the answer in one line; a single cure stands in it whole, so that it can be typed from there.
func mendHeadline(m MendView, cured, left int) string {
	switch {
	case len(m.Results) == 0:
		return "nothing is to be mended: an audit finds nothing of that severity"
	case cured == 0 && left == 0:
		return "nothing is to be mended: what was asked for is right"
	case len(m.Results) == 1 && cured == 1:
		return "can be mended: " + strings.Join(ordersWords(m.Results[0].Cure.Orders, m.Topo), "; ")
	case len(m.Results) == 1:
		return "no cure can be offered: " + outsideWords(m.Results[0])
	case left == 0:
		return fmt.Sprintf("all %d can be mended by changes that were proved", cured)
	}
	return fmt.Sprintf("%d of %d can be mended by changes that were proved", cured, len(m.Results))
}

// mended tells of one wrong what to do, or why nothing is offered.
func (v View) mended(number int, r *mend.Result, m MendView) entry {
	e := entry{number: number, strong: "no cure", words: wrongWords(r)}
	topo := m.Topo
	switch {
	case r.Cure != nil:
		e.strong = "mended"
		e.row("do", ordersWords(r.Cure.Orders, topo)...)
		v.typed(&e, r, m)
		e.row("then", compareHeadline(r.Cure.Result))
		e.row("assumed", assumedOf(r.Cure)...)
		e.row("besides", alsoFound(r.Cure.Result)...)
	case r.Right:
		e.strong = "right"
		e.row("because", "nothing is wrong with it"+with(number > 1, ", or what stands above mends it"))
	default:
		e.row("because", outsideWords(r))
		if r.Stuck != nil {
			e.row("it ends", fmt.Sprintf("from %s to %s: packets or replies are lost%s: %s",
				r.Trip.Source, r.Trip.Destination, where(*r.Stuck), because(*r.Stuck, r.Toward)))
		}
	}
	tried := r.Refused
	for _, x := range tried[:min(len(tried), maxRepairs)] {
		e.row("refused", strings.Join(ordersWords(x.Orders, topo), "; ")+": "+refusalWords(x))
	}
	if n := len(tried) - maxRepairs; n > 0 {
		e.row("refused", fmt.Sprintf("and %d more", n))
	}
	if r.Wrong.Finding != nil {
		e.row("called", r.Wrong.Finding.ID)
	}
	return e
}

func with(on bool, s string) string {
	if on {
		return s
	}
	return ""
}

func wrongWords(r *mend.Result) string {
	switch w := r.Wrong; {
	case w.Finding != nil:
		return summary(w.Finding)
	case w.Name != "":
		return Clean(w.Name)
	default:
		return fmt.Sprintf("%s and %s", w.Trips[0].Source, w.Trips[0].Destination)
	}
}

// typed shows the lines to type, each behind the name of its device, and what takes them back.
func (v View) typed(e *entry, r *mend.Result, m MendView) {
	var lines, undo []string
	from := map[string]bool{}
	for _, o := range r.Cure.Orders {
		all, ok := m.Lines(r.Before.Topology().Network.Device(o.Device), o)
		if !ok {
			lines = append(lines,
				fmt.Sprintf("on %s: in words only, since no statement like it was captured of that device",
					Clean(o.Device)))
			continue
		}
		for _, l := range all {
			text := Clean(l.Text)
			if l.Out != "" {
				text = "take out the line " + Clean(l.Out)
			}
			at := "on " + Clean(o.Device)
			if l.In != "" {
				at += ", in " + l.In
			}
			lines = append(lines, at+": "+text)
			back := Clean(l.Undo)
			if back == "" {
				back = "take that line out again"
			}
			undo = append([]string{"on " + Clean(o.Device) + ": " + back}, undo...)
			if l.Learned != "" {
				from[l.Learned] = true
			}
		}
	}
	e.row("type", lines...)
	e.row("undo", undo...)
	var files []string
	for f := range from {
		files = append(files, Clean(f))
	}
	slices.Sort(files)
	if len(files) > 0 {
		e.row("form", "as in "+strings.Join(files, ", "))
	}
}

// ordersWords says in words what to do.
func ordersWords(orders []rehearse.Order, topo *topology.Topology) []string {
	var out []string
	for i := 0; i < len(orders); i++ {
		o := orders[i]
		if i+1 < len(orders) && o.Verb == rehearse.Remove && orders[i+1].Verb == rehearse.Add &&
			o.Device == orders[i+1].Device && o.Prefix == orders[i+1].Static.Prefix {
			verb := "send"
			if orders[i+1].Static.Special != route.None {
				verb = "lead"
			}
			way, who := leads(orders[i+1], topo)
			out = append(out, fmt.Sprintf("let %s %s %s%s instead%s", Clean(o.Device), verb, o.Prefix, way, who))
			i++
			continue
		}
		switch o.Verb {
		case rehearse.Add:
			way, who := leads(o, topo)
			out = append(out, fmt.Sprintf("give %s a route to %s%s%s", Clean(o.Device), o.Static.Prefix, way, who))
		case rehearse.Remove:
			s := fmt.Sprintf("take the route to %s out of %s", o.Prefix, Clean(o.Device))
			if o.NextHop.IsValid() {
				s = fmt.Sprintf("take the route to %s by %s out of %s", o.Prefix, o.NextHop, Clean(o.Device))
			}
			out = append(out, s)
		default:
			out = append(out, o.Verb.String()+" "+Clean(o.Text))
		}
	}
	return out
}

// leads words where an added route leads, and who is there.
func leads(o rehearse.Order, topo *topology.Topology) (way, who string) {
	s := o.Static
	switch {
	case s.Special == route.Blackhole:
		way = " into a discard"
	case s.Special != route.None:
		way = " into a refusal"
	case s.NextHop.Address.IsValid():
		way = " via " + s.NextHop.Address.String()
		if own := topo.Owners(s.NextHop.Address); len(own) > 0 {
			who = ", which is " + Clean(own[0].Device.Name)
		}
	default:
		way = " by " + Clean(s.NextHop.Interface)
	}
	if s.Preference.Known {
		way += fmt.Sprintf(" with preference %d", s.Preference.Value)
	}
	if o.Table != "" {
		way += " in its table " + Clean(o.Table)
	}
	return way, who
}

// refusalWords says why a change that was tried is not offered.
func refusalWords(x mend.Refusal) string {
	switch x.Why {
	case mend.MakesWorse:
		if x.Worse == nil {
			return "a requirement that holds would not hold any more"
		}
		return kindWords[x.Worse.Kind] + ": " + pairsWords(x.Worse.Pairs, 2)
	case mend.LeadsOut:
		return fmt.Sprintf("then %s hands %s on to what was not captured, and that may lead it back",
			Clean(x.Worse.After.Device), prefixList(farEnds(x.Worse.Pairs), 2))
	case mend.NewFinding:
		return "then " + summary(x.Finding)
	case mend.NotTaken:
		return "the device would not take it"
	}
	return "that is not enough"
}

// farEnds lists where the packets of some pairs go.
func farEnds(pairs []compare.Pair) []netip.Prefix {
	var out []netip.Prefix
	for _, p := range pairs {
		if !slices.Contains(out, p.To) {
			out = append(out, p.To)
		}
	}
	return out
}

// outsideWords says why there is no cure in routes, and so what else to look at.
func outsideWords(r *mend.Result) string {
	switch {
	case r.Unproved:
		return "each change that was found fails the proof"
	case r.More:
		return "none was found in the time that is given to it"
	case r.Outside == mend.NotRoutes:
		return "it is no matter of routes: look at the cable, the filter, the host or the switch that is named"
	case r.Outside == mend.NotKnown:
		return "what becomes of the packets is not known; capture what is missing first"
	case r.Outside == mend.NoCure:
		return "no change of a route is known that mends such a thing"
	}
	return "no captured neighbour leads there; what is missing lies outside of the captures"
}

// assumedOf words what the proof takes for granted.
func assumedOf(c *mend.Cure) []string {
	var out []string
	for _, a := range c.Assumed {
		out = append(out, fmt.Sprintf("that %s does not pass the new route on by %s: no configuration of it tells",
			Clean(a.Device), a.Protocol))
	}
	return out
}

// alsoFound lists findings worth a note that are new, and those that go along.
func alsoFound(r *compare.Result) []string {
	var out []string
	gone := 0
	for i := range r.Findings {
		f := &r.Findings[i]
		if f.Gone {
			gone++
			continue
		}
		out = append(out, "new note: "+summary(&f.Finding))
	}
	if gone > 1 {
		out = append(out, count(gone-1, "other finding goes", "other findings go")+" along")
	}
	return out
}
