package casefile

import (
	"encoding/json"
	"os"
	"slices"
	"time"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/route"
	"zarvek/internal/gather/record"
	"zarvek/internal/source"
)

// Ages tells when each device's captures were taken: when they were gathered or collected where provenance.json says
// so, else when the newest of its files was written.
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

// A provenance is what provenance.json says of one capture.
type provenance struct {
	File      string           `json:"file"`
	Collected time.Time        `json:"collected"`
	Gathered  *record.Gathered `json:"gathered"`
}

// provenances reads provenance.json; nothing where there is none.
func (c *Case) provenances() []provenance {
	raw, err := source.ReadFile(c.at.path(ProvenanceFile), source.MaxRecord)
	if err != nil {
		return nil
	}
	var items []provenance
	_ = json.Unmarshal(raw, &items) // one that cannot be read only costs the times
	return items
}

// collected tells when each file was captured where it was gathered, else when it was collected.
func (c *Case) collected() map[string]time.Time {
	out := map[string]time.Time{}
	for _, i := range c.provenances() {
		out[i.File] = i.Collected
		if i.Gathered != nil && !i.Gathered.End.IsZero() {
			out[i.File] = i.Gathered.End
		}
	}
	return out
}

// A Gathering is when and how a device of the case was asked.
type Gathering struct {
	Device string
	record.Gathered
}

// Gathered lists the devices that were gathered, in the order of the record.
func (c *Case) Gathered() []Gathering {
	of := map[string]string{}
	for _, f := range c.Files {
		for i := range f.Parts {
			of[f.Source.Name] = f.DeviceOf(&f.Parts[i])
		}
	}
	var out []Gathering
	seen := map[string]bool{}
	for _, i := range c.provenances() {
		d := of[i.File]
		if i.Gathered == nil || d == "" || seen[d] {
			continue
		}
		seen[d] = true
		out = append(out, Gathering{d, *i.Gathered})
	}
	return out
}

// Moved lists the tables that changed while their devices were gathered.
func (c *Case) Moved() []audit.Moved {
	var out []audit.Moved
	for _, g := range c.Gathered() {
		for _, m := range g.Moved {
			out = append(out, audit.Moved{Device: g.Device, Command: m.Command, Gone: m.Gone, Come: m.Come})
		}
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
