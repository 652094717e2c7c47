package present

import (
	"fmt"
	"io"
	"strings"

	"zarvek/internal/core/change"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

// ReverseText writes how the source checks judge packets from an address.
func ReverseText(w io.Writer, device string, r selection.Reverse, v View) error {
	dev, by := Clean(device), Clean(r.Interface)
	word := func(ok bool) string {
		if ok {
			return "passes"
		}
		return "is dropped"
	}
	if !r.Best.Found() {
		v.headline(
			w,
			false,
			"a packet from %s that comes in at %s by %s fails every source check: no route leads back to it",
			r.Source,
			dev,
			by,
		)
		return nil
	}
	v.headline(
		w,
		r.Strict,
		"a packet from %s that comes in at %s by %s %s under a strict source check",
		r.Source,
		dev,
		by,
		word(r.Strict),
	)
	best := r.Best.Routes[0]
	where := strings.Join(ways(best.Attributes), " and ")
	fmt.Fprintf(w, "  %s leads back: %s, captured at %s\n\n", best.Prefix, where, v.place(best.Mark))
	v.lines(w, "  ", []route.Mark{best.Mark})
	loose := ""
	if r.Loose && r.DefaultOnly {
		loose = "by the default route alone; a check that leaves the default out drops it"
	}
	feasible := ""
	if r.Feasible && !r.Strict {
		feasible = fmt.Sprintf("by %s %s, which is not in use", learned(r.By.Attributes), r.By.Prefix)
	}
	columns(w, "  ", [][]string{{"strict", word(r.Strict), "the best route back must leave by " + by},
		{"feasible", word(r.Feasible), feasible}, {"loose", word(r.Loose), loose}})
	return nil
}

// WishText writes how a route that was not added would fare.
func WishText(w io.Writer, device string, x change.Fare, v View) error {
	dev, p := Clean(device), x.Static.Prefix
	pref := fmt.Sprintf(
		"preference %s%s",
		number(x.Route.Preference),
		ifAssumed(x.Assumed && !x.Static.Preference.Known),
	)
	good := x.Outcome == change.WouldBeAlone || x.Outcome == change.WouldReplace
	what := fmt.Sprintf("a static route %s to %s (%s)", p, strings.Join(ways(x.Route.Attributes), " and "), pref)
	if x.Already {
		v.headline(w, good, "%s has %s already", dev, what)
	} else {
		switch x.Outcome {
		case change.WouldBeAlone:
			v.headline(w, true, "%s would use %s", dev, what)
		case change.WouldReplace:
			v.headline(w, true, "%s would use %s in place of %s", dev, what, learned(x.Winner.Attributes))
		case change.WouldWait:
			v.headline(w, true, "%s would keep %s as a backup: %s (%s) comes first by %s", dev, what,
				learned(x.Winner.Attributes), numbers(x.Winner), ruleWords[x.Why])
		case change.WouldTie:
			v.headline(w, false, "whether %s would use %s is the device's own choice: the rules do not part it from "+
				"%s (%s)", dev, what, learned(x.Winner.Attributes), numbers(x.Winner))
		default:
			v.headline(w, false, "%s could not use %s", dev, what)
			fmt.Fprintf(w, "  %s\n", fateWords(x.Configured))
		}
	}
	if x.Winner.Prefix.IsValid() {
		fmt.Fprintf(
			w,
			"\nIn use for %s now: %s, %s, captured at %s\n",
			p,
			learned(x.Winner.Attributes),
			strings.Join(ways(x.Winner.Attributes), " and "),
			v.place(x.Winner.Mark),
		)
	}
	for _, e := range x.Exits {
		if x.Outcome == change.CouldNotBeUsed {
			break
		}
		s := to(e.Address, e.Interface)
		for _, via := range e.Via {
			s += fmt.Sprintf(", resolved by %s %s", learned(via.Attributes), via.Prefix)
		}
		fmt.Fprintf(w, "\nIts packets would leave to %s.\n", s)
	}
	if x.Takes.Found() && !x.Winner.Prefix.IsValid() {
		t := x.Takes.Routes[0]
		fmt.Fprintf(
			w,
			"\nIts addresses follow %s %s now: %s, captured at %s\n",
			learned(t.Attributes),
			t.Prefix,
			strings.Join(ways(t.Attributes), " and "),
			v.place(t.Mark),
		)
	}
	if len(x.Keeps) > 0 {
		fmt.Fprintln(w, "\nLonger routes inside of it would go on as they are:")
		rows := [][]string{}
		for _, k := range x.Keeps {
			rows = append(
				rows,
				[]string{
					k.Prefix.String(),
					learned(k.Attributes),
					strings.Join(ways(k.Attributes), " and "),
					v.place(k.Mark),
				},
			)
		}
		columns(w, "  ", rows)
		if x.More > 0 {
			fmt.Fprintf(w, "  and %d more\n", x.More)
		}
	}
	return nil
}
