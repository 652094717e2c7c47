package audit

import (
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

const (
	// PreferenceTooGood means that a static route is used although a routing protocol knows the prefix.
	PreferenceTooGood Kind = "preference-too-good"
	// BackupCannotFloat means that a route that was meant as a backup cannot be one: its prefix is longer, nothing
	// leads to its next hop, or its preference is one that is never used.
	BackupCannotFloat Kind = "backup-cannot-float"
	// BackupInUse means that a route with a backup's preference is used, and nothing better is there.
	BackupInUse Kind = "backup-in-use"
)

// findBackups asks for every prefix with a static route what selection remarks on it.
func findBackups(s *caseView) []Finding {
	var out []Finding
	for _, d := range s.net.Devices().All() {
		for _, t := range d.Tables().All() {
			for p := range staticPrefixes(t) {
				c := selection.Explain(d, t, p)
				for _, r := range c.Remarks {
					if f, ok := backupFinding(d, t, r); ok {
						out = append(out, f)
					}
				}
				for _, l := range c.Lost {
					if l.Route.Prefix == p && never(t, l.Route) {
						out = append(out, neverFinding(d, t, l.Route))
					}
				}
			}
		}
	}
	return out
}

// neverUsed is the preference with which many devices never use a route, whatever else there is. RFC 8349 knows no such
// value; it is the largest one where preferences have a byte.
const neverUsed = 255

func never(t *network.Table, r route.Route) bool {
	return r.Protocol == route.Static && !t.HighestWins && r.Preference == route.N(neverUsed)
}

// neverFinding tells of a static route whose preference means that it is never used.
func neverFinding(d *network.Device, t *network.Table, r route.Route) Finding {
	f := Finding{
		Kind:     BackupCannotFloat,
		Severity: Risk,
		Device:   d.Name,
		Table:    t.Name,
		Family:   t.Family,
		Detail:   BackupDetail{Route: r, NeverUsed: neverUsed},
		Marks:    marks(r.Mark),
		Repair:   []Repair{{Kind: LowerPreference, Device: d.Name, Prefix: r.Prefix, Preference: neverUsed}},
	}
	f.identify(r.Prefix, hopsText(r), neverUsed)
	return f
}

// backupFinding makes a finding of what was remarked about a static route, and reports whether it is one.
func backupFinding(d *network.Device, t *network.Table, r selection.Remark) (Finding, bool) {
	f := Finding{
		Severity: Risk,
		Device:   d.Name,
		Table:    t.Name,
		Family:   t.Family,
		Detail:   BackupDetail{Route: r.Route, Against: r.Against, Trap: r.Kind},
		Marks:    marks(r.Route.Mark, r.Against.Mark),
	}
	switch r.Kind {
	case selection.ReplacesLearned:
		f.Kind = PreferenceTooGood
		f.Repair = []Repair{{Kind: RaisePreference, Device: d.Name, Prefix: r.Route.Prefix, Preference: r.Number}}
	case selection.LongerThanLearned:
		f.Kind = BackupCannotFloat
		f.Repair = []Repair{{Kind: MatchPrefix, Device: d.Name, Prefix: r.Against.Prefix}}
	case selection.BackupUseless:
		f.Kind = BackupCannotFloat
		f.Repair = []Repair{{Kind: ChangeNextHop, Device: d.Name, Prefix: r.Route.Prefix}}
	case selection.BackupInUse:
		f.Kind, f.Severity = BackupInUse, Note
	default:
		return f, false
	}
	f.identify(r.Route.Prefix, r.Kind, hopsText(r.Route))
	return f, true
}

// hopsText names a route's next hops, for identifiers.
func hopsText(r route.Route) string {
	s := ""
	if r.Attributes == nil {
		return s
	}
	for _, h := range r.NextHops {
		s += h.Address.String() + "%" + h.Interface + " "
	}
	return s
}
