package settle

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// standing is how speakers had a prefix before the change.
type standing struct {
	*vectorState
	roles *roles
	by    []source
}

// standingOf is how speakers had a prefix when the network was captured, nil where the tables show no state in which it
// rests, or captures do not tell enough to say so.
func (x *exchange) standingOf(p netip.Prefix) *standing {
	state, roles := x.reproduce(p), x.rolesOf(p)
	if roles == nil || state == nil {
		return nil
	}
	was := &standing{vectorState: state, roles: roles, by: make([]source, len(x.nodes))}
	lasts := make([]bool, len(x.nodes))
	for i := range x.nodes {
		lasts[i], was.by[i] = true, sourceOf(x.nodes[i].table.RoutesTo(p))
	}
	used, list, is, told := x.rests(roles, was.by, lasts, was)
	if !is || !told {
		return nil
	}
	peers := func(c choice) (out []int) {
		for _, h := range c.used {
			out = append(out, h.from)
		}
		return sorted(out)
	}
	for i := range used {
		if used[i].open || !slices.Equal(peers(used[i]), peers(state.used[i])) {
			return nil
		}
	}
	was.vectorState = &vectorState{used: used, heard: list}
	return was
}

// sourceOf is by what a device has a prefix.
func sourceOf(rows []route.Route) source {
	by := byNothing
	for _, r := range rows {
		switch {
		case !r.Is(route.Installed):
		case r.Protocol == route.BGP:
			by = byBGP
		case adds(r.Protocol):
			by = byInside
		default:
			return byItself
		}
	}
	return by
}
