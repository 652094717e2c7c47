package present

import (
	"fmt"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// tunnelWords says what is the matter with the far end of a tunnel, behind its name.
func tunnelWords(r forward.Reason, far string) string {
	to := ""
	if r.Address.IsValid() {
		to = fmt.Sprintf(" to %s", r.Address)
	}
	switch r.Code {
	case forward.TunnelElsewhere:
		return fmt.Sprintf("%s, and no capture shows that this comes out at %s, to which the tables inside lead", to, far)
	case forward.TunnelOtherEnds:
		return fmt.Sprintf("%s, and %s has no tunnel that leads back: the one there has other ends, or another key", to, far)
	case forward.TunnelEndDown:
		return fmt.Sprintf("%s, whose other end at %s is down", to, far)
	}
	return ", and no capture tells where that leads"
}

// tunnelEnds says from where to where a tunnel leads, as far as that is told.
func tunnelEnds(t *network.Tunnel) string {
	from, to := "", ", whose far end is not told"
	switch {
	case t.Local.IsValid():
		from = " from " + t.Local.String()
	case t.From != "":
		from = " from the address of " + Clean(t.From)
	}
	switch {
	case t.Many:
		to = " to many ends"
	case t.Remote.IsValid():
		to = " to " + t.Remote.String()
	}
	return from + to
}

// endAs says how packets outside of a tunnel end, before the name of the device at which they do.
func endAs(v forward.Verdict) string {
	if v == forward.Leaves {
		return "leave the captured devices at"
	}
	return fmt.Sprintf("end as %s at", v)
}
