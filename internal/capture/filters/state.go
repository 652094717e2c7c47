package filters

import "zarvek/internal/core/network"

// FlowState is what a rule asks of flows that names states: "new", "established", "related", "invalid", "untracked".
// Some is false where it fits no packet of a flow that walks ask about, as what is only related to one; sure, where it
// is wider than what the rule says.
func FlowState(has func(string) bool) (state network.FlowState, some, sure bool) {
	begins, seen, unseen := has("new"), has("established"), has("invalid")
	switch {
	case !begins && !seen && !unseen:
		return network.AnyState, !has("related") && !has("untracked"), true
	case begins && seen:
		return network.AnyState, true, unseen || !has("invalid")
	case seen && unseen:
		return network.Answering, true, true
	case begins && unseen:
		return network.AnyState, true, false
	case seen:
		return network.Seen, true, true
	case begins:
		return network.Beginning, true, true
	}
	return network.Unseen, true, true
}
