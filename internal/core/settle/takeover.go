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
	for _, d := range r.topo.Network.Devices().All() {
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
			r.share(left)
		}
	}
	r.flush(true)
}

// sharers are the routers with a part in a virtual address of d: those on the link where it was up, else all of that
// address, since nothing tells the link.
func (r *run) sharers(d *network.Device, v network.VirtualAddress, linked bool) []member {
	out := []member{{d.Name, v.Interface, v.Address}}
	for _, o := range r.topo.Network.Devices().All() {
		for _, x := range o.Virtuals().All() {
			if o != d && x.Address == v.Address && (!linked || r.topo.OneSegment(d, v.Interface, o, x.Interface)) {
				out = append(out, member{o.Name, x.Interface, x.Address})
			}
		}
	}
	return out
}

// share gives an address to the one of the routers that is left; of several none is known to have it.
func (r *run) share(left []member) {
	holding := network.HoldingNotKnown
	if len(left) == 1 {
		holding = network.Holds
	}
	for _, m := range left {
		list := r.now.Device(m.device).Virtuals().Copy()
		if r.draft == nil {
			r.draft = r.now.Draft()
		}
		for i := range list {
			if list[i].Address == m.address && list[i].Interface == m.ifname {
				list[i].Holding = holding
			}
		}
		r.draft.SetVirtuals(m.device, list)
		r.flush(true) // a device may take over several
	}
}
