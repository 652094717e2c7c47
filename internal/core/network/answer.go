package network

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// An Answer is what a kernel said that it would do with packets to one address: no route of its table, but the table
// must lead there.
type Answer struct {
	Table   string // that it was found in, "default" for the main one
	Address netip.Addr
	Special route.Special // what is done in place of handing it on
	NextHop route.NextHop
	Mark    route.Mark
}

// answered compares a table with what the kernel said of single addresses. Where it leads elsewhere, which of the two
// holds is not known.
func (t *Table) answered(answers []Answer) {
	for _, a := range answers {
		if a.Table != t.Name || route.FamilyOf(a.Address) != t.Family || a.Special == route.Receive {
			continue
		}
		said := route.Route{Prefix: netip.PrefixFrom(a.Address, a.Address.BitLen()),
			Attributes: &route.Attributes{Special: a.Special, NextHops: []route.NextHop{a.NextHop}}}
		if used, ok := t.usedFor(said); !ok || !t.leadAlike(used, said) {
			t.addUnread(UnreadRow{Prefix: said.Prefix, Answered: true, Mark: a.Mark})
		}
	}
}
