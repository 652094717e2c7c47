package audit

import (
	"net/netip"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A cause is one decision of one device at which packets end, however many packets do. Hop and Reason are those of one
// such packet.
type cause struct {
	key    causeKey
	device *network.Device
	hop    forward.Hop
	reason forward.Reason
	loop   []string // the devices of a loop, in the order of their names
}

// causeKey is what tells two causes apart. Which fields are set depends on the verdict.
type causeKey struct {
	device  string
	verdict forward.Verdict
	code    forward.Code
	table   string
	prefix  netip.Prefix
	address netip.Addr
	ifname  string
	mark    route.Mark
	final   bool // of a lost next hop: it is the destination itself
	home    bool // of an arrival: the device is where the destination belongs
}

// keyOf finds out what decided an ending.
func keyOf(device string, v forward.Verdict, hop forward.Hop, r forward.Reason) causeKey {
	k := causeKey{device: device, verdict: v, code: r.Code}
	switch v {
	case forward.NoRoute:
		k.table = hop.Table
	case forward.Discarded, forward.Refused:
		if k.table, k.prefix = hop.Table, hop.Prefix; !k.prefix.IsValid() || r.Code == forward.RuleDenies {
			k.prefix = netip.Prefix{}
			k.mark = first(r.Marks)
		}
	case forward.NextHopLost:
		k.table, k.address, k.ifname, k.final = hop.Table, r.Address, hop.OutInterface, !hop.NextHop.IsValid()
	case forward.SourceCheck:
		k.ifname = r.Interface
	case forward.Filtered, forward.StateMissing:
		k.mark = first(r.Marks)
	case forward.Leaves, forward.Unknown:
		k.table, k.ifname = hop.Table, hop.OutInterface
		if hop.NextHop.IsValid() {
			k.address = hop.NextHop
		}
		if r.Code == forward.GatewayShared || r.Code == forward.GatewayAway {
			k.address = r.Address
		}
	}
	return k
}

func first(m []route.Mark) route.Mark {
	if len(m) == 0 {
		return route.Mark{}
	}
	return m[0]
}

// outcome is what becomes of packets of one class from one lookupPoint: the worst ending, as a direction's verdict
// is. It is comparable.
type outcome struct {
	verdict forward.Verdict
	cause   int32
	// the device at which equal ways part of which one fails, the last one before the end; -1: none
	split             int32
	arrives           bool   // some way does
	elsewhere         bool   // some way arrives at a device where the destination does not belong
	beyondDestination bool   // a device on some way looks at more than the destination
	way               uint64 // of all the ways, by names, where ways are told apart; else 0
}

// comesHome reports whether packets arrive where their destination belongs, as far as destinations tell.
func (o *outcome) comesHome() bool { return o.verdict == forward.Arrives && !o.elsewhere }

// fine is the number of the outcome that needs no further look: it arrives.
const fine = 0
