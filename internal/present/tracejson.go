package present

import (
	"io"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
)

type jsonEnd struct {
	Address string  `json:"address"`
	Name    *string `json:"name"`
}

type jsonHop struct {
	Device     string      `json:"device"`
	Table      string      `json:"table"`
	In         *string     `json:"in-interface"`
	Prefix     *string     `json:"matched-prefix"`
	Steered    bool        `json:"steered-by-policy,omitempty"`
	Protocol   *string     `json:"source-protocol"`
	NextHop    *string     `json:"next-hop-address"`
	Out        *string     `json:"outgoing-interface"`
	Confidence string      `json:"owner-confidence"`
	Evidence   *jsonPlace  `json:"evidence"`
	More       []jsonPlace `json:"more-evidence,omitempty"`
	ResolvedBy []jsonRoute `json:"resolved-by,omitempty"`
	Assumed    []jsonPlace `json:"assumed-permitted,omitempty"`
}

type jsonBranch struct {
	Share    float64       `json:"share"`
	Verdict  string        `json:"verdict"`
	Where    *string       `json:"where"`
	Delivery *string       `json:"delivery"`
	Hops     []jsonHop     `json:"hops"`
	Reason   string        `json:"reason"`
	Code     *string       `json:"reason-code"`
	About    jsonArguments `json:"reason-arguments"`
	Advice   *string       `json:"what-to-do"`
	Evidence []jsonPlace   `json:"reason-evidence"`
	Assumed  bool          `json:"start-assumed"`
	Weak     bool          `json:"weak-evidence"`
}

type jsonDirection struct {
	Verdict  string          `json:"verdict"`
	Branches []jsonBranch    `json:"branches"`
	Omitted  bool            `json:"branches-omitted"`
	Unknown  *jsonCannotTell `json:"cannot-tell,omitempty"`
}

// TraceJSON writes a round trip by the JSON contract.
func TraceJSON(w io.Writer, t TraceView, v View) error {
	rt := t.RoundTrip
	doc := struct {
		Source      jsonEnd        `json:"source"`
		Destination jsonEnd        `json:"destination"`
		Verdict     string         `json:"verdict"`
		Forward     jsonDirection  `json:"forward"`
		Return      *jsonDirection `json:"return"`
		ReturnAlone bool           `json:"return-is-hypothetical"`
		Later       bool           `json:"behind-first-segment,omitempty"`
		OnlyOut     []string       `json:"only-out"`
		OnlyBack    []string       `json:"only-back"`
		OneSided    []string       `json:"stateful-sees-one-direction"`
		Mend        []string       `json:"mend,omitempty"`

		Assumed []jsonAssumption `json:"assumed"`
	}{
		Source:      jsonEnd{rt.Source.Address.String(), text(rt.Source.Name)},
		Destination: jsonEnd{rt.Destination.Address.String(), text(rt.Destination.Name)},
		Verdict:     rt.Verdict.String(),
		Forward:     v.jsonDirection(rt.Forward, rt.Destination),
		ReturnAlone: rt.ReturnAlone && rt.Return != nil,
		Later:       rt.Later,
		OnlyOut:     append([]string{}, rt.Asymmetry().OnlyOut...),
		OnlyBack:    append([]string{}, rt.Asymmetry().OnlyBack...),
		OneSided:    append([]string{}, rt.OneSided...),
		Mend:        t.cureWords(v.Option),
		Assumed:     jsonAssumed(t.Assumed),
	}
	if rt.Return != nil {
		d := v.jsonDirection(*rt.Return, rt.Source)
		doc.Return = &d
	}
	return writeJSON(w, doc)
}

// jsonDirection is one direction for programs, with the reasons by code and by words.
func (v View) jsonDirection(d forward.Direction, dst forward.End) jsonDirection {
	j := jsonDirection{
		Verdict:  d.Verdict.String(),
		Branches: []jsonBranch{},
		Omitted:  d.Omitted,
		Unknown:  v.cannotTell(d, dst),
	}
	for _, b := range d.Branches {
		jb := jsonBranch{
			Share:    b.Share,
			Verdict:  b.Verdict.String(),
			Where:    text(b.Where),
			Delivery: text(b.Delivery.String()),
			Hops:     []jsonHop{},
			Reason:   alone(b, dst.Address),
			Code:     text(b.Reason.Code.String()),
			About:    arguments(b.Reason),
			Evidence: v.places(b.Reason.Marks),
			Assumed:  b.Assumed,
			Weak:     b.Weak,
		}
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

// jsonHop is a hop for programs; the first line of its evidence stands by itself, since most have one.
func (v View) jsonHop(h forward.Hop) jsonHop {
	j := jsonHop{
		Device:     h.Device,
		Table:      shownTable(h.Table),
		In:         text(h.InInterface),
		Prefix:     prefix(h.Prefix),
		Steered:    h.Steered,
		NextHop:    address(h.NextHop),
		Out:        text(h.OutInterface),
		Confidence: h.Owner.String(),
	}
	if h.Route.Attributes != nil {
		j.Protocol = text(h.Route.Protocol.String())
	}
	if all := v.places(h.Evidence); len(all) > 0 {
		j.Evidence, j.More = &all[0], all[1:]
	}
	j.Assumed = v.places(h.Assumed)
	for _, r := range h.Via {
		j.ResolvedBy = append(j.ResolvedBy, v.jsonRoute(r, []route.Mark{r.Mark}))
	}
	return j
}
