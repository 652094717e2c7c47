package settle

import (
	"net/netip"

	"zarvek/internal/core/network"
)

// member is a router's part in a virtual address.
type member struct {
	device, ifname string
	address        netip.Addr
}

// takeOver moves virtual addresses (RFC 9568) whose router went down, with its interface or as a whole, to the router
// that is left: of several it is not known which one takes over, nor which one has it once a router came back.
func (r *run) takeOver() {
	up := func(name, ifname string) bool {
		d := r.now.Device(name)
		return d != nil && d.Interface(ifname).State != network.LinkDown
	}
	settled := map[member]network.Holding{}
	for _, d := range r.topo.Network.Devices().All() {
		if r.now.Device(d.Name) == d {
			continue
		}
		for _, v := range d.Virtuals().All() {
			was, is := d.Interface(v.Interface).State != network.LinkDown, up(d.Name, v.Interface)
			if was == is || was && v.Holding != network.Holds {
				continue
			}
			var left []member
			for _, m := range r.sharers(d, v, was) {
				if up(m.device, m.ifname) {
					left = append(left, m)
				}
			}
			holding := network.HoldingNotKnown
			if len(left) == 1 {
				holding = network.Holds
			}
			for _, m := range left {
				settled[m] = holding
			}
		}
	}
	r.hold(settled)
}

// sharers are the routers with a part in a virtual address of d: those on the link where it was up, else all of that
// address, since nothing tells the link.
func (r *run) sharers(d *network.Device, v network.VirtualAddress, linked bool) []member {
	out := []member{{d.Name, v.Interface, v.Address}}
	for _, o := range r.topo.Parts(v.Address) {
		if o.Device != d && (!linked || r.topo.OneSegment(d, v.Interface, o.Device, o.Interface)) {
			out = append(out, member{o.Device.Name, o.Interface, v.Address})
		}
	}
	return out
}

// hold notes who has virtual addresses now.
func (r *run) hold(settled map[member]network.Holding) {
	changed := map[string][]network.VirtualAddress{}
	for m := range settled {
		changed[m.device] = nil
	}
	for name := range changed {
		list := r.now.Device(name).Virtuals().Copy()
		for i, v := range list {
			if h, ok := settled[member{name, v.Interface, v.Address}]; ok {
				list[i].Holding = h
			}
		}
		if r.draft == nil {
			r.draft = r.now.Draft()
		}
		r.draft.SetVirtuals(name, list)
	}
	r.flush(true)
}
