package present

import (
	"fmt"
	"io"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/selection"
)

// statics writes what became of the configured static routes: a row each, and below it why it is not in use.
func (v View) statics(w io.Writer, all []selection.Configured) {
	var rows [][]string
	var out []selection.Configured
	for _, s := range all {
		if s.Index >= 0 { // the table tells of it already
			continue
		}
		out = append(out, s)
		rows = append(rows, []string{"static " + s.Static.Prefix.String(), strings.Join(ways(s.Route.Attributes), " and "),
			"preference " + number(s.Route.Preference) + ifAssumed(s.Assumed && !s.Static.Preference.Known),
			v.place(s.Static.Mark)})
	}
	if len(rows) == 0 {
		return
	}
	fmt.Fprintln(w, "\nConfigured, and not in the table:")
	var aligned strings.Builder
	columns(&aligned, "  ", rows)
	i := 0
	for row := range strings.Lines(aligned.String()) {
		fmt.Fprint(w, row)
		v.wrapped(w, "    ", fateWords(out[i])+v.toldAt(out[i]))
		i++
	}
	for _, s := range out {
		v.lines(w, "  ", s.Lines())
	}
}

// toldAt names the line that tells of what a static route is tied to.
func (v View) toldAt(s selection.Configured) string {
	if !s.Told.Known() {
		return ""
	}
	return " (told at " + v.place(s.Told) + ")"
}

func ifAssumed(yes bool) string {
	if yes {
		return " (assumed)"
	}
	return ""
}

// fateWords says why a configured static route is not in use, and what would make it so.
func fateWords(s selection.Configured) string {
	hop := to(s.Static.NextHop.Address, s.Static.NextHop.Interface)
	switch s.Fate {
	case selection.Standby:
		return fmt.Sprintf(
			"waits as a backup: %s%s comes first",
			learned(s.Winner.Attributes),
			inParens(numbers(s.Winner)),
		)
	case selection.HopUnresolved:
		return fmt.Sprintf("not valid: %s, %s; it needs a route to %s", hop, failureWords[s.Failure], hop)
	case selection.HopUntold:
		return fmt.Sprintf("whether it is valid cannot be told: %s, %s", hop, failureWords[s.Failure])
	case selection.HopByDefault:
		return fmt.Sprintf("not valid on most devices: only the default route leads to %s; it needs a longer one", hop)
	case selection.InterfaceDown:
		return "not valid: its interface is down; it needs that up"
	case selection.InterfaceGone:
		return fmt.Sprintf("not valid: the device has no interface %s", Clean(s.Static.NextHop.Interface))
	case selection.AgainstTheOrder:
		return fmt.Sprintf("should be in use before %s by %s, and is not: captured at another time%s?",
			learned(s.Winner.Attributes), ruleWords[s.Why], orTied(s.Static))
	case selection.ObjectDown, selection.SessionDown:
		return tieWords(s.Static) + ", which it is tied to, is down"
	}
	return "valid by all that was captured, and yet not in the table: captured at another time" + orTied(s.Static) + "?"
}

// tieWords names what a static route is tied to, "" for nothing.
func tieWords(s network.Static) string {
	switch {
	case s.Tie.Object != "":
		return fmt.Sprintf("the tracked object %q", Clean(s.Tie.Object))
	case s.Tie.Session:
		if s.NextHop.Address.IsValid() {
			return "the liveness session with " + s.NextHop.Address.String()
		}
		return "a liveness session"
	}
	return ""
}

// orTied is the other reason that keeps a static route out of the table.
func orTied(s network.Static) string {
	if tie := tieWords(s); tie != "" {
		return ", or " + tie + ", which it is tied to, is down"
	}
	return ", or tied to something else"
}
