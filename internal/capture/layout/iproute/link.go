package iproute

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// link reads an object of ip addr or ip link.
func (r *reader) link(o *object) error {
	state := network.LinkUnknown
	switch {
	case slices.Contains(o.Flags, "NO-CARRIER"), o.OperState == "DOWN", o.OperState == "LOWERLAYERDOWN",
		o.OperState == "NOTPRESENT", len(o.Flags) > 0 && !slices.Contains(o.Flags, "UP"):
		state = network.LinkDown
	case slices.Contains(o.Flags, "UP"), o.OperState == "UP":
		state = network.LinkUp
	}
	ifname, _, _ := strings.Cut(o.Ifname, "@")
	r.enslaved(o, ifname)
	whole := layout.Mark(o.lo, o.hi)
	r.Facts.Interfaces = append(
		r.Facts.Interfaces,
		network.Interface{Name: ifname, State: state, MAC: strings.ToLower(o.MAC), Mark: whole,
			Off: len(o.Flags) > 0 && !slices.Contains(o.Flags, "UP"), Mute: layout.Mute(o.Flags)},
	)
	if local, remote, ok := tunnelEnds(o); ok {
		r.Facts.Policy.Tunnels = append(
			r.Facts.Policy.Tunnels,
			network.Tunnel{Interface: ifname, Local: local, Remote: remote, Mark: whole},
		)
		r.Facts.Interfaces[len(r.Facts.Interfaces)-1].MAC = ""
	}
	for _, t := range o.texts {
		b, bare := t.parse()
		p, err := layout.Prefix(b, bare)
		if err != nil {
			return err
		}
		r.Facts.Addresses = append(
			r.Facts.Addresses,
			network.Address{Prefix: p, Interface: ifname, Mark: layout.Mark(t.lo, t.hi)},
		)
	}
	at := o.lo
	for _, raw := range o.AddrInfo {
		var a address
		if err := json.Unmarshal(raw, &a); err != nil {
			return fmt.Errorf("%w: an address of %q", layout.ErrAddress, ifname)
		}
		m := whole
		if i := bytes.Index(r.text[at:o.hi], raw); i >= 0 && len(raw) > 0 {
			m = layout.Mark(at+i, at+i+len(raw))
			at += i + len(raw)
		}
		addr, ok := layout.Addr([]byte(a.Local))
		if a.Local == "" && a.PrefixLen == nil { // iproute prints {} for what a filter left out
			continue
		}
		if !ok || a.PrefixLen == nil || *a.PrefixLen < 0 || *a.PrefixLen > addr.BitLen() {
			return fmt.Errorf("%w: %q on %q", layout.ErrAddress, a.Local, ifname)
		}
		if a.DADFailed {
			continue // another device has it: RFC 4862 section 5.4.5, the address is not used
		}
		bits := *a.PrefixLen
		if a.Peer != "" {
			bits = addr.BitLen() // the prefix is the peer's
		}
		r.Facts.Addresses = append(
			r.Facts.Addresses,
			network.Address{Prefix: netip.PrefixFrom(addr, bits), Interface: ifname, Mark: m},
		)
	}
	return nil
}

// tunnelEnds reads the two ends of a tunnel, which stand in the place of link-layer addresses. Without a far end it is
// open to several, and where a packet goes is in no link.
func tunnelEnds(o *object) (local, remote netip.Addr, ok bool) {
	switch o.LinkType {
	case "ipip", "gre", "sit", "tunnel6", "gre6", "ipip6":
	default:
		return local, remote, false
	}
	local, okLocal := layout.Addr([]byte(o.MAC))
	remote, okRemote := layout.Addr([]byte(o.Remote))
	return local, remote, okLocal && okRemote && !remote.IsUnspecified()
}

// neighbour reads an object of ip neigh.
func (r *reader) neighbour(o *object) error {
	a, ok := layout.Addr([]byte(o.Dst))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, string(o.Dst))
	}
	n := network.Neighbour{Address: a, Interface: o.Dev, MAC: strings.ToLower(o.LLAddr), Mark: layout.Mark(o.lo, o.hi)}
	for _, s := range o.State {
		switch s {
		case "REACHABLE", "STALE", "DELAY", "PROBE", "PERMANENT", "NOARP":
			n.State = network.NeighbourAlive
		case "FAILED":
			n.State = network.NeighbourFailed
		}
		n.Written = n.Written || s == "PERMANENT"
	}
	r.Facts.Neighbours = append(r.Facts.Neighbours, n)
	return nil
}

// rulesSeen is what tells the family of a listing of rules, which no line of it need say.
type rulesSeen struct {
	from              int // index of the first rule of the listing
	local, main, last bool
	own               uint32 // 1 + the priority of the rule for own addresses, the first of them that is for all packets
}

// settleRules gives the rules of a listing their family: that of any address in it; else IPv4 where the last of the
// kernel's own three rules is there, IPv6 where only the first two are, since that family has no third.
func (r *reader) settleRules() {
	list := r.Facts.Rules[r.rules.from:]
	fam := route.Family(0)
	for _, n := range list {
		if n.Family != 0 {
			fam = n.Family
		}
	}
	switch {
	case fam != 0:
	case r.rules.last:
		fam = route.IPv4
	case r.rules.local && r.rules.main:
		fam = route.IPv6
	}
	if len(list) > 0 {
		list = r.rulesMissing(list)
	}
	for i := range list {
		list[i].Family = fam
		list[i].BeforeOwn = list[i].BeforeOwn && list[i].Priority+1 < r.rules.own
	}
	r.rules = rulesSeen{from: len(r.Facts.Rules)}
}

// rulesMissing puts rules that cannot be decided where a listing lacks lines: every kernel has a rule for the local
// table, and one that leads nowhere near the main table lost that on the way.
func (r *reader) rulesMissing(list []network.Rule) []network.Rule {
	first, last := list[0].Mark, list[len(list)-1].Mark
	if !r.rules.local {
		r.Facts.Rules = slices.Insert(r.Facts.Rules, r.rules.from, network.Gap(0, first))
	}
	if !r.rules.main {
		r.Facts.Rules = append(r.Facts.Rules, network.Gap(mainPriority, last))
	}
	return r.Facts.Rules[r.rules.from:]
}

// mainPriority is that of the kernel's own rule for the main table.
const mainPriority = 32766

// rule reads an object of ip rule. The rule for the local table is left out: a device's own addresses come first, but
// for rules with a smaller priority. One for packets of a VRF asks about none that others are for.
func (r *reader) rule(o *object) error {
	n := network.Rule{Priority: *o.Priority, Ingress: o.IIF, Table: tableName(o.Table), Mark: layout.Mark(o.lo, o.hi)}
	switch n.Table {
	case "default":
		r.rules.main = r.rules.main || o.Table != "local" && o.Table != "255"
	case "253":
		r.rules.last = true
	}
	if o.Table == "local" || o.Table == "255" {
		r.rules.local = true
		if own := *o.Priority + 1; !o.selects() && (r.rules.own == 0 || own < r.rules.own) {
			r.rules.own = own
		}
		return nil
	}
	n.BeforeOwn = o.L3MDev == nil
	var err error
	if n.From, err = selector(o.Src, o.SrcLen); err != nil {
		return err
	}
	if n.To, err = selector(o.Dst, o.DstLen); err != nil {
		return err
	}
	for _, p := range [...]netip.Prefix{n.From, n.To} {
		if p.IsValid() {
			n.Family = route.FamilyOf(p.Addr())
		}
	}
	switch o.Action { // by number with ip -N
	case "", "lookup", "to_tbl":
	case "blackhole", "6":
		n.Action = network.RuleBlackhole
	case "unreachable", "7":
		n.Action = network.RuleUnreachable
	case "prohibit", "8":
		n.Action = network.RuleProhibit
	default:
		n.Undecided = true
	}
	if o.Goto != nil {
		n.Action = network.RuleJump
	}
	if n.Action == network.RuleLookup && o.Table == "" {
		n.Table = ""                         // a nop or an l3mdev rule: which table it means is not in the rule
		if o.Nop == nil && o.L3MDev == nil { // what it does is not among the words that are known
			n.Action, n.Undecided = network.RuleJump, true
		}
	}
	n.Undecided = n.Undecided || o.other || o.OIF != "" || o.TOS != "" || o.L3MDev != nil || o.UIDRange != nil ||
		o.TunID != nil || o.SuppIf != nil
	n.Not = o.Not != nil
	n.Own = !n.Not && o.OIF != "" // an interface that a socket is bound to
	if o.Suppress != nil && *o.Suppress >= 0 {
		n.Suppress = *o.Suppress + 1
	}
	if !flowOf(o, &n) {
		n.Undecided = true
	}
	r.Facts.Rules = append(r.Facts.Rules, n)
	return nil
}

// selects reports whether a rule is not for all packets.
func (o *object) selects() bool {
	var n network.Rule
	return o.Src != "" && o.Src != "all" || o.Dst != "" && o.Dst != "all" || o.IIF != "" || o.OIF != "" || o.TOS != "" ||
		o.Not != nil || o.UIDRange != nil || o.other || !flowOf(o, &n) || n != network.Rule{}
}

// selector is the prefix that a policy rule asks for; without a length it is a single address. The zero prefix is any.
func selector(w word, bits *int) (netip.Prefix, error) {
	if w == "" || w == "all" {
		return netip.Prefix{}, nil
	}
	a, ok := layout.Addr([]byte(w))
	if !ok {
		return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrAddress, string(w))
	}
	n := a.BitLen()
	if bits != nil {
		n = *bits
	}
	if n < 0 || n > a.BitLen() {
		return netip.Prefix{}, fmt.Errorf("%w: %d", layout.ErrPrefixLength, n)
	}
	return netip.PrefixFrom(a, n), nil
}

// flowOf reads what a rule asks of the packet's mark, protocol and ports; false for what is not understood.
func flowOf(o *object, n *network.Rule) bool {
	ok := true
	if o.FWMark != "" {
		value, mask, masked := strings.Cut(string(o.FWMark), "/")
		if o.FWMask != "" {
			mask, masked = string(o.FWMask), true
		}
		v, err := strconv.ParseUint(value, 0, 32)
		n.FWMark = network.FWMark{Value: uint32(v), Mask: 1<<32 - 1}
		ok = err == nil
		if masked {
			m, err := strconv.ParseUint(mask, 0, 32)
			n.FWMark.Mask = uint32(m)
			ok = ok && err == nil && m > 0
		}
	}
	if o.IPProto != "" {
		n.Protocol, ok = string(o.IPProto), ok && !strings.HasPrefix(string(o.IPProto), "ipproto")
		if name, numbered := protocolNumbers[n.Protocol]; numbered {
			n.Protocol = name
		}
	}
	for _, p := range []struct {
		one, lo, hi word
		to          *network.Ports
	}{{o.SPort, o.SPortLo, o.SPortHi, &n.FromPorts}, {o.DPort, o.DPortLo, o.DPortHi, &n.ToPorts}} {
		lo, hi := string(p.lo), string(p.hi)
		if p.one != "" {
			lo, hi, _ = strings.Cut(string(p.one), "-")
			hi = cmp.Or(hi, lo)
		}
		if lo == "" && hi == "" {
			continue
		}
		a, err1 := strconv.ParseUint(lo, 10, 16)
		b, err2 := strconv.ParseUint(hi, 10, 16)
		ok = ok && err1 == nil && err2 == nil && a > 0 && a <= b
		*p.to = network.Ports{Lo: uint16(a), Hi: uint16(b)}
	}
	return ok
}

// protocolNumbers are the protocols that rules print by number (ip -N), by the names that flows have (IANA's).
var protocolNumbers = map[string]string{"1": "icmp", "6": "tcp", "17": "udp", "47": "gre", "50": "esp", "51": "ah",
	"58": "icmpv6", "ipv6-icmp": "icmpv6", "132": "sctp"}
