package settle

import "slices"

// components are the nodes of an instance in groups that no adjacency joins, nil where one leads to a device that was
// not captured: it may join them.
func (in *instance) components() (out [][]nodeKey) {
	at := make([]int, len(in.nodes))
	for n := range at {
		at[n] = -1
	}
	for n := range in.nodes {
		if at[n] >= 0 {
			continue
		}
		at[n] = len(out)
		var group []nodeKey
		for todo := []int{n}; len(todo) > 0; todo = todo[1:] {
			group = append(group, in.key(todo[0]))
			for _, i := range slices.Concat(in.out[todo[0]], in.into[todo[0]]) {
				a := &in.arcs[i]
				switch {
				case a.silent:
					continue
				case a.to < 0:
					return nil
				}
				for _, m := range []int{a.from, a.to} {
					if at[m] < 0 {
						at[m], todo = len(out), append(todo, m)
					}
				}
			}
		}
		out = append(out, group)
	}
	return out
}

func (in *instance) key(n int) nodeKey {
	return nodeKey{in.nodes[n].device.Name, in.nodes[n].table.Name}
}

// partsOf are the parts of an instance, those in one between which an adjacency may have come up; it as a whole
// where it has none.
func (r *run) partsOf(in *instance) []*instance {
	if len(in.parts) < 2 {
		return []*instance{in}
	}
	if known, ok := r.parts[in]; ok {
		return known
	}
	with := make([]int, len(in.parts)) // the first of those that a part is joined with
	for i := range with {
		with[i] = i
	}
	for _, pair := range r.cameUp() {
		a, b := in.partAt(r, pair[0]), in.partAt(r, pair[1])
		if a < 0 || b < 0 || with[a] == with[b] || in.silentAt(pair) {
			continue
		}
		low, high := min(with[a], with[b]), max(with[a], with[b])
		for i := range with {
			if with[i] == high {
				with[i] = low
			}
		}
	}
	var out []*instance
	for i, part := range in.parts {
		var nodes []nodeKey
		for k, o := range in.parts {
			if with[k] == i {
				for n := range o.nodes {
					nodes = append(nodes, o.key(n))
				}
			}
		}
		switch {
		case with[i] != i:
		case len(nodes) == len(part.nodes):
			out = append(out, part)
		default:
			one := newInstance(r.topo, in.protocol, in.family, nodes)
			one.part = part.part
			out = append(out, one)
		}
	}
	if r.parts == nil {
		r.parts = map[*instance][]*instance{}
	}
	r.parts[in] = out
	return out
}

// partAt is the part with the table of an interface, -1 for none.
func (in *instance) partAt(r *run, x port) int {
	k := nodeKey{x.device.Name, r.topo.TableOf(x.device, x.ifname)}
	return slices.IndexFunc(in.parts, func(part *instance) bool {
		_, here := part.number[k]
		return here
	})
}
