package snmp

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"sort"
	"strconv"

	"zarvek/internal/core/route"
)

// routeRow is a row of a forwarding table, put together from its columns.
type routeRow struct {
	prefix      netip.Prefix
	nextHop     netip.Addr
	ifIndex     uint64
	kind, proto uint64
	metric      route.Number
	old         bool // of RFC 1213, whose types are others
	idle        bool // its status says that it is not in use
	table       byte // 4.21, 4.24.4 or 4.24.7: 1, 4, 7, the order in which a walk comes to them
	lo, hi      int
	place       int    // in the order of the walk
	index       []byte // as the text has it; nil where it was not kept
}

// rows are the rows met so far. A walk comes to the indexes of a table in their order (RFC 3416 section 4.2.2), so that
// an index above all others is one of a new row, and others are found by halving. Where a walk does not keep to that
// order, or the text of an index was not kept, rows are found by a map.
type rows struct {
	order   []*routeRow
	spare   []routeRow
	top     []uint32 // the index of the last of order
	loose   bool     // byKey is used
	byKey   map[string]*routeRow
	key     []byte
	numbers []uint32
}

// rowOf returns the row of an index, made when it is first seen, and notes it as the one that the walk is at.
func (r *reader) rowOf(table byte, index []uint32, lo, hi int) (row *routeRow, fresh bool) {
	row = r.find(table, index)
	if fresh = row == nil; fresh {
		row = r.add(table, index, lo, hi)
	}
	r.at = row
	return row, fresh
}

// find returns the row of an index, nil where there is none yet.
func (r *rows) find(table byte, index []uint32) *routeRow {
	if len(r.order) == 0 {
		return nil
	}
	if last := r.order[len(r.order)-1]; !r.loose {
		c := cmp.Or(cmp.Compare(table, last.table), slices.Compare(index, r.top))
		switch {
		case c == 0:
			return last
		case last.index == nil:
			r.loosen()
		case c > 0:
			return nil
		default:
			if row := r.halving(table, index); row != nil {
				return row
			}
			r.loosen() // it is new, and comes late
		}
	}
	r.key = appendKey(r.key[:0], table, index)
	return r.byKey[string(r.key)]
}

// halving looks for a row where all are in order.
func (r *rows) halving(table byte, index []uint32) *routeRow {
	i, found := sort.Find(len(r.order), func(i int) int {
		x := r.order[i]
		return cmp.Or(cmp.Compare(table, x.table), slices.Compare(index, r.numbersOf(x)))
	})
	if !found {
		return nil
	}
	return r.order[i]
}

// numbersOf reads the index of a row whose text was kept. They hold until the next call.
func (r *rows) numbersOf(x *routeRow) []uint32 {
	numbers, ok := plainNumbers(r.numbers[:0], x.index)
	if !ok {
		numbers, _ = parseIndex(string(x.index))
	}
	r.numbers = numbers
	return numbers
}

// loosen gives up the order of the indexes.
func (r *rows) loosen() {
	r.loose, r.byKey = true, make(map[string]*routeRow, len(r.order))
	for i, x := range r.order {
		numbers := r.top
		if i < len(r.order)-1 {
			numbers = r.numbersOf(x)
		}
		r.byKey[string(appendKey(nil, x.table, numbers))] = x
	}
}

// manyRows is how many rows are made at once.
const manyRows = 256

func (r *rows) add(table byte, index []uint32, lo, hi int) *routeRow {
	if len(r.spare) == 0 {
		r.spare = make([]routeRow, min(len(r.order)+1, manyRows))
	}
	row := &r.spare[0]
	r.spare = r.spare[1:]
	*row = routeRow{table: table, lo: lo, hi: hi, place: len(r.order)}
	r.order = append(r.order, row)
	r.top = append(r.top[:0], index...)
	if r.loose {
		r.byKey[string(appendKey(nil, table, index))] = row
	}
	return row
}

func appendKey(b []byte, table byte, index []uint32) []byte {
	b = append(b, table)
	for _, n := range index {
		b = append(strconv.AppendUint(b, uint64(n), 10), '.')
	}
	return b
}

// column sets a value; columns are counted from that of the interface: type, protocol, the metric at 5, and at 10 the
// status of the row (RowStatus, RFC 2579).
func (w *routeRow) column(n uint32, value string) error {
	v, ok := integer(value)
	if !ok && n != metricColumn { // -1 says that the metric is not used
		return fmt.Errorf("%w: %q", errValue, value)
	}
	w.set(n, v, ok)
	return nil
}

// metricColumn is that of the metric, as columns are counted.
const metricColumn = 5

func (w *routeRow) set(n uint32, v uint64, known bool) {
	switch n {
	case 0:
		w.ifIndex = v
	case 1:
		w.kind = v
	case 2:
		w.proto = v
	case metricColumn:
		if known {
			w.metric = route.N(v)
		}
	case 10:
		w.idle = v == 2 || v == 3 // notInService, notReady
	}
}

// way is all that the attributes of a route through a gateway depend on.
type way struct {
	family      route.Family
	hop         netip.Addr
	ifIndex     uint64
	kind, proto uint64
	metric      bool // it is known
	old         bool
}

// way tells routes apart that differ in more than their prefix and metric; false for those that do not lead through a
// gateway, which are read each by itself.
func (w *routeRow) way() (way, bool) {
	k := way{route.FamilyOf(w.prefix.Addr()), w.nextHop, w.ifIndex, w.kind, w.proto, w.metric.Known, w.old}
	return k, w.nextHop.IsValid() && !w.nextHop.IsUnspecified() && !w.prefix.Addr().IsMulticast()
}

// state is that of the route in its table.
func (w *routeRow) state() route.State {
	if w.idle {
		return 0
	}
	return route.Active | route.Installed
}
