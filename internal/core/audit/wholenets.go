package audit

// netGroups knows which groups are in a network, where the groups of each are side by side and in the order of the
// networks: whatever concerns many networks can be told of stretches of them then.
type netGroups struct {
	known bool
	first []int32 // of each network: its first group; behind the last one: how many groups there are
}

// newNetGroups takes the network of each group.
func newNetGroups(netOf []int32, nets int) netGroups {
	g := netGroups{known: true}
	for i, n := range netOf {
		switch int(n) {
		case len(g.first) - 1:
		case len(g.first):
			g.first = append(g.first, int32(i))
		default:
			return netGroups{}
		}
	}
	g.first = append(g.first, int32(len(netOf)))
	g.known = len(g.first) == nets+1
	return g
}

// each parts groups into stretches of networks of which all groups are among them, and single groups of others, in
// their order.
func (a *auditor) eachNet(groups runs, whole func(nets stretch), single func(group int32)) {
	at := a.netGroups.first
	for _, s := range groups {
		next, end := s.first, s.last+1
		for ; next < end && next != at[a.netOf[next]]; next++ {
			single(next)
		}
		if next == end {
			continue
		}
		from, to := a.netOf[next], a.netOf[s.last] // to: the first network that is not whole
		if at[to+1] == end {
			to++
		}
		if from < to {
			whole(stretch{from, to - 1})
		}
		for next = max(next, at[to]); next < end; next++ {
			single(next)
		}
	}
}
