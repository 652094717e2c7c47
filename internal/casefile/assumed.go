package casefile

import (
	"iter"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// An Assumption is what an answer takes for granted of some devices, since no capture of them tells.
type Assumption struct {
	Devices []string
	What    []Untold
}

// Assumed lists what a round trip takes for granted: of each device that hands a packet on that arrives or leaves; and
// of one that hands on a packet that is lost, that nothing makes it take another way. Devices of which the same is
// untold stand together.
func (c *Case) Assumed(rt *forward.RoundTrip) []Assumption {
	fam := route.FamilyOf(rt.Destination.Address)
	directions := []*forward.Direction{&rt.Forward}
	if rt.Return != nil && !rt.ReturnAlone {
		directions = append(directions, rt.Return)
	}
	t := taken{c: c, seen: map[string]bool{}, alone: map[Untold]map[string]bool{
		UntoldHops:    c.byFirstHops(fam, directions),
		UntoldOwn:     c.byOwnUnshown(rt),
		UntoldRouting: c.byLastTable(fam, directions),
	}}
	t.passed(fam, directions, false)
	t.passed(fam, directions, true)
	out := t.out
	if dst := rt.Destination.Address; rt.Followed() == forward.TwoWay {
		switch end, _ := rt.Forward.Worst(); end.Delivery {
		case forward.ToNeighbour:
			out = assume(out, dst.String(), []Untold{UntoldAnswer})
		case forward.ToAttachedNetwork:
			out = assume(out, dst.String(), []Untold{UntoldHost})
		}
	}
	for b := range decided(directions, true) {
		if b.Reason.Code == forward.OwnerElsewhere {
			out = assume(out, b.Reason.Address.String(), []Untold{UntoldProxy})
		}
	}
	for _, a := range rt.Guessed {
		out = assume(out, a.String(), []Untold{UntoldStart})
	}
	for _, name := range intoTunnels(directions) {
		out = assume(out, name, []Untold{UntoldTunnel})
	}
	for _, a := range rt.Shared {
		out = assume(out, a.String(), []Untold{UntoldGateway})
	}
	return out
}

// taken gathers what a round trip takes for granted of the devices on its way.
type taken struct {
	c     *Case
	out   []Assumption
	seen  map[string]bool
	alone map[Untold]map[string]bool // what is untold of some devices for this trip alone
}

// passed goes through the devices of the branches that arrive or leave, or of those that are lost: of the latter only
// that nothing sends the packet elsewhere is taken for granted.
func (t *taken) passed(fam route.Family, directions []*forward.Direction, lost bool) {
	for b := range decided(directions, lost) {
		for _, h := range b.Hops {
			t.note(h.Device, fam, lost)
			for _, name := range h.Outside { // what carries a tunnel
				t.note(name, route.FamilyOf(h.Tunnel), lost)
			}
		}
	}
}

func (t *taken) note(name string, fam route.Family, lost bool) {
	d := t.c.Network.Device(name)
	if d == nil || t.seen[name] {
		return
	}
	t.seen[name] = true
	what := slices.DeleteFunc(t.c.Untold(d, fam), func(u Untold) bool { return lost && u != UntoldRouting })
	for u, devices := range t.alone {
		if devices[name] && !slices.Contains(what, u) {
			what = append(what, u)
		}
	}
	slices.Sort(what)
	t.out = assume(t.out, name, what)
}

// decided yields the branches that arrive or leave, or those that are lost.
func decided(directions []*forward.Direction, lost bool) iter.Seq[*forward.Branch] {
	return func(yield func(*forward.Branch) bool) {
		for _, dir := range directions {
			for i := range dir.Branches {
				b := &dir.Branches[i]
				if b.Verdict != forward.Unknown && (b.Verdict > forward.Unknown) == lost && !yield(b) {
					return
				}
			}
		}
	}
}

// byFirstHops notes the devices that send on by a next hop of which the capture does not tell that it is the only one,
// or drop a packet since such a one does not lead back to its source; of a tunnel, all that carry it by such tables.
func (c *Case) byFirstHops(fam route.Family, directions []*forward.Direction) map[string]bool {
	first := map[string]bool{}
	for _, dir := range directions {
		for _, b := range dir.Branches {
			for i, h := range b.Hops {
				d := c.Network.Device(h.Device)
				checks := b.Verdict == forward.SourceCheck && i == len(b.Hops)-1
				if d != nil && (h.NextHop.IsValid() || checks) {
					t := d.Table(h.Table, fam)
					first[h.Device] = first[h.Device] || t != nil && t.FirstHops
				}
				for _, name := range h.Outside {
					if o := c.Network.Device(name); o != nil {
						first[name] = first[name] || showsFirstHops(o, route.FamilyOf(h.Tunnel))
					}
				}
			}
		}
	}
	return first
}

// byLastTable lists the devices that have no route for a packet unless it is in the last of a kernel's own tables, which
// its rules name and no capture shows.
func (c *Case) byLastTable(fam route.Family, directions []*forward.Direction) map[string]bool {
	out := map[string]bool{}
	for _, dir := range directions {
		for _, b := range dir.Branches {
			d := c.Network.Device(b.Where)
			if b.Verdict != forward.NoRoute || d == nil || d.Table(network.LastTable, fam) != nil {
				continue
			}
			main := d.Table("default", fam)
			out[b.Where] = (main == nil || !main.Whole) && d.Rules().Any(func(r network.Rule) bool {
				return r.Table == network.LastTable
			})
		}
	}
	return out
}

// byOwnUnshown lists the devices on the way of a packet that is lost for want of a route that leads on, which may have
// its destination by all that was captured: nothing shows where that is.
func (c *Case) byOwnUnshown(rt *forward.RoundTrip) map[string]bool {
	out := map[string]bool{}
	if rt.Return != nil {
		return out
	}
	for _, b := range rt.Forward.Branches {
		switch b.Verdict {
		case forward.NoRoute, forward.Loops, forward.Discarded, forward.Refused:
			for _, h := range b.Hops {
				d := c.Network.Device(h.Device)
				out[h.Device] = d != nil && d.MayOwnMore(route.FamilyOf(rt.Destination.Address))
			}
		}
	}
	return out
}

// Together is what some answers take for granted between them, each device once.
func Together(answers iter.Seq[[]Assumption]) []Assumption {
	var devices []string
	what := map[string][]Untold{}
	for all := range answers {
		for _, a := range all {
			for _, d := range a.Devices {
				if what[d] == nil {
					devices = append(devices, d)
				}
				for _, u := range a.What {
					if !slices.Contains(what[d], u) {
						what[d] = append(what[d], u)
					}
				}
			}
		}
	}
	var out []Assumption
	for _, d := range devices {
		slices.Sort(what[d])
		out = assume(out, d, what[d])
	}
	return out
}

// intoTunnels names the devices that send packets which arrive into a tunnel of which no capture tells the two ends.
func intoTunnels(directions []*forward.Direction) []string {
	var out []string
	for _, dir := range directions {
		for _, b := range dir.Branches {
			for i, h := range b.Hops {
				last := i == len(b.Hops)-1 && b.Delivery == forward.ToDevice
				if b.Verdict == forward.Arrives && !last && !h.Tunnel.IsValid() && network.NamesTunnel(h.OutInterface) &&
					!slices.Contains(out, h.Device) {
					out = append(out, h.Device)
				}
			}
		}
	}
	return out
}

func assume(all []Assumption, device string, what []Untold) []Assumption {
	if len(what) == 0 {
		return all
	}
	for i := range all {
		if slices.Equal(all[i].What, what) {
			if slices.Contains(all[i].Devices, device) {
				return all
			}
			all[i].Devices = append(all[i].Devices, device)
			return all
		}
	}
	return append(all, Assumption{[]string{device}, what})
}
