package network

import (
	"iter"
	"net/netip"

	"zarvek/internal/core/prefixes"
	"zarvek/internal/core/route"
)

// Rules that name addresses are found by them: of a list of thousands a packet is asked about those few that may fit.

// fewestIndexed is from how many rules on a chain is looked up in rather than gone through.
const fewestIndexed = 32

// ruleIndex finds the rules of a chain by the longer of the two prefixes that each names.
type ruleIndex struct {
	byTo, byFrom prefixes.Index // numbers of lists
	lists        [][]int32      // numbers of rules, in order
	all          []int32        // that name no prefix
}

// add puts a rule behind those that were added before.
func (x *ruleIndex) add(number int, from, to netip.Prefix) {
	switch {
	case to.IsValid() && (!from.IsValid() || to.Bits() >= from.Bits()):
		x.put(&x.byTo, to, int32(number))
	case from.IsValid():
		x.put(&x.byFrom, from, int32(number))
	default:
		x.all = append(x.all, int32(number))
	}
}

func (x *ruleIndex) put(by *prefixes.Index, p netip.Prefix, rule int32) {
	n, ok := by.Exact(p.Masked())
	if !ok {
		n = uint32(len(x.lists))
		x.lists = append(x.lists, nil)
		by.Put(p.Masked(), n)
	}
	x.lists[n] = append(x.lists[n], rule)
}

// mayFit yields the numbers of the rules that may fit a packet by its addresses, in order.
func (x *ruleIndex) mayFit(src, dst netip.Addr) iter.Seq[int32] {
	return func(yield func(int32) bool) {
		var room [8][]int32
		heads := append(room[:0], x.all)
		for _, side := range [...]struct {
			by   *prefixes.Index
			addr netip.Addr
		}{{&x.byTo, dst}, {&x.byFrom, src}} {
			if !side.addr.IsValid() {
				continue
			}
			for _, n := range side.by.Covering(netip.PrefixFrom(side.addr, side.addr.BitLen())) {
				heads = append(heads, x.lists[n])
			}
		}
		for {
			least := -1
			for i, h := range heads {
				if len(h) > 0 && (least < 0 || h[0] < heads[least][0]) {
					least = i
				}
			}
			if least < 0 || !yield(heads[least][0]) {
				return
			}
			heads[least] = heads[least][1:]
		}
	}
}

// TranslationsFor yields the translations of the device's, in order, that may fit a packet by its addresses: those that
// change destinations, or those that change sources.
func (d *Device) TranslationsFor(destination bool, src, dst netip.Addr) iter.Seq[Translation] {
	x := &d.changesSource
	if destination {
		x = &d.changesDestination
	}
	return func(yield func(Translation) bool) {
		for i := range x.mayFit(src, dst) {
			if !yield(d.policy.Translations[i]) {
				return
			}
		}
	}
}

// Judge applies the rules of a chain of the device's, in order: the first that fits decides, and what fits none is
// denied by the last one for packets of its family. It is Maybe by the first rule of which that cannot be told, unless
// what follows does the same; No where no rule is for such packets.
func (d *Device) Judge(c Chain, src, dst netip.Addr, flow Flow, in, out string) (Fit, FlowRule) {
	rules, fam := d.policy.Flows[c.Lo:c.Hi], route.FamilyOf(dst)
	var open *FlowRule
	for i := range c.mayFit(src, dst) {
		r := &rules[i]
		if !r.For(fam) {
			continue
		}
		switch r.Fits(src, dst, flow, in, out) {
		case Maybe:
			if open == nil {
				open = r
			} else if open.Permit != r.Permit {
				return Maybe, *open
			}
		case Yes:
			if open != nil && open.Permit != r.Permit {
				return Maybe, *open
			}
			return Yes, *r
		}
	}
	if open != nil && open.Permit {
		return Maybe, *open
	}
	for i := len(rules) - 1; i >= 0; i-- {
		if rules[i].For(fam) {
			last := rules[i]
			last.Permit = false
			return Yes, last
		}
	}
	return No, FlowRule{}
}

// mayFit yields the numbers of the chain's rules, from 0, that may fit a packet by its addresses, in order.
func (c Chain) mayFit(src, dst netip.Addr) iter.Seq[int32] {
	if c.index != nil {
		return c.index.mayFit(src, dst)
	}
	return func(yield func(int32) bool) {
		for i := range int32(c.Hi - c.Lo) {
			if !yield(i) {
				return
			}
		}
	}
}
