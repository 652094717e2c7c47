package rehearse

import (
	"fmt"
	"strings"

	"zarvek/internal/core/route"
)

// Words writes an order as a change file has it, so that reading it gives the order again.
func (o Order) Words() string {
	var b strings.Builder
	b.WriteString(o.Device)
	switch o.Verb {
	case Down, Up:
		if o.Interface != "" {
			b.WriteString(":" + o.Interface)
		}
		return b.String()
	case Remove:
		fmt.Fprintf(&b, ": %s", o.Prefix)
		if o.NextHop.IsValid() {
			fmt.Fprintf(&b, " via %s", o.NextHop)
		}
	case Add:
		s := o.Static
		fmt.Fprintf(&b, ": %s", s.Prefix)
		switch s.Special {
		case route.Blackhole:
			b.WriteString(" discard")
		case route.Unreachable:
			b.WriteString(" refuse")
		}
		if s.NextHop.Address.IsValid() {
			fmt.Fprintf(&b, " via %s", s.NextHop.Address)
		}
		if s.NextHop.Interface != "" {
			fmt.Fprintf(&b, " dev %s", s.NextHop.Interface)
		}
		if n := s.Preference; n.Known {
			fmt.Fprintf(&b, " preference %d", n.Value)
		}
		if n := s.Metric; n.Known {
			fmt.Fprintf(&b, " metric %d", n.Value)
		}
	}
	if o.Table != "" && o.Table != "default" {
		b.WriteString(" in " + o.Table)
	}
	return b.String()
}
