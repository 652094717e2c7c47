package capture

import (
	"encoding/binary"
	"errors"
	"maps"
	"net/netip"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// Attributes may be as many as routes, so they have a form of their own: numbers of variable length, each text once.

// errKept is returned for bytes that are no kept reading.
var errKept = errors.New("no kept reading")

// packer writes attributes.
type packer struct {
	out   []byte
	texts map[string]uint64
	list  []string
}

func (p *packer) number(n uint64) { p.out = binary.AppendUvarint(p.out, n) }

func (p *packer) text(s string) {
	at, ok := p.texts[s]
	if !ok {
		at = uint64(len(p.list))
		p.list, p.texts[s] = append(p.list, s), at
	}
	p.number(at)
}

func (p *packer) flags(all ...bool) {
	n := uint64(0)
	for i, set := range all {
		if set {
			n |= 1 << i
		}
	}
	p.number(n)
}

func (p *packer) address(a netip.Addr) {
	switch {
	case !a.IsValid():
		p.out = append(p.out, 0)
	case a.Is4():
		b := a.As4()
		p.out = append(append(p.out, 4), b[:]...)
	default:
		b := a.As16()
		p.out = append(append(p.out, 16), b[:]...)
		p.text(a.Zone())
	}
}

// packAttributes returns the bytes of shared attributes.
func packAttributes(all []*route.Attributes) []byte {
	p := &packer{texts: map[string]uint64{}}
	known := map[string]uint64{} // lists of next hops, each once: nearly all routes share theirs
	hops := &packer{texts: p.texts}
	lists := make([]uint64, len(all))
	for i, a := range all {
		one := &packer{texts: p.texts, list: p.list}
		one.hops(a.NextHops)
		p.list = one.list
		at, ok := known[string(one.out)]
		if !ok {
			at = uint64(len(known))
			known[string(one.out)], hops.out = at, append(hops.out, one.out...)
		}
		lists[i] = at
	}
	p.number(uint64(len(all)))
	for i, a := range all {
		p.attributes(a)
		p.number(lists[i])
	}
	head := &packer{}
	head.number(uint64(len(p.list)))
	for _, s := range p.list {
		head.number(uint64(len(s)))
		head.out = append(head.out, s...)
	}
	head.number(uint64(len(known)))
	return slices.Concat(head.out, hops.out, p.out)
}

// hops writes next hops; none that were told are another thing than none.
func (p *packer) hops(all []route.NextHop) {
	if all == nil {
		p.number(0)
		return
	}
	p.number(uint64(len(all)) + 1)
	for i := range all {
		h := &all[i]
		p.flags(h.Recursive, h.Resolves, h.Inactive, h.Backup, h.Down, h.OnLink, h.Installed, h.Encapsulated)
		p.address(h.Address)
		p.text(h.Interface)
		p.text(h.Table)
		p.number(uint64(h.Weight))
	}
}

func (p *packer) attributes(a *route.Attributes) {
	b := a.BGP
	p.flags(a.Preference.Known, b != route.BGPPath{}, b.Weight.Known, b.LocalPreference.Known,
		b.Length.Known, b.MultiExit.Known, b.ByMetric)
	p.number(uint64(a.Protocol))
	p.number(uint64(a.Special))
	p.text(a.Subtype)
	p.number(a.Preference.Value)
	if b != (route.BGPPath{}) {
		for _, n := range [...]uint64{b.Weight.Value, b.LocalPreference.Value, b.Length.Value, b.MultiExit.Value,
			uint64(b.NeighbourAS), uint64(b.Origin), uint64(b.Session)} {
			p.number(n)
		}
	}
}

// packPassed returns the bytes of lines that carry no fact: in a document they may be as many as the routes. Nil stays
// nil.
func packPassed(all []layout.Passed) []byte {
	if all == nil {
		return nil
	}
	p := &packer{out: make([]byte, 0, 4+4*len(all))}
	p.number(uint64(len(all)))
	last := uint32(0)
	for _, x := range all {
		p.number(uint64(x.As))
		p.number(uint64(x.Mark.File))
		p.number(uint64(x.Mark.Off - last)) // in order, nearly always
		p.number(uint64(x.Mark.End - x.Mark.Off))
		last = x.Mark.Off
	}
	return p.out
}

// unpackPassed returns what packPassed was given.
func unpackPassed(b []byte) ([]layout.Passed, error) {
	if b == nil {
		return nil, nil
	}
	u := &unpacker{in: b}
	out := make([]layout.Passed, u.count())
	last := uint32(0)
	for i := range out {
		x := &out[i]
		x.As, x.Mark.File = layout.As(u.number()), uint32(u.number())
		x.Mark.Off = last + uint32(u.number())
		x.Mark.End = x.Mark.Off + uint32(u.number())
		last = x.Mark.Off
	}
	if u.wrong || len(u.in) > 0 {
		return nil, errKept
	}
	return out, nil
}

// packLong returns the bytes of metrics by attributes.
func packLong(long map[route.AttrID]uint64) []byte {
	p := &packer{}
	for _, id := range slices.Sorted(maps.Keys(long)) {
		p.number(uint64(id))
		p.number(long[id])
	}
	return p.out
}

// unpackLong returns what packLong was given.
func unpackLong(b []byte) (long map[route.AttrID]uint64, err error) {
	u := &unpacker{in: b}
	for len(u.in) > 0 {
		if long == nil {
			long = map[route.AttrID]uint64{}
		}
		id := route.AttrID(u.number())
		long[id] = u.number()
	}
	if u.wrong {
		return nil, errKept
	}
	return long, nil
}

// packCensus returns the bytes of a census, which are at least one.
func packCensus(c *route.Census) []byte {
	p := &packer{}
	for _, list := range [...][]uint32{c.Routes, c.Installed, c.Own} {
		p.number(uint64(len(list)))
		for _, n := range list {
			p.number(uint64(n))
		}
	}
	return p.out
}

// unpackCensus returns what packCensus was given, for so many shared attributes.
func unpackCensus(b []byte, shared int) (*route.Census, error) {
	u := &unpacker{in: b}
	c := &route.Census{Routes: make([]uint32, 0, shared), Installed: make([]uint32, 0, shared)}
	for _, list := range [...]*[]uint32{&c.Routes, &c.Installed, &c.Own} {
		for range u.count() {
			*list = append(*list, uint32(u.number()))
		}
	}
	if u.wrong || len(u.in) > 0 || len(c.Routes) != shared || len(c.Installed) != shared {
		return nil, errKept
	}
	return c, nil
}

// unpacker reads them. Wrong is set once it meets what packAttributes does not write.
type unpacker struct {
	in    []byte
	texts []string
	wrong bool
}

func (u *unpacker) number() uint64 {
	n, size := binary.Uvarint(u.in)
	if size <= 0 {
		u.wrong, u.in = true, nil
		return 0
	}
	u.in = u.in[size:]
	return n
}

// count reads a number of things that take at least one byte each.
func (u *unpacker) count() int {
	n := u.number()
	if n > uint64(len(u.in)) {
		u.wrong, n = true, 0
	}
	return int(n)
}

func (u *unpacker) take(n int) []byte {
	if n > len(u.in) {
		u.wrong = true
		return make([]byte, n)
	}
	b := u.in[:n]
	u.in = u.in[n:]
	return b
}

func (u *unpacker) text() string {
	n := u.number()
	if n >= uint64(len(u.texts)) {
		u.wrong = true
		return ""
	}
	return u.texts[n]
}

func (u *unpacker) flags(all ...*bool) {
	n := u.number()
	for i, f := range all {
		*f = n>>i&1 == 1
	}
}

func (u *unpacker) address() netip.Addr {
	switch u.take(1)[0] {
	case 0:
		return netip.Addr{}
	case 4:
		return netip.AddrFrom4([4]byte(u.take(4)))
	}
	a := netip.AddrFrom16([16]byte(u.take(16)))
	return a.WithZone(u.text())
}

// unpackAttributes returns what packAttributes was given.
func unpackAttributes(b []byte) ([]*route.Attributes, error) {
	u := &unpacker{in: b}
	u.texts = make([]string, u.count())
	for i := range u.texts {
		u.texts[i] = string(u.take(u.count()))
	}
	lists := make([][]route.NextHop, u.count())
	for i := range lists {
		lists[i] = u.hops()
	}
	values := make([]route.Attributes, u.count())
	out := make([]*route.Attributes, len(values))
	for i := range values {
		out[i] = &values[i]
		u.attributes(out[i])
		n := u.number()
		if n >= uint64(len(lists)) {
			return nil, errKept
		}
		out[i].NextHops = lists[n]
	}
	if u.wrong || len(u.in) > 0 {
		return nil, errKept
	}
	return out, nil
}

// attributes reads all but the next hops.
func (u *unpacker) attributes(a *route.Attributes) {
	var path bool
	b := &a.BGP
	u.flags(&a.Preference.Known, &path, &b.Weight.Known, &b.LocalPreference.Known, &b.Length.Known,
		&b.MultiExit.Known, &b.ByMetric)
	a.Protocol = route.Protocol(u.number())
	a.Special = route.Special(u.number())
	a.Subtype = u.text()
	a.Preference.Value = u.number()
	if path {
		b.Weight.Value = u.number()
		b.LocalPreference.Value = u.number()
		b.Length.Value = u.number()
		b.MultiExit.Value = u.number()
		b.NeighbourAS = uint32(u.number())
		b.Origin = route.Origin(u.number())
		b.Session = route.BGPSession(u.number())
	}
}

// hops reads a list of next hops. Nobody adds to it in place.
func (u *unpacker) hops() []route.NextHop {
	n := u.number()
	if n == 0 || n-1 > uint64(len(u.in)) {
		u.wrong = u.wrong || n > 0
		return nil
	}
	out := make([]route.NextHop, n-1)
	for i := range out {
		u.hop(&out[i])
	}
	return out
}

func (u *unpacker) hop(h *route.NextHop) {
	u.flags(&h.Recursive, &h.Resolves, &h.Inactive, &h.Backup, &h.Down, &h.OnLink, &h.Installed, &h.Encapsulated)
	h.Address = u.address()
	h.Interface = u.text()
	h.Table = u.text()
	h.Weight = uint32(u.number())
}
