package present

import (
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// jsonArguments are what a reason's code is about, by name; what does not belong to the code is left out.
type jsonArguments struct {
	Device    string `json:"device,omitempty"`
	Address   string `json:"address,omitempty"`
	Interface string `json:"interface,omitempty"`
	Table     string `json:"table,omitempty"`
	Failure   string `json:"failure,omitempty"`
	Special   string `json:"special-next-hop,omitempty"`
	Check     string `json:"source-check,omitempty"`
	Bare      bool   `json:"interface-without-address,omitempty"`
	Behind    string `json:"known-at,omitempty"`
	NotTaken  string `json:"chosen-and-not-forwarding,omitempty"`
	Inner     string `json:"outer-packet,omitempty"`
	Host      string `json:"host-setting,omitempty"`
}

var hostFaultWords = map[forward.HostFault]string{
	forward.MaskTooWide:      "mask-too-wide",
	forward.GatewayElsewhere: "gateway-elsewhere",
}

// shownTable is the name of a table for programs, "" for one that no capture shows.
func shownTable(name string) string {
	if name == topology.UntoldTable {
		return ""
	}
	return name
}

// arguments are the values of a reason, for programs that word it themselves.
func arguments(r forward.Reason) jsonArguments {
	a := jsonArguments{
		Device:    r.Device,
		Interface: r.Interface,
		Table:     shownTable(r.Table),
		Failure:   r.Failure.String(),
		Special:   r.Special.String(),
		Behind:    r.Behind,
		Host:      hostFaultWords[r.Host],
		Bare:      r.Bare,
	}
	if r.Address.IsValid() {
		a.Address = r.Address.String()
	}
	if r.NotTaken.IsValid() {
		a.NotTaken = r.NotTaken.String()
	}
	if r.Code == forward.SourceFails || r.Code == forward.SourceByDefault || r.Code == forward.SourceUsual {
		a.Check = r.Check.String()
	}
	if r.Code == forward.TunnelFails {
		a.Inner = r.Inner.String()
	}
	return a
}

// jsonCannotTell says why a direction is unknown: the reason's code, the lines in the way, and what to capture.
type jsonCannotTell struct {
	Because   string        `json:"because"`
	Arguments jsonArguments `json:"arguments"`
	Evidence  []jsonPlace   `json:"evidence"`
	Capture   *string       `json:"capture"`
}

// cannotTell tells what an unknown direction hangs on; nil where the direction is decided.
func (v View) cannotTell(d forward.Direction, dst forward.End) *jsonCannotTell {
	worst, ok := d.Worst()
	if !ok || worst.Verdict != forward.Unknown {
		return nil
	}
	return &jsonCannotTell{
		worst.Reason.Code.String(),
		arguments(worst.Reason),
		v.marked(worst.Reason.Marks),
		text(advice(worst, dst.Address)),
	}
}

func (v View) marked(marks []route.Mark) []jsonPlace {
	return append([]jsonPlace{}, v.places(marks)...)
}
