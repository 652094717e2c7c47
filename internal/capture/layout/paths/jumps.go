package paths

import (
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
)

// chains are the lines of filters by section and chain, and the rules of those that others lead to.
type chains struct {
	*reader
	lines map[string][]*item
	rules map[string][]network.FlowRule // nil while they are made
}

func (r *reader) chains() *chains {
	c := &chains{r, map[string][]*item{}, map[string][]network.FlowRule{}}
	for _, i := range r.items {
		if i.verb == "add" && !i.off() && i.get("chain") != "" {
			c.lines[i.section+" "+i.get("chain")] = append(c.lines[i.section+" "+i.get("chain")], i)
		}
	}
	return c
}

// unfold makes rules of a line. One that leads to another chain has the rules of that where both fit.
func (c *chains) unfold(i *item) []network.FlowRule {
	if i.get("action") != "jump" {
		return c.rule(i)
	}
	rule := c.match(i)
	rule.Family = familyOf(i.section)
	if rule.State == never {
		return nil
	}
	theirs, ok := c.rulesOf(i.section + " " + i.get("jump-target"))
	if !ok {
		return either(rule, i)
	}
	var out []network.FlowRule
	for _, a := range rule.Unfold(nil, i.mark) {
		for _, b := range theirs {
			if f, ok := filters.Both(a, b); ok {
				out = append(out, f)
			}
		}
		if len(out) > filters.MostTotal {
			return filters.Not(nil, i.mark)
		}
	}
	return out
}

// rulesOf are the rules of a chain, made once; false where nothing stands in it, or it leads to itself. What a line takes
// back meets no later line of it: those are understood only where every packet is taken back.
func (c *chains) rulesOf(chain string) ([]network.FlowRule, bool) {
	if known, begun := c.rules[chain]; begun || len(c.lines[chain]) == 0 {
		return known, known != nil
	}
	c.rules[chain] = nil
	out, some := []network.FlowRule{}, false
	for _, x := range c.lines[chain] {
		if x.get("action") == "return" {
			if asksNothing(x) {
				break
			}
			some = true
			continue
		}
		for _, b := range c.unfold(x) {
			b.Undecided = b.Undecided || some
			out = append(out, b)
		}
		if len(out) > filters.MostTotal {
			return nil, false
		}
	}
	c.rules[chain] = out
	return out, true
}

// asksNothing reports whether a line fits every packet.
func asksNothing(i *item) bool {
	return !slices.ContainsFunc(i.order, func(key string) bool {
		return !slices.Contains([]string{"chain", "action", "comment", "log", "log-prefix", "disabled"}, key)
	})
}

// either is what may become of packets that a rule fits, where it leads to what is not understood.
func either(rule filters.Rule, i *item) []network.FlowRule {
	rule.Undecided = true
	out := rule.Unfold(nil, i.mark)
	rule.Permit = true
	return rule.Unfold(out, i.mark)
}
