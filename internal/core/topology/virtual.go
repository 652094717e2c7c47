package topology

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// shared is one router's part in a virtual address.
type shared struct {
	port
	holding network.Holding
	paired  bool
	mark    route.Mark
}

// isShared answers for an address that captured routers on the link share (RFC 9568): the one that is shown to have it,
// where just one is and its link is up. False where the address is none of them.
func (t *Topology) isShared(here port, a netip.Addr, res *OnLink) bool {
	var able []shared
	holders := 0
	for _, s := range t.virtual[a] {
		d := t.device(s.port)
		if s.device == here.device || d == nil || !t.sameSegment(here, s.port) {
			continue
		}
		res.Marks = append(res.Marks, s.mark)
		if !slices.Contains(res.Sharers, d) {
			res.Sharers = append(res.Sharers, d)
		}
		if s.holding == network.Holds {
			holders++
			if d.Interface(s.ifname).State != network.LinkDown {
				able = append(able, s)
			}
		}
	}
	if len(res.Sharers) == 0 {
		return false
	}
	res.Answer = Shared
	if holders == 1 && len(able) == 1 {
		res.Answer, res.Device, res.Interface, res.Confidence = Device, t.device(able[0].port), able[0].ifname, Known
		res.Marks, res.Sharers = []route.Mark{able[0].mark}, nil
	}
	return true
}

// Sharing returns where the routers that share a virtual address attach to its network: the one that is shown to have
// it, where just one is, else all.
func (t *Topology) Sharing(a netip.Addr) []Attachment {
	var all, holding []Attachment
	for _, s := range t.virtual[a] {
		for _, at := range t.Attached(a) {
			if at.number != s.device || at.Interface != s.ifname || at.Down {
				continue
			}
			all = append(all, at)
			if s.holding == network.Holds {
				holding = append(holding, at)
			}
			break
		}
	}
	if len(holding) == 1 {
		return holding
	}
	return all
}

// Parts returns the interfaces by which captured routers share an address.
func (t *Topology) Parts(a netip.Addr) []Attachment {
	var out []Attachment
	for _, s := range t.virtual[a] {
		out = append(out, Attachment{Device: t.device(s.port), Interface: s.ifname, number: s.device})
	}
	return out
}

// Virtual reports whether captured routers share an address.
func (t *Topology) Virtual(a netip.Addr) bool { return len(t.virtual[a]) > 0 }
