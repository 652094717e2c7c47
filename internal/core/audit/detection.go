package audit

import (
	"net/netip"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const (
	// NoDetection means that a static route leads over a shared segment, and nothing would notice the next hop's
	// death: the near interface stays up (RFC 5880 is for that).
	NoDetection Kind = "no-detection"
	// HalfDetection means that only one end of a link has a liveness session with the other.
	HalfDetection Kind = "half-detection"
)

// findDetection looks at the next hops of static routes that forward.
func findDetection(s *caseView) []Finding {
	var out []Finding
	type key struct {
		device string
		hop    netip.Addr
	}
	seen := map[key]int{}
	for _, d := range s.net.Devices().All() {
		for _, t := range d.Tables().All() {
			for p := range staticPrefixes(t) {
				g, _ := t.Exact(p)
				for _, r := range t.Members(g) {
					if r.Protocol != route.Static || !r.Is(route.Installed) || r.Special != route.None {
						continue
					}
					for _, h := range r.Forwarding() {
						k := key{d.Name, h.Address}
						if i, ok := seen[k]; ok {
							if i >= 0 {
								out[i].Missing = append(out[i].Missing, p)
							}
							continue
						}
						f, ok := s.detection(d, r, h)
						if seen[k] = -1; ok {
							seen[k] = len(out)
							f.Table, f.Family, f.Missing = t.Name, t.Family, []netip.Prefix{p}
							f.identify(h.Address)
							out = append(out, f)
						}
					}
				}
			}
		}
	}
	return out
}

// detection judges one next hop: on a segment with room for more than two, who answers there, and what sessions say.
func (s *caseView) detection(d *network.Device, r route.Route, h route.NextHop) (Finding, bool) {
	f := Finding{Kind: NoDetection, Severity: Note, Device: d.Name, Marks: marks(r.Mark)}
	if !h.Address.IsValid() || h.Interface == "" {
		return f, false
	}
	link := s.topo.Find(d, h.Interface, h.Address, false)
	if link.TwoEnds && link.Device != nil && !s.switched(d, h.Interface) {
		return f, false
	}
	far := "" // named where it is captured
	if link.Device != nil {
		far = link.Device.Name
	}
	f.Reason.Device = far
	x := DetectionDetail{h.Address, h.Interface, forward.LivenessOf(d, link.Device, h.Address)}
	f.Detail = x
	f.Marks = append(f.Marks, x.Liveness.Marks...)
	f.Repair = []Repair{{Kind: AddDetection, Device: d.Name, NextHop: h.Address, Interface: h.Interface, Other: far}}
	if s.watches() && link.Device != nil {
		f.Severity = Risk // elsewhere in this network links are watched
	}
	here, there := x.Liveness.Here != forward.NoDetection, x.Liveness.There != forward.NoDetection
	switch {
	case here && (there || link.Device == nil):
		return f, false
	case here != there:
		f.Kind, f.Severity = HalfDetection, Risk
	}
	return f, true
}

// watches reports whether any device was captured with a liveness session.
func (s *caseView) watches() bool {
	return s.net.Devices().Any(func(d *network.Device) bool { return d.Sessions().Len() > 0 })
}

// switched reports whether a link for two is known to have something between its ends: one end is down and the other
// up.
func (s *caseView) switched(d *network.Device, ifname string) bool {
	if d.Interface(ifname).State != network.LinkUp {
		return false
	}
	for _, at := range s.topo.Attachments() {
		if at.Device != d && at.Down && s.topo.SameNetwork(d, ifname, at.Prefix) {
			return true
		}
	}
	return false
}
