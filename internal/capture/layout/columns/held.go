package columns

import (
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// held is the route that was read last: rows below may tell further next hops of it.
type held struct {
	table  string
	prefix netip.Prefix
	attr   layout.Attributes
	state  route.State
	lo, hi int
	like   *likeRow // the row that is remembered as this one; nil where none is, or where it is one no more
}

// hold takes a route until it is known whether more rows belong to it. More: the row has no destination of its own.
func (r *reader) hold(h held, more bool) {
	if o := &r.held; more && r.holds && o.prefix == h.prefix && o.table == h.table && o.state == h.state &&
		o.attr.Protocol == h.attr.Protocol &&
		o.attr.Subtype == h.attr.Subtype && o.attr.Preference == h.attr.Preference && o.attr.Metric == h.attr.Metric &&
		o.attr.Special == h.attr.Special {
		o.attr.NextHops = append(o.attr.NextHops, h.attr.NextHops...)
		o.hi, o.like = h.hi, nil
		return
	}
	r.release()
	r.held, r.holds = h, true
}

// release adds the route that is held.
func (r *reader) release() {
	if !r.holds {
		return
	}
	r.holds = false
	h := &r.held
	s := r.Add(h.table, r.kind(), h.attr.Route(h.prefix, h.state, layout.Mark(h.lo, h.hi)), r.Room(r.text[h.lo:]))
	if h.like != nil {
		h.like.shared, h.like.isShared = s, true
	}
}
