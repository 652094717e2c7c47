package network

import (
	"slices"

	"zarvek/internal/core/route"
)

// FilterCount is what was read of what decides over packets on a device.
type FilterCount struct {
	Lines    int          // lines with rules that were understood
	Open     []route.Mark // lines of rules and filters that were not, in the order of the rules
	Changing int          // translations of addresses
}

// CountFilters counts the lines of a device's filters, each once.
func (d *Device) CountFilters() FilterCount {
	var c FilterCount
	seen, open := map[route.Mark]bool{}, map[route.Mark]bool{}
	for _, r := range d.Flows().All() {
		switch {
		case r.Missing == SeveralBlended, r.NotRead && r.Permit: // no filter, and what passes one by
		case r.NotRead || r.Undecided:
			if !open[r.Mark] {
				c.Open = append(c.Open, r.Mark)
			}
			open[r.Mark] = true
		default:
			seen[r.Mark] = true
		}
	}
	for m := range seen {
		if !open[m] {
			c.Lines++
		}
	}
	c.Changing = d.Translations().Len()
	c.Open = slices.Clip(c.Open)
	return c
}
