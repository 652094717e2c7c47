// Package prefixes finds what is kept by prefix: for an address the longest prefix that contains it (RFC 4632 section
// 5.1), and for a prefix all that it contains and all that contain it.
//
// It exists to keep a library's generic table out of the types that others see: the compiler makes all methods of such
// a table anew in each package that knows one, which was most of the time that a build took.
package prefixes

import (
	"iter"
	"net/netip"

	"github.com/gaissmai/bart"
)

// An Index holds a number by prefix, of either family. Prefixes are kept masked; an address of IPv4 that is mapped to
// IPv6 is one of IPv6. The zero Index is empty. It may be read by several goroutines at once, but not while one
// changes it, and a copy shares what it holds.
type Index struct{ kept table }

// table is what the library's table offers of numbers.
type table interface {
	Insert(netip.Prefix, uint32)
	Get(netip.Prefix) (uint32, bool)
	Lookup(netip.Addr) (uint32, bool)
	Supernets(netip.Prefix) iter.Seq2[netip.Prefix, uint32]
	Subnets(netip.Prefix) iter.Seq2[netip.Prefix, uint32]
	AllSorted() iter.Seq2[netip.Prefix, uint32]
}

// Put keeps n for a prefix, in place of what was kept for it. An invalid prefix is passed over.
func (x *Index) Put(p netip.Prefix, n uint32) {
	if x.kept == nil {
		x.kept = new(bart.Table[uint32])
	}
	x.kept.Insert(p, n)
}

// Exact returns what is kept for just that prefix.
func (x *Index) Exact(p netip.Prefix) (uint32, bool) {
	if x.kept == nil {
		return 0, false
	}
	return x.kept.Get(p)
}

// Longest returns what is kept for the longest prefix that contains a.
func (x *Index) Longest(a netip.Addr) (uint32, bool) {
	if x.kept == nil {
		return 0, false
	}
	return x.kept.Lookup(a)
}

// Covering yields the prefixes that contain all of p, p too, longest first.
func (x *Index) Covering(p netip.Prefix) iter.Seq2[netip.Prefix, uint32] {
	if x.kept == nil {
		return nothing
	}
	return x.kept.Supernets(p)
}

// Inside yields the prefixes that lie in p, p too, in order (netip.Prefix.Compare).
func (x *Index) Inside(p netip.Prefix) iter.Seq2[netip.Prefix, uint32] {
	if x.kept == nil {
		return nothing
	}
	return x.kept.Subnets(p)
}

// All yields all prefixes in order (netip.Prefix.Compare), IPv4 first.
func (x *Index) All() iter.Seq2[netip.Prefix, uint32] {
	if x.kept == nil {
		return nothing
	}
	return x.kept.AllSorted()
}

func nothing(func(netip.Prefix, uint32) bool) {}
