// Package settle tells what follows from a change: which static routes leave with their next hops, which backups come
// in, and which routes the routing protocols would find instead. It exists because an engineer who takes a link down
// changes tables that she does not type in.
//
// What the protocols would do is predicted from the captured tables alone. The cost of a link is deduced from metrics:
// where A reaches a prefix by its neighbour B with metric m, and B reaches it with metric n, A's cost to B is m-n. With
// lower and upper bounds for every cost a route is predicted only where no bound leaves another way open; everywhere
// else it cannot be told, and the prefix is left unreadable, so that every walk over it ends unknown. BGP is worked out
// where configurations tell who speaks with whom, and never guessed, as no protocol is whose metrics do not add up.
//
// No I/O, no clock. Protocols are taken to find the same ways as before between the devices that were captured; one
// that was not captured counts only where a captured route leads to it.
package settle

import (
	"net/netip"
	"slices"
	"sync"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// maxRounds bounds how often tables are looked through again. Routes that change for ever are an oscillation.
const maxRounds = 32

// Kind says what happened to the routes of a prefix. The zero Kind is that they left.
type Kind uint8

const (
	Left      Kind = iota // nothing has the prefix any more
	CameIn                // what stood by, or was configured, is used
	Predicted             // a routing protocol finds another way
	Untold                // what the device would use cannot be told
)

var kindNames = [...]string{"left", "came-in", "predicted", "cannot-be-told"}

// String returns the kind's word in output for machines.
func (k Kind) String() string { return kindNames[k] }

// A Move is a prefix of which the routes follow from the change.
type Move struct {
	Kind          Kind
	Device, Table string
	Prefix        netip.Prefix
	Was, Is       []route.Route
}

// A Result is a network in which all has happened that follows from a change.
type Result struct {
	Network    *network.Snapshot
	Moves      []Move // in the order of devices, tables and prefixes
	Oscillates bool   // some routes never come to rest; the network is that of the last round
	Rose       []Port // interfaces that came up
}

// A Port is an interface of a device.
type Port struct{ Device, Interface string }

// A Settler predicts what follows from changes of one network. It is safe for concurrent use.
type Settler struct {
	topo      *topology.Topology
	instances []*instance
	speakers  []*speakers
	watching  map[string]bool // devices on which a route may leave by what happens elsewhere, beside learned ones
	tied      map[string]tied // by device
	fixed     sync.Map        // by captured table: its prefixes with routes that are no protocol's
}

// New prepares predictions for changes of t's network: costs are deduced once.
func New(t *topology.Topology) *Settler {
	s := &Settler{topo: t, instances: findInstances(t), speakers: findSpeakers(t), watching: map[string]bool{},
		tied: map[string]tied{}}
	for _, d := range t.Network.Devices().All() {
		s.tied[d.Name] = tiedOf(d)
		s.watching[d.Name] = d.Sessions().Len() > 0 || d.Tables().Any(func(t *network.Table) bool {
			for id := range t.Routes().Shared() {
				if a := t.Routes().Attributes(route.AttrID(id)); fixed(a) && a.Protocol != route.Static {
					return true // it may be a protocol's that the capture does not name
				}
			}
			return false
		})
	}
	return s
}

// Run returns what the network becomes after edits, given as an overlay of the settler's network.
func (s *Settler) Run(after *network.Snapshot) *Result {
	r := &run{Settler: s, begun: after, now: after, asked: map[question]madeFrom{}}
	res := &Result{}
	r.takeOver()
	for round := 0; ; round++ {
		if round == maxRounds {
			res.Oscillates = true
			break
		}
		changed := r.flush(r.statics())
		for _, in := range s.instances {
			for _, part := range r.partsOf(in) {
				changed = r.flush(r.protocol(part)) || changed
			}
		}
		if changed = r.flush(r.others()) || changed; !changed {
			break
		}
	}
	for x := range r.rose() {
		res.Rose = append(res.Rose, Port{x.device.Name, x.ifname})
	}
	res.Network = r.now
	res.Moves = moves(after, r.now)
	return res
}

// run is one run of a settler.
type run struct {
	*Settler
	begun *network.Snapshot // the network with the edits alone
	now   *network.Snapshot
	draft *network.Draft            // what the phase has changed so far; nil for nothing
	parts map[*instance][]*instance // of instances in parts, those that may be joined now in one
	asked map[question]madeFrom     // what a prediction was made from, so that it is made again only where that changes
}

// was is the device before the change.
func (r *run) was(name string) *network.Device { return r.topo.Network.Device(name) }

// alive reports whether a next hop still answers, as a routing protocol or a liveness session notices it: both ends are
// there and up. A next hop that nobody captured has is taken to be alive.
func (r *run) alive(d *network.Device, h route.NextHop) bool {
	was := r.was(d.Name)
	if was == nil {
		return true
	}
	if h.Interface != "" && wentDown(was, d, h.Interface) {
		return false
	}
	if !h.Address.IsValid() {
		return true
	}
	return r.answers(was, h)
}

// answers reports whether the owner of a next hop is still there, with its interface up.
func (r *run) answers(was *network.Device, h route.NextHop) bool {
	o := r.topo.Find(was, h.Interface, h.Address, true)
	if o.Device == nil {
		return true
	}
	far := r.now.Device(o.Device.Name)
	if o.Answer != topology.Device {
		return far != nil
	}
	return far != nil && !wentDown(o.Device, far, o.Interface)
}

// wentDown reports whether an interface is down that was not.
func wentDown(was, is *network.Device, ifname string) bool {
	return is.Interface(ifname).State == network.LinkDown && was.Interface(ifname).State != network.LinkDown
}

// statics takes out what is not valid any more of routes that are no protocol's, and lets in what stands by.
func (r *run) statics() bool {
	changed := false
	for _, d := range r.now.Devices().All() {
		was := r.was(d.Name)
		if was == nil {
			continue
		}
		for _, t := range d.Tables().All() {
			old := was.Table(t.Name, t.Family)
			if old == nil {
				continue
			}
			prefixes := r.tied[d.Name].prefixes(old)
			if old != t || was != d || r.watching[d.Name] {
				prefixes = r.staticPrefixes(was, old)
			} // else nothing of this device changed
			for _, p := range prefixes {
				changed = r.reconsider(d.Name, t.Name, p) || changed
			}
		}
	}
	return changed
}

// staticPrefixes lists the prefixes that have, or may get, a route that is no protocol's and has a next hop. The table
// is a captured one, of which it is found out once.
func (s *Settler) staticPrefixes(d *network.Device, t *network.Table) []netip.Prefix {
	if known, ok := s.fixed.Load(t); ok {
		return known.([]netip.Prefix)
	}
	found := findStaticPrefixes(d, t)
	s.fixed.Store(t, found)
	return found
}

// findStaticPrefixes is staticPrefixes, found out.
func findStaticPrefixes(d *network.Device, t *network.Table) []netip.Prefix {
	var out []netip.Prefix
	wanted := make([]bool, t.Routes().Shared())
	for id := range wanted {
		wanted[id] = fixed(t.Routes().Attributes(route.AttrID(id)))
	}
	if slices.Contains(wanted, true) {
		for i := range t.Routes().Len() {
			if id, _ := t.Routes().Used(i); wanted[id] {
				out = append(out, t.Routes().Prefix(i))
			}
		}
	}
	for _, s := range d.Statics().All() {
		if ofTable(s, t) {
			out = append(out, s.Prefix.Masked())
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return slices.Compact(out)
}

// fixed reports whether a route is nobody's but the device's own: it stays as long as its next hop can be used.
func fixed(a *route.Attributes) bool {
	return !a.Protocol.Dynamic() && a.Protocol != route.Direct && a.Protocol != route.Local && a.Special == route.None
}

func ofTable(s network.Static, t *network.Table) bool {
	return route.FamilyOf(s.Prefix.Addr()) == t.Family && (s.Table == t.Name || s.Table == "" && t.Name == "default")
}

// reconsider judges the fixed routes of one prefix anew; true where its routes change.
func (r *run) reconsider(device, table string, p netip.Prefix) bool {
	d, was := r.now.Device(device), r.was(device)
	t, old := d.Table(table, route.FamilyOf(p.Addr())), was.Table(table, route.FamilyOf(p.Addr()))
	rows := t.RoutesTo(p)
	var left []route.Route
	lost, doubt := false, false
	for _, x := range rows {
		switch {
		case !fixed(x.Attributes), stays(d, t, x):
		case !selection.MayBeUsable(d, t, x) && selection.Usable(was, old, x) || r.sessionDown(was, x):
			lost = true
			continue
		case x.Protocol != route.Static && x.Is(route.Installed) && !r.hopsAlive(d, x):
			doubt = true // it may be a protocol's that the capture does not name
		case x.Is(route.Installed) && r.mayLetGo(was, x):
			doubt = true
		}
		left = append(left, x)
	}
	if doubt && !lost {
		return r.put(device, table, p, untold(left))
	}
	if !lost && used(left) {
		return false
	}
	return r.put(device, table, p, elected(was, d, t, p, left))
}

// stays reports whether a kernel keeps a route of which no next hop has a carrier any more: no routing daemon takes it
// away, and one whose interface was not switched off is sent to all the same.
func stays(d *network.Device, t *network.Table, x route.Route) bool {
	if !t.Kernel || t.Chosen {
		return false
	}
	kept := false
	for _, h := range x.NextHops {
		i := d.Interface(h.Interface)
		if h.Interface == "" || i.State != network.LinkDown && !h.Down {
			return false
		}
		kept = kept || i.NoCarrier || h.Down && !i.Off
	}
	return kept
}

// hopsAlive reports whether all next hops of a route answer.
func (r *run) hopsAlive(d *network.Device, x route.Route) bool {
	return !slices.ContainsFunc(x.Forwarding(), func(h route.NextHop) bool { return !r.alive(d, h) })
}

// sessionDown reports whether a liveness session that covers a static route's next hop goes down (RFC 5880).
func (r *run) sessionDown(was *network.Device, x route.Route) bool {
	if x.Protocol != route.Static || len(x.NextHops) != 1 {
		return false
	}
	h := x.NextHops[0]
	return was.Sessions().Any(func(s network.Session) bool {
		return s.Up && s.Peer == h.Address && !r.answers(was, route.NextHop{Address: s.Peer, Interface: s.Interface})
	})
}

// learnedLost reports whether a learned route lost any of its ways: a next hop does not answer, or is not resolved any
// more.
func (r *run) learnedLost(d *network.Device, t *network.Table, x route.Route) bool {
	was := r.was(d.Name)
	return !r.hopsAlive(d, x) || !selection.MayBeUsable(d, t, x) && selection.Usable(was, was.Table(t.Name, t.Family), x)
}

// withoutDead is the routes of a prefix of which some cannot be told any more: what is not among them and comes first
// is used, else nobody knows.
func withoutDead(d *network.Device, t *network.Table, rows []route.Route, dead func(route.Route) bool) []route.Route {
	for i, x := range rows {
		if dead(x) {
			rows[i].State = rows[i].State&^route.Installed | route.Active | route.Rejected | route.Untold
		}
	}
	return selection.ElectAmongUntold(d, t, rows)
}

// put replaces the routes of a prefix where that says anything new.
func (r *run) put(device, table string, p netip.Prefix, rows []route.Route) bool {
	t := r.now.Device(device).Table(table, route.FamilyOf(p.Addr()))
	if same(t.RoutesTo(p), rows) {
		return false
	}
	if r.draft == nil {
		r.draft = r.now.Draft()
	}
	r.draft.SetRoutes(device, table, p, rows)
	return true
}

// flush puts what a phase changed on the network; each phase asks about a prefix of a table once.
func (r *run) flush(changed bool) bool {
	if r.draft != nil {
		r.now, r.draft = r.draft.Freeze(), nil
	}
	return changed
}

// moves lists the prefixes of which the routes differ between two snapshots of one network, the second an overlay.
func moves(x, y *network.Snapshot) []Move {
	var out []Move
	for _, d := range y.Devices().All() {
		was := x.Device(d.Name)
		if was == d || was == nil {
			continue
		}
		for _, t := range d.Tables().All() {
			old := was.Table(t.Name, t.Family)
			if old == t || old == nil {
				continue
			}
			var found []netip.Prefix
			for a, b := range t.Replaced() {
				if len(a)+len(b) > 0 {
					found = append(found, slices.Concat(a, b)[0].Prefix)
				}
			}
			slices.SortFunc(found, netip.Prefix.Compare)
			for _, p := range found {
				if m := (Move{Device: d.Name, Table: t.Name, Prefix: p, Was: old.RoutesTo(p),
					Is: t.RoutesTo(p)}); !same(m.Was, m.Is) {
					m.Kind = kindOf(m.Is)
					out = append(out, m)
				}
			}
		}
	}
	return out
}

// kindOf says by what is in use now, or cannot be told, what happened to a prefix.
func kindOf(rows []route.Route) Kind {
	for _, x := range rows {
		switch {
		case x.Is(route.Untold):
			return Untold
		case x.Is(route.Installed) && x.Protocol.Dynamic():
			return Predicted
		case x.Is(route.Installed):
			return CameIn
		}
	}
	return Left
}
