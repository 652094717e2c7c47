package statements

import (
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// thrown keeps policies that throw packets of a class away, and where they are applied. A policy that only orders or
// limits decides over no packet that is traced.
type thrown struct {
	policy  string // whose block the line stands in
	control bool   // the line stands in the block about what is for the device itself
	throws  map[string]bool
	applied []appliedPolicy
}

type appliedPolicy struct {
	policy, ifname string
	in             bool
	own            bool // what is for the device itself, by whatever interface
	mark           route.Mark
}

// line takes a line in, and reports whether it belongs to what is kept.
func (t *thrown) line(w []string, indented bool, ifname string, m route.Mark) bool {
	switch {
	case len(w) > 2 && w[0] == "service-policy" && !indented && (w[2] == "interface" || w[2] == "global"):
		for _, in := range []bool{true, false} { // both ways
			t.applied = append(t.applied,
				appliedPolicy{policy: w[1], ifname: strings.Join(w[3:min(4, len(w))], ""), in: in, mark: m})
		}
		return true
	case !indented:
		t.control = w[0] == "control-plane"
		if t.policy = ""; len(w) > 1 && w[0] == "policy-map" && (len(w) == 2 || w[1] == "type") {
			t.policy = w[len(w)-1]
			return true
		}
	case t.control && len(w) == 3 && w[0] == "service-policy" && w[1] == "input":
		t.applied = append(t.applied, appliedPolicy{policy: w[2], own: true, mark: m})
		return true
	case t.policy != "" && (len(w) == 1 && w[0] == "drop" || dropsAll(w)):
		if t.throws == nil {
			t.throws = map[string]bool{}
		}
		t.throws[t.policy] = true
		return true
	case ifname != "" && len(w) == 3 && w[0] == "service-policy" && (w[1] == "input" || w[1] == "output"):
		t.applied = append(t.applied, appliedPolicy{policy: w[2], ifname: ifname, in: w[1] == "input", mark: m})
		return true
	}
	return false
}

// dropsAll reports whether a limit of rates drops what keeps it too.
func dropsAll(w []string) bool {
	i := slices.IndexFunc(w, func(s string) bool { return s == "conform-action" || s == "conform" })
	return i >= 0 && i+1 < len(w) && w[i+1] == "drop"
}

// finish restricts the interfaces on which a policy throws packets away: which ones is not read.
func (t *thrown) finish(r *reader) {
	for _, a := range t.applied {
		rule := network.FlowRule{Hook: network.ComingIn, In: a.ifname}
		switch {
		case a.own:
			rule = network.FlowRule{Hook: network.ForItself}
		case !a.in:
			rule = network.FlowRule{Hook: network.GoingOut, Out: a.ifname}
		}
		if t.throws[a.policy] {
			r.Restrict(rule, int(a.mark.Off), int(a.mark.End))
		}
	}
}
