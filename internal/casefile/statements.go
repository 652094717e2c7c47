package casefile

import (
	"math"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/statement"
)

// Statements returns the static routes of a device's captured configurations, as samples of the form in which it has
// them. Those of the notes are in no device's form.
func (c *Case) Statements(d *network.Device) []statement.Sample {
	var out []statement.Sample
	for _, s := range d.Statics().All() {
		if !s.Mark.Known() || int(s.Mark.File) > len(c.Files) {
			continue
		}
		src := c.Files[s.Mark.File-1].Source
		raw := src.Text(route.Mark{File: s.Mark.File, Off: 0, End: uint32(min(src.Size(), math.MaxUint32))})
		if int(s.Mark.End) > len(raw) {
			continue
		}
		out = append(out, statement.Sample{File: src.Name, Raw: raw, Lo: int(s.Mark.Off), Hi: int(s.Mark.End),
			Static: s})
	}
	return out
}

// System tells which open system a device runs, as far as its captures show.
func (c *Case) System(d *network.Device) statement.System {
	sys, kernel := statement.Unknown, false
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			if p.Layout == "" || f.DeviceOf(p) != d.Name {
				continue
			}
			switch {
			case strings.HasPrefix(p.Layout, "FRR"):
				return statement.FRR
			case p.Layout == "BIRD":
				sys = statement.BIRD
			case strings.HasPrefix(p.Layout, "iproute"):
				kernel = true
			}
		}
	}
	if sys == statement.Unknown && kernel &&
		!d.Tables().Any(func(t *network.Table) bool { return t.Chosen || !t.Kernel }) {
		return statement.IPRoute2
	}
	return sys
}
