package network

import (
	"cmp"

	"zarvek/internal/core/route"
)

// Suppose lets a device have tables that were not captured, of the families of which no table of it was: what its
// configuration attaches. They are marked as Supposed.
func (b *Builder) Suppose(device string) {
	if d := b.devices[device]; d != nil {
		d.suppose = true
	}
}

// supposeTables makes tables of the addresses that a configuration gives to interfaces, but for those that are down.
func (f *deviceFacts) supposeTables() {
	if !f.suppose {
		return
	}
	var captured [2]bool
	for _, t := range f.Tables {
		captured[familyIndex(t.Family)] = true
	}
	down := map[string]bool{}
	for _, i := range f.Interfaces {
		down[i.Name] = down[i.Name] || i.State == LinkDown
	}
	at := map[tableKey]int{}
	for _, a := range f.Addresses {
		fam := route.FamilyOf(a.Prefix.Addr())
		if captured[familyIndex(fam)] || !a.Configured || a.Interface == "" || down[a.Interface] {
			continue
		}
		k := tableKey{table: cmp.Or(a.Table, "default"), family: fam}
		if _, ok := at[k]; !ok {
			at[k] = len(f.Tables)
			f.Tables = append(f.Tables, TableFacts{Name: k.table, Family: fam, Supposed: true})
		}
		l := &f.Tables[at[k]].Routes
		hops := []route.NextHop{{Interface: a.Interface}}
		add := func(r route.Attributes, bits int) {
			r.NextHops = hops
			p, _ := a.Prefix.Addr().Prefix(bits)
			l.AddRoute(route.Route{Prefix: p, Attributes: &r, State: route.Active | route.Installed, Mark: a.Mark})
		}
		add(route.Attributes{Protocol: route.Local, Special: route.Receive}, a.Prefix.Addr().BitLen())
		if !a.Prefix.IsSingleIP() {
			add(route.Attributes{Protocol: route.Direct}, a.Prefix.Bits())
		}
	}
}

func familyIndex(f route.Family) int {
	if f == route.IPv6 {
		return 1
	}
	return 0
}
