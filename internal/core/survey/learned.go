package survey

import (
	"cmp"
	"container/heap"
	"net/netip"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// A Learned is a network that no captured device is attached to: the case knows it from routes alone.
type Learned struct {
	Prefix  netip.Prefix
	Devices []*network.Device // that have a route of its own to it, in use
	Route   route.Route       // of the first of them
	Covers  int               // attached networks that lie in it: it is a summary of those, at least in part
}

// maxLearned is how many learned networks are listed; all are counted.
const maxLearned = 10_000

// A rows is one table while the tables of all devices are read side by side.
type rows struct {
	number int // of the table, in the order of the case
	device *network.Device
	table  *network.Table
	at     int
}

func (r *rows) prefix() netip.Prefix { return r.table.Routes().Prefix(r.at) }

// queue has the table with the least next prefix first; of equal ones the first of the case (package heap).
type queue []*rows

func (q queue) Len() int { return len(q) }

func (q queue) Less(i, j int) bool {
	return cmp.Or(q[i].prefix().Compare(q[j].prefix()), cmp.Compare(q[i].number, q[j].number)) < 0
}

func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }

func (q *queue) Push(x any) { *q = append(*q, x.(*rows)) }

func (q *queue) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// learned lists the networks that only routes tell of, and counts the devices with a default route. The tables are
// sorted, so they are read side by side.
func (s *Survey) learned(t *topology.Topology, fam route.Family) {
	nets := t.Networks()
	for _, f := range families {
		if fam != 0 && fam != f {
			continue
		}
		var all queue
		for _, d := range t.Network.Devices().All() {
			for _, tab := range d.Tables().All() {
				if tab.Family == f && !tab.Undecided && tab.Routes().Len() > 0 {
					all = append(all, &rows{number: len(all), device: d, table: tab})
				}
			}
			if hasDefault(d, f) {
				s.Defaults = append(s.Defaults, Knower{Device: d, How: KnowsByDefault})
			}
		}
		heap.Init(&all)
		for len(all) > 0 {
			l := all.take()
			if len(l.Devices) == 0 || l.Prefix.Bits() == 0 || private(l.Prefix.Addr()) ||
				l.Prefix.IsSingleIP() && len(t.Owners(l.Prefix.Addr())) > 0 {
				continue
			}
			at, attached := slices.BinarySearchFunc(nets, l.Prefix, netip.Prefix.Compare)
			if attached {
				continue
			}
			if s.LearnedCount++; len(s.Learned) == maxLearned {
				continue
			}
			behind, _ := slices.BinarySearchFunc(nets[at:], l.Prefix, func(n, p netip.Prefix) int {
				if p.Contains(n.Addr()) {
					return -1
				}
				return 1
			})
			l.Covers = behind
			s.Learned = append(s.Learned, l)
		}
	}
}

// hasDefault reports whether a device's own table has a default route in use that leads on.
func hasDefault(d *network.Device, fam route.Family) bool {
	for _, tab := range d.Tables().All() {
		if tab.Family != fam || tab.Undecided || tab.Name != "default" {
			continue
		}
		if g, ok := tab.Exact(fam.Default()); ok {
			for _, r := range tab.Members(g) {
				if r.Is(route.Installed) && r.Special == route.None {
					return true
				}
			}
		}
	}
	return false
}

// take takes the least prefix from all tables that have it, and says who learned it.
func (q *queue) take() Learned {
	l := Learned{Prefix: (*q)[0].prefix()}
	for len(*q) > 0 && (*q)[0].prefix() == l.Prefix {
		r := (*q)[0]
		g := r.table.Group(r.at)
		for _, x := range r.table.Members(g) {
			if !network.Used(x) || x.Special != route.None || x.Protocol == route.Direct || x.Protocol == route.Local {
				continue
			}
			if len(l.Devices) == 0 {
				l.Route = x
			}
			if n := len(l.Devices); n == 0 || l.Devices[n-1] != r.device {
				l.Devices = append(l.Devices, r.device)
			}
		}
		if r.at = g.Hi; r.at < r.table.Routes().Len() {
			heap.Fix(q, 0)
		} else {
			heap.Pop(q)
		}
	}
	return l
}

func private(a netip.Addr) bool { return a.IsLoopback() || a.IsLinkLocalUnicast() || a.IsMulticast() }
