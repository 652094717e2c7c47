package present

import (
	"bufio"
	"fmt"
	"io"

	"zarvek/internal/core/forward"
)

// An Answer is one pair of a list with what was found.
type Answer struct {
	Line      int // of the list
	From, To  string
	RoundTrip forward.RoundTrip
	Err       error
}

// ManyText writes the counts, then a line for each pair.
func ManyText(out io.Writer, all []Answer, v View) error {
	w := bufio.NewWriterSize(out, 1<<16)
	var n [4]int
	bad := 0
	for _, a := range all {
		if a.Err != nil {
			bad++
		} else {
			n[a.RoundTrip.Verdict]++
		}
	}
	not := ""
	if bad > 0 {
		not = fmt.Sprintf(", %d not understood", bad)
	}
	v.headline(w, n[forward.TwoWay] == len(all), "%s: %d two-way, %d one-way, %d broken, %d unknown%s", count(len(all), "pair", "pairs"),
		n[forward.TwoWay], n[forward.OneWay], n[forward.Broken], n[forward.BothUnknown], not)
	fmt.Fprintln(w)
	for _, a := range all {
		if a.Err != nil {
			fmt.Fprintf(w, "line %d: %s\n", a.Line, Clean(a.Err.Error()))
			continue
		}
		rt := a.RoundTrip
		fmt.Fprintf(w, "%s: %s\n", rt.Verdict, headlineOf(rt, endName(rt.Source), endName(rt.Destination)))
	}
	return w.Flush()
}

// ManyJSON writes a line of JSON for each pair inside one array: the contract's round trip without its hops.
func ManyJSON(out io.Writer, all []Answer, v View) error {
	type jsonAnswer struct {
		Line        int      `json:"line"`
		Source      *jsonEnd `json:"source"`
		Destination *jsonEnd `json:"destination"`
		Verdict     string   `json:"verdict"`
		Forward     string   `json:"forward"`
		Return      *string  `json:"return"`
		Where       *string  `json:"where"`
		Reason      string   `json:"reason"`
		Error       *string  `json:"error,omitempty"`
	}
	list := []jsonAnswer{}
	for _, a := range all {
		j := jsonAnswer{Line: a.Line}
		if a.Err != nil {
			j.Error = text(a.Err.Error())
			list = append(list, j)
			continue
		}
		rt := a.RoundTrip
		j.Source = &jsonEnd{rt.Source.Address.String(), text(rt.Source.Name)}
		j.Destination = &jsonEnd{rt.Destination.Address.String(), text(rt.Destination.Name)}
		j.Verdict, j.Forward = rt.Verdict.String(), rt.Forward.Verdict.String()
		if rt.Return != nil {
			j.Return = text(rt.Return.Verdict.String())
		}
		worst, _ := rt.Forward.Worst()
		if rt.Forward.Verdict == forward.Arrives && rt.Return != nil {
			worst, _ = rt.Return.Worst()
		}
		j.Where, j.Reason = text(worst.Where), headlineOf(rt, endName(rt.Source), endName(rt.Destination))
		list = append(list, j)
	}
	return writeJSON(out, list)
}
