package topology

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// mostOutside bounds how much of a link's network one translation may stand for, as bits: more is no address of its
// own.
const mostOutside = 8

// outside is a device that puts another address in place of one, on a link in whose network that lies (RFC 3022).
type outside struct {
	port
	answers bool // it is sure to answer for the address there
	mark    route.Mark
}

// addTranslated notes the addresses that stand outside for others, in networks that the attachments from first on are
// in: each device once a link, however many rules there are for one address.
func (t *Topology) addTranslated(d *network.Device, first int) {
	for _, x := range d.Translations().All() {
		p, ifname := x.To.Masked(), x.In
		if !x.Destination {
			p, ifname = netip.PrefixFrom(x.Becomes, x.Becomes.BitLen()), x.Out
		}
		// else hosts may have them
		if !p.IsValid() || p.Addr().BitLen()-p.Bits() > mostOutside || x.Keep || ifname == "" && !x.OnLink {
			continue
		}
		for _, at := range t.attachments[first:] {
			if at.Down || at.Prefix.IsSingleIP() || at.Prefix.Bits() >= p.Bits() || !at.Prefix.Contains(p.Addr()) ||
				ifname != "" && at.Interface != ifname {
				continue
			}
			here := outside{portOf(d, at.Interface), x.OnLink, x.Mark}
			n, ok := t.translated.Exact(p)
			if !ok {
				n = uint32(len(t.outsides))
				t.translated.Put(p, n)
				t.outsides = append(t.outsides, nil)
			}
			all := t.outsides[n]
			if i := slices.IndexFunc(all, func(y outside) bool { return y.port == here.port }); i >= 0 {
				all[i].answers = all[i].answers || here.answers
			} else {
				t.outsides[n] = append(all, here)
			}
		}
	}
}

// isTranslated answers for an address that a captured device on the link puts in place of another, and that nobody is
// known to have: the device answers for it, where it is sure to or something answers. False where the address is none
// of these.
func (t *Topology) isTranslated(here port, a netip.Addr, alive bool, res *OnLink) bool {
	var able []outside
	for _, n := range t.translated.Covering(netip.PrefixFrom(a, a.BitLen())) {
		for _, x := range t.outsides[n] {
			if x.port == here { // what comes in for it and fits no rule: nobody else is there
				res.Answer, res.Device, res.Interface = Translated, t.device(here), here.ifname
				return true
			}
			if x.device == here.device || t.device(x.port) == nil || !t.sameSegment(here, x.port) {
				continue
			}
			if i := slices.IndexFunc(able, func(y outside) bool { return y.port == x.port }); i < 0 {
				able = append(able, x)
			} else {
				able[i].answers = able[i].answers || x.answers
			}
		}
	}
	if len(able) == 0 {
		return false
	}
	first := able[0]
	res.Answer, res.Device, res.Interface = Translated, t.device(first.port), first.ifname
	res.Marks = append(res.Marks, first.mark)
	if len(able) == 1 && (alive || first.answers) {
		res.Answer, res.Confidence, res.Proxy = Device, Deduced, true
	}
	return true
}
