// Package coretest builds small networks from a few lines of text, for the tests of the core rooms.
package coretest

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Build reads one fact a line and panics on what it does not know: it is for tests only.
//
//	a: addr 10.0.0.1/30 eth0
//	a: direct 10.0.0.0/30 dev eth0
//	a: ospf/external-2 10.7.0.0/16 pref 110 metric 20 via 10.0.0.2 dev eth0 via 10.0.1.2
//	a: static 10.8.0.0/16 blackhole          (also unreachable, prohibit, receive, broadcast, multicast, throw)
//	a: ospf 10.9.0.0/16 via 10.0.0.2 dev e0 chosen via 10.0.1.2   (the one that forwards)
//	a: static 10.9.0.0/16 via 10.0.0.2 candidate   (not chosen; also inactive, rejected, in TABLE)
//	a: kernel: static 10.9.0.0/16 via 10.0.0.2     (what forwards, beside a routing table; also database:, walk:)
//	a: virtual 10.0.0.1 eth0 holds           (also waits, unknown; "paired" behind it)
//	a: tunnel gre0 from 10.0.0.1 to 10.0.7.1 (also key 7, proto esp, table red, to many; from IF: the address of one)
//	a: neigh 10.0.0.2 eth0 alive             (also failed, pending; MAC, and then written)
//	a: link eth0 down [MAC [mute]]           (also "off" in its place: it was switched off)
//	a: forwarding ipv4 off
//	a: rule 100 from 10.0.0.0/8 to 10.1.0.0/16 iif eth0 table 7   (also blackhole, undecided)
//	a: conf 10.9.0.0/16 via 10.0.0.2 pref 130  (a configured static route; also tied X, tied session)
//	a: bgp 10.9.0.0/16 via 10.0.0.2 lp 200 len 3 origin 1 med 5 as 65001 peer 2   (also bgpweight 100)
//	a: classful
//	a: check e0 strict                       (also feasible, loose)
//	a: stateful
//	a: runs ospf e0 area 0.0.0.0 cost 10     (a configuration says so)
//	a: speaks 64901                          (BGP, as a configuration says; also keeps, unruled, strict, paths 16 prefers 20)
//	a: peer 10.0.0.2 as 64902                (also self, client, in, out, off behind it)
//	a: announces 10.9.0.0/16
//	a: hands static to bgp                   (also metric 20 behind it)
//	a: session 10.0.0.2 e0 down              (also up)
//	a: tracked 1 down                        (also up)
//	a: cut                                   (the tables end in the middle)
//	*: one-area ospf                         (of all)
func Build(text string) *network.Snapshot {
	var b network.Builder
	facts := map[string]*network.Facts{}
	var order []string
	cut := map[string]bool{}
	for i, line := range strings.Split(text, "\n") {
		line, _, _ = strings.Cut(line, "#")
		dev, rest, ok := strings.Cut(strings.TrimSpace(line), ": ")
		if !ok {
			continue
		}
		if p, noted := strings.CutPrefix(rest, "one-area "); noted && dev == "*" {
			b.OneArea = map[route.Protocol]route.Mark{protocols[p]: {File: 1, Off: uint32(i), End: uint32(i + 1)}}
			continue
		}
		f := facts[dev]
		if f == nil {
			f = &network.Facts{}
			facts[dev] = f
			order = append(order, dev)
		}
		if rest == "cut" {
			cut[dev] = true
			continue
		}
		add(f, rest, route.Mark{File: 1, Off: uint32(i + 1), End: uint32(i + 2)})
	}
	for _, dev := range order {
		f := facts[dev]
		for i := range f.Tables {
			f.Tables[i].Cut = cut[dev]
		}
		b.Add(dev, *f, 0)
	}
	return b.Build()
}

// Facts reads facts of one device as Build does, without its name, as if from the capture with that number.
func Facts(text string, file uint32) network.Facts {
	var f network.Facts
	for i, line := range strings.Split(text, "\n") {
		if line == "" {
			continue
		}
		add(&f, line, route.Mark{File: file, Off: uint32(i + 1), End: uint32(i + 2)})
	}
	return f
}

var protocols = map[string]route.Protocol{}

func init() {
	for p := route.Other; p <= route.Aggregate; p++ {
		protocols[p.String()] = p
	}
}

var specials = map[string]route.Special{
	"blackhole":   route.Blackhole,
	"unreachable": route.Unreachable,
	"prohibit":    route.Prohibit,
	"receive":     route.Receive,
	"broadcast":   route.Broadcast,
	"multicast":   route.Multicast,
	"throw":       route.Throw,
}

// add takes one line of the small language into facts.
func add(f *network.Facts, rest string, m route.Mark) {
	kind := network.Candidates
	for _, k := range []struct {
		word string
		kind network.Kind
	}{{"kernel: ", network.ForwardingTable}, {"database: ", network.Database}, {"walk: ", network.Walk}} {
		if after, ok := strings.CutPrefix(rest, k.word); ok {
			rest, kind = after, k.kind
		}
	}
	w := strings.Fields(rest)
	var f2 network.Facts
	switch w[0] {
	case "addr":
		f.Addresses = append(
			f.Addresses,
			network.Address{Prefix: netip.MustParsePrefix(w[1]), Interface: strings.Trim(w[2], "-"), Mark: m},
		)
	case "link":
		l := network.Interface{Name: w[1], State: network.LinkUp, Mark: m}
		if w[2] == "down" {
			l.State = network.LinkDown
		}
		if l.Off = len(w) > 3 && w[3] == "off"; len(w) > 3 && !l.Off {
			l.MAC = w[3]
		}
		l.Mute = len(w) > 4 && w[4] == "mute"
		f.Interfaces = append(f.Interfaces, l)
	case "neigh":
		n := network.Neighbour{Address: netip.MustParseAddr(w[1]), Interface: w[2], Mark: m}
		n.State = map[string]network.NeighbourState{"alive": network.NeighbourAlive, "failed": network.NeighbourFailed,
			"pending": network.NeighbourPending}[w[3]]
		if len(w) > 4 {
			n.MAC = w[4]
		}
		n.Written = len(w) > 5 && w[5] == "written"
		f.Neighbours = append(f.Neighbours, n)
	case "virtual":
		v := network.VirtualAddress{Address: netip.MustParseAddr(w[1]), Interface: w[2], Mark: m}
		v.Holding = map[string]network.Holding{"holds": network.Holds, "waits": network.StandsBy,
			"unknown": network.HoldingNotKnown}[w[3]]
		v.Paired = len(w) > 4 && w[4] == "paired"
		f.Virtuals = append(f.Virtuals, v)
	case "tunnel":
		f.Policy.Tunnels = append(f.Policy.Tunnels, tunnel(w, m))
	case "forwarding":
		fam := route.IPv4
		if w[1] == "ipv6" {
			fam = route.IPv6
		}
		f.Forwarding = append(f.Forwarding, network.Switch{Family: fam, On: w[2] == "on", Mark: m})
	case "check":
		mode := map[string]network.CheckMode{"strict": network.CheckStrict, "feasible": network.CheckFeasible,
			"loose": network.CheckLoose}[w[2]]
		f.Checks = append(f.Checks, network.SourceCheck{Interface: w[1], Mode: mode, Mark: m})
	case "session":
		f.Sessions = append(
			f.Sessions,
			network.Session{Peer: netip.MustParseAddr(w[1]), Interface: w[2], Up: w[3] == "up", Mark: m},
		)
	case "tracked":
		f.Tracked = append(f.Tracked, network.TrackedObject{Name: w[1], Up: w[2] == "up", Mark: m})
	case "runs": // a routing protocol on an interface, as a configuration tells
		x := network.ProtocolInterface{Protocol: protocols[w[1]], Interface: w[2], On: true, Area: w[4], Mark: m}
		if len(w) > 6 {
			n, _ := strconv.ParseUint(w[6], 10, 64)
			x.Cost = route.N(n)
		}
		f.Protocols = append(f.Protocols, x)
	case "speaks", "peer", "announces":
		f.BGP = append(f.BGP, bgpStatement(w, m))
	case "hands":
		x := network.Redistribution{Protocol: protocols[w[3]], Source: protocols[w[1]], Mark: m}
		if len(w) > 5 {
			n, _ := strconv.ParseUint(w[5], 10, 64)
			x.Metric = route.N(n)
		}
		f.Redistributed = append(f.Redistributed, x)
	case "paths": // the most equal ways that a protocol uses, as a configuration tells
		n, _ := strconv.ParseUint(w[2], 10, 16)
		f.Protocols = append(f.Protocols, network.ProtocolInterface{Protocol: protocols[w[1]], Paths: n, Mark: m})
	case "hasty": // timers of RIP by which it may change to an equal way at any time
		f.Protocols = append(f.Protocols, network.ProtocolInterface{Protocol: protocols[w[1]], Hasty: true, Mark: m})
	case "stateful":
		f.Policy.Stateful = m
	case "allrules": // of the kernel's filters; with "marks" some put marks on packets
		f.Policy.AllRules4, f.Policy.SetsMarks = true, len(w) > 1 && w[1] == "marks"
	case "classful":
		f.Classful = append(f.Classful, m)
	case "conf":
		var tie network.Tie
		if n := len(w); w[n-2] == "tied" {
			if tie = (network.Tie{Object: w[n-1]}); w[n-1] == "session" {
				tie = network.Tie{Session: true}
			}
			w = w[:n-2]
		}
		addRoute(&f2, network.Candidates, append([]string{"static"}, w[1:]...), m)
		r := f2.Tables[0].Routes.At(0)
		s := network.Static{Prefix: r.Prefix, Special: r.Special, Preference: r.Preference, Metric: r.Metric, Tie: tie,
			Mark: m}
		if len(r.NextHops) > 0 {
			s.NextHop = r.NextHops[0]
		}
		f.Statics = append(f.Statics, s)
	case "rule":
		f.Rules = append(f.Rules, rule(w, m))
	default:
		addRoute(f, kind, w, m)
	}
}

// tunnel reads a tunnel; an end that is no address is the name of an interface, or none.
func tunnel(w []string, m route.Mark) network.Tunnel {
	t := network.Tunnel{Interface: w[1], Mark: m}
	for i := 2; i < len(w); i += 2 {
		a, err := netip.ParseAddr(w[i+1])
		switch w[i] {
		case "from":
			if t.Local = a; err != nil {
				t.From = w[i+1]
			}
		case "to":
			t.Remote, t.Many = a, w[i+1] == "many"
		case "key":
			t.Key = w[i+1]
		case "proto":
			t.Protocol = w[i+1]
		case "table":
			t.Table = w[i+1]
		default:
			panic(fmt.Sprintf("no tunnel has %q", w[i]))
		}
	}
	return t
}

// rule reads a policy rule.
func rule(w []string, m route.Mark) network.Rule {
	prio, err := strconv.ParseUint(w[1], 10, 32)
	if err != nil {
		panic(err)
	}
	r := network.Rule{Priority: uint32(prio), Mark: m}
	for i := 2; i < len(w); i++ {
		switch w[i] {
		case "from":
			r.From = netip.MustParsePrefix(w[i+1])
		case "to":
			r.To = netip.MustParsePrefix(w[i+1])
		case "iif":
			r.Ingress = w[i+1]
		case "table":
			r.Table = w[i+1]
		case "blackhole":
			r.Action = network.RuleBlackhole
		case "not":
			r.Not = true
		case "proto":
			r.Protocol = w[i+1]
		case "mark":
			r.FWMark = network.FWMark{Value: 7, Mask: 255}
		case "suppress":
			n, err := strconv.Atoi(w[i+1])
			if err != nil {
				panic(err)
			}
			r.Suppress = n + 1
		case "undecided":
			r.Undecided = true
		}
	}
	return r
}

// addRoute reads a route; words behind it set its state and its table.
func addRoute(f *network.Facts, kind network.Kind, w []string, m route.Mark) {
	proto, sub, _ := strings.Cut(w[0], "/")
	p, ok := protocols[proto]
	if !ok {
		panic(fmt.Sprintf("no fact begins with %q", w[0]))
	}
	a, metric := &route.Attributes{Protocol: p, Subtype: sub}, route.Number{}
	prefix := netip.MustParsePrefix(w[1])
	state, table := route.Active|route.Installed, "default"
	if kind == network.ForwardingTable || kind == network.Database {
		state = 0
	}
	for i := 2; i < len(w); i++ {
		switch w[i] {
		case "via":
			i++
			a.NextHops = append(a.NextHops, route.NextHop{Address: netip.MustParseAddr(w[i])})
		case "dev":
			i++
			if n := len(a.NextHops); n > 0 && a.NextHops[n-1].Interface == "" {
				a.NextHops[n-1].Interface = w[i]
			} else {
				a.NextHops = append(a.NextHops, route.NextHop{Interface: w[i]})
			}
		case "weight":
			i++
			n, _ := strconv.Atoi(w[i])
			a.NextHops[len(a.NextHops)-1].Weight = uint32(n)
		case "pref", "metric":
			n, _ := strconv.ParseUint(w[i+1], 10, 64)
			if w[i] == "pref" {
				a.Preference = route.N(n)
			} else {
				metric = route.N(n)
			}
			i++
		case "lp", "len", "med", "origin", "as", "peer", "bgpweight":
			n, _ := strconv.ParseUint(w[i+1], 10, 32)
			switch w[i] {
			case "lp":
				a.BGP.LocalPreference = route.N(n)
			case "len":
				a.BGP.Length = route.N(n)
			case "med":
				a.BGP.MultiExit = route.N(n)
			case "origin":
				a.BGP.Origin = route.Origin(n)
			case "bgpweight":
				a.BGP.Weight = route.N(n)
			case "as":
				a.BGP.NeighbourAS = uint32(n)
			case "peer":
				a.BGP.Session = route.BGPSession(n)
			}
			i++
		case "table":
			i++
			a.NextHops = append(a.NextHops, route.NextHop{Table: w[i]})
		case "in":
			i++
			table = w[i]
		case "chosen": // of equal next hops the one before it
			a.NextHops[len(a.NextHops)-1].Installed = true
		case "candidate":
			state = 0
		case "inactive":
			state = route.Unusable
		case "rejected":
			state = route.Active | route.Rejected
		default:
			s, ok := specials[w[i]]
			if !ok {
				panic(fmt.Sprintf("no route has %q", w[i]))
			}
			a.Special = s
		}
	}
	fam := route.FamilyOf(prefix.Addr())
	at := slices.IndexFunc(
		f.Tables,
		func(t network.TableFacts) bool { return t.Name == table && t.Family == fam && t.Kind == kind },
	)
	if at < 0 {
		at = len(f.Tables)
		f.Tables = append(f.Tables,
			network.TableFacts{Name: table, Family: fam, Kind: kind, WholeList: kind == network.Database})
	}
	f.Tables[at].Routes.AddRoute(route.Route{Prefix: prefix, Attributes: a, Metric: metric, State: state, Mark: m})
}

// bgpStatement is one of "speaks", "peer" and "announces".
func bgpStatement(w []string, m route.Mark) network.BGPStatement {
	x := network.BGPStatement{Mark: m}
	number := func(s string) uint32 {
		n, _ := strconv.ParseUint(s, 10, 32)
		return uint32(n)
	}
	switch w[0] {
	case "speaks":
		x.Local = number(w[1])
		if slices.Contains(w, "keeps") {
			x.Keeps = network.TurnedOn
		}
		if at := slices.Index(w, "paths"); at > 0 {
			x.Paths, x.Preference = uint64(number(w[at+1])), route.N(uint64(number(w[at+3])))
		}
		x.Unruled, x.Strict = slices.Contains(w, "unruled"), slices.Contains(w, "strict")
	case "peer":
		x.Peer, x.Remote = netip.MustParseAddr(w[1]), number(w[3])
		x.Self, x.Client = slices.Contains(w, "self"), slices.Contains(w, "client")
		x.In, x.Out = slices.Contains(w, "in"), slices.Contains(w, "out")
		if slices.Contains(w, "off") {
			x.Speaks = network.TurnedOff
		}
	case "announces":
		x.Network = netip.MustParsePrefix(w[1])
	}
	return x
}
