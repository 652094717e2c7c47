package layouttest

import (
	"fmt"
	"strings"

	"zarvek/internal/core/network"
)

// RuleWords writes a rule in short.
func RuleWords(f network.FlowRule) string {
	out := []string{"deny"}
	if f.Permit {
		out[0] = "permit"
	}
	if f.Refuse {
		out[0] = "refuse"
	}
	add := func(is bool, s string) {
		if is {
			out = append(out, s)
		}
	}
	port := func(p network.Ports) string { return fmt.Sprintf("%d-%d", p.Lo, p.Hi) }
	add(f.Protocol != "", f.Protocol)
	add(f.Type != 0, fmt.Sprintf("type %d", int(f.Type)-1))
	add(f.From.IsValid(), "from "+f.From.String())
	add(!f.FromPorts.Any(), port(f.FromPorts))
	add(f.To.IsValid(), "to "+f.To.String())
	add(!f.ToPorts.Any(), port(f.ToPorts))
	add(f.In != "", "in "+f.In)
	add(f.Out != "", "out "+f.Out)
	add(f.NotIn != "", "not in "+f.NotIn)
	add(f.NotOut != "", "not out "+f.NotOut)
	add(f.State != network.AnyState, [...]string{"", "begins", "answers", "opens", "seen", "unseen"}[f.State])
	add(f.Turned != network.AnyDestination, [...]string{"", "turned", "not turned"}[f.Turned])
	add(f.Undecided, "perhaps")
	add(f.Detour.NextHop.IsValid(), "to "+f.Detour.NextHop.String())
	add(f.Detour.Table != "", "in "+f.Detour.Table)
	add(f.Detour.Drop, "dropped")
	add(f.Detour.Open, "elsewhere")
	return strings.Join(out, " ")
}

// Lists writes each list's rules.
func Lists(rules []network.ListRule) map[string][]string {
	out := map[string][]string{}
	for _, r := range rules {
		out[r.List] = append(out[r.List], RuleWords(r.FlowRule))
	}
	return out
}

// Applied writes where lists are applied: the hook as a number, and what becomes of packets that no rule fits.
func Applied(all []network.AppliedFilter) []string {
	var out []string
	for _, a := range all {
		out = append(out, fmt.Sprint(a.List, " ", uint8(a.Rule.Family), " hook ", uint8(a.Rule.Hook), " ",
			RuleWords(a.Rule)))
	}
	return out
}
