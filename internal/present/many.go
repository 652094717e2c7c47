package present

import (
	"bufio"
	"fmt"
	"io"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
)

// An Answer is one pair of a list with what was found; no more is kept of a hundred thousand, unless the hops are asked
// for.
type Answer struct {
	Line                int // of the list
	Source, Destination forward.End
	Verdict             forward.Both
	Forward             forward.Verdict
	Return              forward.Verdict // zero where the reply was not followed
	Where               string
	Headline            string
	Assumed             []casefile.Assumption // since no capture tells
	Trip                *forward.RoundTrip    // with its hops; nil: not asked for
	Err                 error
}

// Answered sums up a round trip, which takes for granted what is assumed.
func (v View) Answered(line int, rt *forward.RoundTrip, assumed []casefile.Assumption) Answer {
	a := Answer{
		Line:        line,
		Source:      rt.Source,
		Destination: rt.Destination,
		Verdict:     rt.Verdict,
		Forward:     rt.Forward.Verdict,
		Assumed:     assumed,
	}
	worst, _ := rt.Forward.Worst()
	if rt.Return != nil {
		a.Return = rt.Return.Verdict
		if rt.Forward.Verdict == forward.Arrives {
			worst, _ = rt.Return.Worst()
		}
	}
	a.Where, a.Headline = worst.Where, v.answer(*rt, assumed)
	if rt.Weak() {
		a.Headline += " (on weak evidence)"
	}
	return a
}

// ManyText writes the counts and what is assumed, then a line for each pair.
func ManyText(out io.Writer, all []Answer, v View) error {
	w := bufio.NewWriterSize(out, 1<<16)
	var n [4]int
	bad := 0
	for _, a := range all {
		if a.Err != nil {
			bad++
		} else {
			n[a.Verdict]++
		}
	}
	not := ""
	if bad > 0 {
		not = fmt.Sprintf(", %d not understood", bad)
	}
	v.headline(
		w,
		n[forward.TwoWay] == len(all),
		"%s: %d two-way, %d one-way, %d broken, %d unknown%s",
		count(len(all), "pair", "pairs"),
		n[forward.TwoWay],
		n[forward.OneWay],
		n[forward.Broken],
		n[forward.BothUnknown],
		not,
	)
	v.assumption(w, casefile.Together(func(yield func([]casefile.Assumption) bool) {
		for _, a := range all {
			if !yield(a.Assumed) {
				return
			}
		}
	}))
	fmt.Fprintln(w)
	for _, a := range all {
		if a.Err != nil {
			fmt.Fprintf(w, "line %d: %s\n", a.Line, Clean(a.Err.Error()))
			continue
		}
		fmt.Fprintf(w, "%s: %s\n", a.Verdict, a.Headline)
	}
	return w.Flush()
}

// ManyJSON writes a line of JSON for each pair inside one array: the contract's round trip, with its hops where they
// were asked for.
func ManyJSON(out io.Writer, all []Answer, v View) error {
	type jsonAnswer struct {
		Line        int              `json:"line"`
		Source      *jsonEnd         `json:"source"`
		Destination *jsonEnd         `json:"destination"`
		Verdict     string           `json:"verdict"`
		Forward     string           `json:"forward"`
		Return      *string          `json:"return"`
		Where       *string          `json:"where"`
		Reason      string           `json:"reason"`
		Assumed     []jsonAssumption `json:"assumed,omitempty"`
		Out         *jsonDirection   `json:"out,omitempty"`
		Back        *jsonDirection   `json:"back,omitempty"`
		Error       *string          `json:"error,omitempty"`
	}
	list := []jsonAnswer{}
	for _, a := range all {
		j := jsonAnswer{Line: a.Line}
		if a.Err != nil {
			j.Error = text(a.Err.Error())
			list = append(list, j)
			continue
		}
		j.Source = &jsonEnd{a.Source.Address.String(), text(a.Source.Name)}
		j.Destination = &jsonEnd{a.Destination.Address.String(), text(a.Destination.Name)}
		j.Verdict, j.Forward, j.Return = a.Verdict.String(), a.Forward.String(), text(a.Return.String())
		j.Where, j.Reason = text(a.Where), a.Headline
		j.Assumed = jsonAssumed(a.Assumed)
		if a.Trip != nil {
			j.Out = v.jsonTrip(&a.Trip.Forward, a.Destination)
			j.Back = v.jsonTrip(a.Trip.Return, a.Source)
		}
		list = append(list, j)
	}
	return writeJSON(out, list)
}

// jsonTrip is one direction of a pair, nil where it was not followed.
func (v View) jsonTrip(d *forward.Direction, dst forward.End) *jsonDirection {
	if d == nil {
		return nil
	}
	j := v.jsonDirection(*d, dst)
	return &j
}
