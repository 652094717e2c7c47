package network

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// tieStatics ties the static routes that statements of their own say are watched.
func (f *deviceFacts) tieStatics() {
	type hop struct {
		ifname  string
		address netip.Addr
	}
	ties := map[hop]Tie{}
	for _, w := range f.Watches {
		at := hop{w.NextHop.Interface, w.NextHop.Address}
		ties[at] = ties[at].with(w.Tie)
	}
	if len(ties) == 0 {
		return
	}
	for i := range f.Statics {
		h := f.Statics[i].NextHop
		for _, at := range []hop{{h.Interface, h.Address}, {h.Interface, netip.Addr{}}, {"", h.Address}} {
			if at != (hop{}) {
				f.Statics[i].Tie = f.Statics[i].Tie.with(ties[at])
			}
		}
	}
}

// with is both ties; of two objects the last is kept.
func (t Tie) with(o Tie) Tie {
	if t.Session = t.Session || o.Session; o.Object != "" {
		t.Object = o.Object
	}
	return t
}

// indexWatched finds what was told of tracked objects and sessions by what they are about.
func (d *Device) indexWatched() {
	d.trackedAt, d.sessionsAt = map[string][]TrackedObject{}, map[netip.Addr][]Session{}
	for _, o := range d.tracked {
		d.trackedAt[o.Name] = append(d.trackedAt[o.Name], o)
	}
	for _, s := range d.sessions {
		d.sessionsAt[s.Peer] = append(d.sessionsAt[s.Peer], s)
	}
}

// TieDown reports whether the object or the session that a static route is tied to was told, and never to be up, with the
// line that tells it.
func (d *Device) TieDown(s Static) (object, session bool, told route.Mark) {
	for _, o := range d.trackedAt[s.Tie.Object] { // none is called ""
		if o.Up {
			return false, false, route.Mark{}
		}
		object, told = true, o.Mark
	}
	if !s.Tie.Session || !s.NextHop.Address.IsValid() {
		return object, false, told
	}
	for _, x := range d.sessionsAt[s.NextHop.Address] {
		switch {
		case x.Interface != "" && s.NextHop.Interface != "" && x.Interface != s.NextHop.Interface:
		case x.Up:
			return false, false, route.Mark{}
		default:
			session, told = true, x.Mark
		}
	}
	return object, session, told
}
