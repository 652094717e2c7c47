package casefile

import (
	"encoding/json"
	"os"
	"slices"
	"time"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/route"
	"zarvek/internal/source"
)

// Ages tells when each device's captures were taken: when they were collected where provenance.json says so, else when
// the newest of its files was written.
func (c *Case) Ages() []audit.Age {
	collected := c.collected()
	newest := map[string]time.Time{}
	for _, f := range c.Files {
		at, ok := collected[f.Source.Name]
		if !ok {
			info, err := os.Stat(c.at.path(f.Source.Name))
			if err != nil {
				continue
			}
			at = info.ModTime()
		}
		for i := range f.Parts {
			if d := f.DeviceOf(&f.Parts[i]); f.Parts[i].Routes() > 0 && at.After(newest[d]) {
				newest[d] = at
			}
		}
	}
	var out []audit.Age
	for _, d := range c.Network.Devices().All() {
		if at, ok := newest[d.Name]; ok {
			out = append(out, audit.Age{Device: d.Name, Minutes: at.Unix() / 60})
		}
	}
	return out
}

// collected reads the times of provenance.json; nothing where there is none.
func (c *Case) collected() map[string]time.Time {
	raw, err := source.ReadFile(c.at.path(ProvenanceFile), source.MaxRecord)
	if err != nil {
		return nil
	}
	var items []struct {
		File      string    `json:"file"`
		Collected time.Time `json:"collected"`
	}
	_ = json.Unmarshal(raw, &items) // one that cannot be read only costs the times
	out := map[string]time.Time{}
	for _, i := range items {
		out[i.File] = i.Collected
	}
	return out
}

// UnreadInTables lists, for each device, the lines that could not be read although a layout was recognised around them.
func (c *Case) UnreadInTables() []audit.Unread {
	byDevice := map[string][]route.Mark{}
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			if p.Layout == "" {
				continue
			}
			for _, u := range p.Unread {
				d := f.DeviceOf(p)
				byDevice[d] = append(byDevice[d], u.Mark)
			}
		}
	}
	var out []audit.Unread
	for d, m := range byDevice {
		out = append(out, audit.Unread{Device: d, Marks: m})
	}
	slices.SortFunc(out, func(a, b audit.Unread) int {
		if a.Device < b.Device {
			return -1
		}
		return 1
	})
	return out
}
