package network

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// Holding is whether a device answers for a virtual address. The zero Holding is not known: a configuration names the
// address, and which of its routers has it is settled among them.
type Holding uint8

const (
	HoldingNotKnown Holding = iota
	Holds
	StandsBy
)

// A VirtualAddress is one that several routers of a segment share, of which one answers for it at a time (RFC 9568). It
// is none of the device's own.
type VirtualAddress struct {
	Address   netip.Addr
	Interface string
	Holding   Holding
	// Paired: the router is one of two that work as one switch, each of which forwards what is sent to the address,
	// whoever has it.
	Paired bool
	Mark   route.Mark
}

// Virtuals returns the virtual addresses of the device, each once an interface.
func (d *Device) Virtuals() Items[VirtualAddress] { return Items[VirtualAddress]{d.virtuals} }

// VirtualsOf returns what is known of a virtual address on the device, on each interface.
func (d *Device) VirtualsOf(a netip.Addr) Items[VirtualAddress] {
	return Items[VirtualAddress]{d.virtualAt[a]}
}

func (d *Device) setVirtuals(merged []VirtualAddress) {
	d.virtuals, d.virtualAt = merged, nil
	for _, v := range merged {
		if d.virtualAt == nil {
			d.virtualAt = map[netip.Addr][]VirtualAddress{}
		}
		d.virtualAt[v.Address] = append(d.virtualAt[v.Address], v)
	}
}

// mergeVirtuals keeps each address once an interface: what a listing of the moment says outranks a configuration, and
// listings that disagree say nothing.
func mergeVirtuals(all []VirtualAddress) []VirtualAddress {
	type key struct {
		address netip.Addr
		ifname  string
	}
	at, odd := map[key]int{}, map[key]bool{}
	var out []VirtualAddress
	for _, v := range all {
		k := key{v.Address, v.Interface}
		i, ok := at[k]
		if ok {
			out[i].Paired = out[i].Paired || v.Paired
			v.Paired = out[i].Paired
		}
		switch {
		case !ok:
			at[k], out = len(out), append(out, v)
		case v.Holding == HoldingNotKnown, v.Holding == out[i].Holding, odd[k]:
		case out[i].Holding == HoldingNotKnown:
			out[i] = v
		default:
			odd[k], out[i].Holding = true, HoldingNotKnown
		}
	}
	return out
}
