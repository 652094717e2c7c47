package topology

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
)

// mostOutside bounds how many addresses of one translation are looked at by themselves, as bits of a network.
const mostOutside = 8

// outside is a device that puts another address in place of one, on a link in whose network that lies (RFC 3022).
type outside struct {
	port
	answers bool // it is sure to answer for the address there
	of      network.Translation
}

// addTranslated notes the addresses that stand outside for others, in networks that the attachments from first on are
// in.
func (t *Topology) addTranslated(d *network.Device, first int) {
	for _, x := range d.Translations().All() {
		p, ifname := x.To, x.In
		if !x.Destination {
			p, ifname = netip.Prefix{}, x.Out
			if x.Becomes.IsValid() {
				p = netip.PrefixFrom(x.Becomes, x.Becomes.BitLen())
			}
		}
		if !p.IsValid() || p.Addr().BitLen()-p.Bits() > mostOutside || x.Keep || ifname == "" && !x.OnLink { // else hosts may have them
			continue
		}
		for _, at := range t.attachments[first:] {
			if at.Down || at.Prefix.IsSingleIP() || at.Prefix.Bits() >= p.Bits() || !at.Prefix.Contains(p.Addr()) || ifname != "" && at.Interface != ifname {
				continue
			}
			for a := p.Masked().Addr(); p.Contains(a); a = a.Next() {
				t.translated[a] = append(t.translated[a], outside{portOf(d, at.Interface), x.OnLink, x})
			}
		}
	}
}

// isTranslated answers for an address that a captured device on the link puts in place of another, and that nobody is
// known to have: the device answers for it, where it is sure to or something answers. False where the address is none
// of these.
func (t *Topology) isTranslated(here port, a netip.Addr, alive bool, res *OnLink) bool {
	var able []outside
	own := false
	for _, x := range t.translated[a] {
		if x.device == here.device {
			own = own || x.port == here
			continue
		}
		if t.device(x.port) != nil && t.sameSegment(here, x.port) && !slices.ContainsFunc(able, func(y outside) bool { return y.port == x.port }) {
			able = append(able, x)
		}
	}
	if !own && len(able) == 0 {
		return false
	}
	res.Answer = Translated
	if own { // what comes in for it and fits no rule: nobody else is there
		res.Device, res.Interface = t.device(here), here.ifname
		return true
	}
	first := able[0]
	res.Marks = append(res.Marks, first.of.Mark)
	res.Device, res.Interface = t.device(first.port), first.ifname
	if len(able) == 1 && (alive || slices.ContainsFunc(t.translated[a], func(x outside) bool { return x.port == first.port && x.answers })) {
		res.Answer, res.Confidence, res.Proxy = Device, Deduced, true
	}
	return true
}
