package route

// longMetrics are the metrics of routes to IPv6 prefixes of more than 64 bits, whose records have no room for one, by
// attributes that are shared for this alone. There are few of them: such a prefix is a link's or a host's.
type longMetrics map[AttrID]uint64

func (m *longMetrics) set(id AttrID, metric uint64) {
	if *m == nil {
		*m = longMetrics{}
	}
	(*m)[id] = metric
}

// long reports whether a route's metric is one of these.
func (r *Route) long() bool { return r.Metric.Known && r.Prefix.Bits() > 64 }

// shareLong returns the name of attributes that are shared with this metric.
func (l *List) shareLong(id AttrID, metric uint64) AttrID {
	if last := AttrID(len(l.attrs) - 1); l.attrs[last] == l.attrs[id] {
		if was, ok := l.long[last]; ok && was == metric {
			return last
		}
	}
	own := l.Share(l.attrs[id])
	l.long.set(own, metric)
	return own
}

// LongMetrics returns the metrics that records have no room for, by the names of attributes. Do not change them.
func (l *List) LongMetrics() map[AttrID]uint64 { return l.long }
