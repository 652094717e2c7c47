package nftables

import "slices"

// findLoose lists the protocols of which a rule may keep packets out of the flows that a kernel knows.
func (rs *ruleset) findLoose() {
	for k, list := range rs.rules {
		for _, r := range list {
			if !slices.ContainsFunc(r.Expr, func(s statement) bool { _, ok := s["notrack"]; return ok }) {
				continue
			}
			w := walker{rs: rs}
			all := []match{{}}
			for _, e := range r.Expr {
				if text, ok := e["match"]; ok {
					all = w.narrow(all, text, k)
				}
			}
			for _, m := range all {
				if m.In != "lo" && m.Out != "lo" && !slices.Contains(rs.loose, m.Protocol) {
					rs.loose = append(rs.loose, m.Protocol)
				}
			}
		}
	}
	slices.Sort(rs.loose)
}

// untracked parts what asks for the state of a flow: of packets that may belong to none it is not known.
func (rs *ruleset) untracked(all []match) []match {
	if len(rs.loose) == 0 {
		return all
	}
	var out []match
	for _, m := range all {
		for _, p := range rs.loose {
			if n := m; p == "" || m.Protocol == "" || m.Protocol == p {
				n.Undecided = true
				if p != "" {
					n.Protocol = p
				}
				out = append(out, n)
			}
		}
		if rs.loose[0] != "" && !(m.Protocol != "" && slices.Contains(rs.loose, m.Protocol)) {
			out = append(out, m)
		}
	}
	return out
}
