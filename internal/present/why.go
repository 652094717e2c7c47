package present

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// WhyText writes a choice: the answer in one sentence, then the reasons in the order in which they decided.
func WhyText(w io.Writer, r forward.Explanation, v View) error {
	c, dev, dst := r.Choice, Clean(r.Device.Name), destination(r.Choice)
	if !c.Match.Found() {
		v.noRoute(w, r)
		return nil
	}
	best := c.Match.Routes[0]
	if _, _, unknown := r.CannotTell(); unknown {
		v.notKnown(w, r)
		if !c.Table.Supposed {
			fmt.Fprintf(w, "\nBy what it shows, %s %s.\n", dev, sentence(c, dst))
			v.lines(w, "  ", c.Table.Evidence(c.Match.Index[0]))
		}
		return nil
	}
	if len(r.Own) > 0 && best.Special != route.Receive {
		v.headline(
			w,
			true,
			"%s keeps %s: it is its own address%s, which comes before any route%s",
			dev,
			dst,
			on(r.Own[0].Interface),
			supposedTable(c.Table),
		)
		fmt.Fprintf(w, "  captured at %s\n", v.place(r.Own[0].Mark))
		v.lines(w, "  ", []route.Mark{r.Own[0].Mark})
		fmt.Fprintf(w, "\nIts table alone would say: %s %s.\n", dev, sentence(c, dst))
		return nil
	}
	v.headline(
		w,
		!c.Match.Refused && c.Match.Contradiction == nil &&
			(best.Special == route.None || best.Special == route.Receive),
		"%s %s%s",
		dev,
		sentence(c, dst),
		supposedTable(c.Table),
	)
	for i := range c.Match.Routes {
		if !v.Lines {
			fmt.Fprintf(w, "  captured at %s\n", v.place(c.Match.Routes[i].Mark))
		}
		v.lines(w, "  ", c.Table.Evidence(c.Match.Index[i]))
	}
	same, shorter := split(c.Lost, best.Prefix)
	v.longest(w, c, dst, shorter)
	v.rivals(w, c, same)
	v.statics(w, c.Statics)
	v.resolution(w, r)
	v.takesOver(w, c)
	v.remarks(w, c)
	v.tables(w, r)
	for _, d := range c.Differences {
		fmt.Fprintf(w, "\n%s\n", v.difference(d))
	}
	return nil
}

// noRoute writes that nothing covers the destination, and what comes near.
func (v View) noRoute(w io.Writer, r forward.Explanation) {
	c, dev, dst := r.Choice, Clean(r.Device.Name), destination(r.Choice)
	_, _, unknown := r.CannotTell()
	switch {
	case unknown:
		v.notKnown(w, r)
	case c.Table.Undecided:
		v.headline(
			w,
			false,
			"which route %s uses for %s is not known: of its table only protocols' own lists were captured",
			dev,
			dst,
		)
		fmt.Fprintf(w, "\nCapture the routing table of %s.\n", dev)
	case c.Match.Barred.IsValid():
		v.headline(
			w,
			false,
			"%s has no route to %s: it looks up classfully, and so may not use %s",
			dev,
			dst,
			c.Match.Barred,
		)
		fmt.Fprintf(w, "  said at %s\n", v.place(r.Device.Classful))
		v.lines(w, "  ", []route.Mark{r.Device.Classful})
	default:
		v.headline(w, false, "%s has no route to %s", dev, dst)
		fmt.Fprintf(
			w,
			"\nNone of the %s in its table %s covers it and forwards.\n",
			count(c.Table.Routes().Len(), "route", "routes"),
			Clean(c.Table.Name),
		)
	}
	v.lost(w, "Seen, but not used", c.Lost)
	v.statics(w, c.Statics)
	v.tables(w, r)
}

// notKnown says why what the table shows proves nothing, and which line is in the way.
func (v View) notKnown(w io.Writer, r forward.Explanation) {
	dev, dst := Clean(r.Device.Name), destination(r.Choice)
	why, mark, _ := r.CannotTell()
	because, verb := "the listing of its table shows a part of it only", "told at"
	if why == forward.RowUnread {
		because, verb = "a line of its table tells of a route that may lead there and was not read", "stands at"
	}
	if why == forward.TableLacks {
		because = "the listing of its table lacks the network of an interface that is up, so that more may be missing"
	}
	if why == forward.TableCut {
		because = fmt.Sprintf("the capture of its table is cut off before %s", r.Choice.Destination.Addr())
	}
	if why == forward.CapturesBlended {
		because, verb = "its captures are those of several devices, namespaces or instances", "the second ones begin at"
	}
	if why == forward.TableMissing {
		because = "no table of it was captured, and its configuration has no route that leads there"
		if r.Choice.Match.Found() {
			because = "no table of it was captured, and which route its configuration makes hangs on more than it says"
		}
	}
	if why == forward.ChangedSince {
		because, verb = "its routes may have changed after its table was shown", "told at"
	}
	if why == forward.AnsweredOtherwise {
		because, verb = "asked about that address, the device said something else than its table tells", "stands at"
	}
	v.headline(w, false, "which route %s uses for %s is not known: %s", dev, dst, because)
	if p := v.place(mark); p != "" {
		fmt.Fprintf(w, "  %s %s\n", verb, p)
	}
	v.lines(w, "  ", []route.Mark{mark})
	fmt.Fprintf(w, "\n%s.\n", captureNext(r))
}

// supposedTable says that a table is supposed, "" for a captured one.
func supposedTable(t *network.Table) string {
	if !t.Supposed {
		return ""
	}
	return ", assuming that it has the table that its configuration makes"
}

// captureNext says what would tell.
func captureNext(r forward.Explanation) string {
	dev, fam := Clean(r.Device.Name), familyName(r.Choice.Table.Family)
	switch why, _, _ := r.CannotTell(); why {
	case forward.RowUnread:
		return fmt.Sprintf("Read that line yourself, or capture the %s routing table of %s in another form", fam, dev)
	case forward.CapturesBlended:
		return fmt.Sprintf("Put what belongs to another device than %s into a folder of its own", dev)
	case forward.ChangedSince, forward.AnsweredOtherwise:
		return fmt.Sprintf("Capture the %s routing table of %s again", fam, dev)
	}
	return fmt.Sprintf("Capture the whole %s routing table of %s", fam, dev)
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
	by := fmt.Sprintf("its %s route %s%s", learned(best.Attributes), best.Prefix, inParens(numbers(best)))
	if d := c.Match.Contradiction; d != nil && d.Kind == network.GoneMoment {
		return fmt.Sprintf("has two captures of different moments, of which only one has the route %s to %s: what "+
			"holds now is not known", best.Prefix, dst)
	}
	if c.Match.Contradiction != nil {
		return fmt.Sprintf(
			"has two captures of different moments, which lead %s to different next hops by %s: what holds now is "+
				"not known",
			dst,
			best.Prefix,
		)
	}
	if c.Match.Refused {
		return fmt.Sprintf(
			"chose %s for %s, but its forwarding table did not take it: what packets follow is not known",
			by,
			dst,
		)
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
	fmt.Fprintf(w, "\nLongest prefix: %s is the longest that covers %s and forwards. Without it:\n", best, dst)
	v.lostRows(w, shorter)
}

// rivals lists what lost against the route that is used, or says why the capture cannot show it.
func (v View) rivals(w io.Writer, c selection.Choice, same []selection.Lost) {
	best := c.Match.Routes[0]
	switch {
	case len(same) > 0:
		fmt.Fprintf(w, "\nAmong the candidates for %s:\n", best.Prefix)
		v.lostRows(w, same)
	case c.Table.Supposed:
	case c.Table.Kernel && !c.Table.Chosen:
		fmt.Fprintf(
			w,
			"\nPreference: a table of what forwards shows neither preferences nor what lost; the routing table would "+
				"show both.\n",
		)
	case !showsLosers(c.Table):
		fmt.Fprintf(
			w,
			"\nPreference: this capture lists only what was chosen; what lost for %s would stand in the protocols' "+
				"own lists and in the configuration.\n",
			best.Prefix,
		)
	default:
		fmt.Fprintf(w, "\nPreference: no other candidate for %s was captured.\n", best.Prefix)
	}
	if n := len(c.Resolutions); n > 1 && c.Match.Contradiction == nil {
		var parts []string
		total := 0.0
		for _, r := range c.Resolutions {
			total += r.Share
		}
		for _, r := range c.Resolutions {
			parts = append(
				parts,
				fmt.Sprintf("%s %.0f %%", to(r.NextHop.Address, r.NextHop.Interface), 100*r.Share/total),
			)
		}
		fmt.Fprintf(w, "\nEqual cost: %s.\n", strings.Join(parts, ", "))
	}
	if kept := passive(best.Attributes); len(kept) > 0 {
		fmt.Fprintf(w, "\nNot used of its next hops: %s.\n", strings.Join(kept, ", "))
	}
}

// showsLosers reports whether a capture of this form lists candidates that were not chosen: it does if it has one.
func showsLosers(t *network.Table) bool {
	for i := range t.Routes().Len() {
		if _, s := t.Routes().Used(i); s&(route.Active|route.Installed) == 0 {
			return true
		}
	}
	return false
}

// passive words the next hops of a route that carry nothing now.
func passive(a *route.Attributes) []string {
	used := a.Forwarding()
	var out []string
	for _, h := range a.NextHops {
		if slices.Contains(used, h) || h.Recursive {
			continue
		}
		why := "another one is selected"
		switch {
		case h.Inactive:
			why = "inactive"
		case h.Backup:
			why = "kept as a backup"
		}
		out = append(out, to(h.Address, h.Interface)+" ("+why+")")
	}
	return out
}

// lostRows writes what lost and why.
func (v View) lostRows(w io.Writer, all []selection.Lost) {
	rows := [][]string{}
	for _, l := range all {
		place := v.place(l.Route.Mark)
		if v.Lines { // it stands above the line itself
			place = ""
		}
		rows = append(
			rows,
			[]string{
				"lost: " + l.Route.Prefix.String(),
				learned(l.Route.Attributes),
				strings.Join(ways(l.Route.Attributes), " and "),
				lostBy(l),
				place,
			},
		)
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
