package network

import (
	"iter"

	"zarvek/internal/core/route"
)

// A Chain is the rules of one chain: the numbers of the first, and of the one behind the last.
type Chain struct {
	Lo, Hi    int
	Hook      Hook
	Stateless bool
	// In and Out are the interfaces that all of its rules name, but the last one, which permits all others; "" where
	// they differ.
	In, Out string
	index   *ruleIndex // of its rules, nil for few of them
	// of its last rule: for packets of which family it is (0: both), and whether it stands for what was not read
	lastFamily  route.Family
	lastNotRead bool
}

// chainsOf finds the chains of a policy's rules, so that those for other interfaces need not be gone through.
func chainsOf(rules []FlowRule) []Chain {
	var out []Chain
	for lo := 0; lo < len(rules); {
		hi := lo + 1
		for hi < len(rules) && rules[hi].Chain == rules[lo].Chain {
			hi++
		}
		c := Chain{Lo: lo, Hi: hi, Hook: rules[lo].Hook, Stateless: rules[lo].Stateless,
			lastFamily: rules[hi-1].Family, lastNotRead: rules[hi-1].NotRead}
		if last := rules[hi-1]; hi-lo > 1 && last.permitsRest() {
			c.In, c.Out = rules[lo].In, rules[lo].Out
			for _, r := range rules[lo : hi-1] {
				if r.In != c.In {
					c.In = ""
				}
				if r.Out != c.Out {
					c.Out = ""
				}
			}
		}
		if hi-lo >= fewestIndexed {
			c.index = &ruleIndex{}
			for i := lo; i < hi; i++ {
				c.index.add(i-lo, rules[i].From, rules[i].To)
			}
		}
		out = append(out, c)
		lo = hi
	}
	return out
}

// permitsRest reports whether a rule permits whatever it is asked about.
func (r FlowRule) permitsRest() bool {
	family, hook, chain, stateless, notRead, mark := r.Family, r.Hook, r.Chain, r.Stateless, r.NotRead, r.Mark
	return r == FlowRule{Family: family, Hook: hook, Chain: chain, Stateless: stateless, NotRead: notRead, Mark: mark,
		Permit: true}
}

// indexRules notes what is asked of a policy at each hop.
func (d *Device) indexRules() {
	d.chains, d.asksState, d.partsFlows, d.steers = chainsOf(d.policy.Flows), false, false, false
	d.chainsAt = map[string][]int32{}
	for i, c := range d.chains {
		name := c.In
		if name == "" {
			name = c.Out
		}
		d.chainsAt[name] = append(d.chainsAt[name], int32(i))
	}
	for i := range d.policy.Flows {
		d.asksState = d.asksState || d.policy.Flows[i].State >= Seen
		d.partsFlows = d.partsFlows || d.policy.Flows[i].State != AnyState
		d.steers = d.steers || d.policy.Flows[i].Hook == Steered
	}
	d.changesSource, d.changesDestination = ruleIndex{}, ruleIndex{}
	for i, t := range d.policy.Translations {
		if t.Destination {
			d.changesDestination.add(i, t.From, t.To)
		} else {
			d.changesSource.add(i, t.From, t.To)
		}
	}
}

// Steers reports whether a policy of routing may send packets another way than their destination tells.
func (d *Device) Steers() bool { return d.steers }

// Chains returns the chains of the device's rules.
func (d *Device) Chains() Items[Chain] { return Items[Chain]{d.chains} }

// ChainsBetween yields the chains that say more of packets between two interfaces than that they go on: those that do
// not Pass.
func (d *Device) ChainsBetween(in, out string) iter.Seq[Chain] {
	return func(yield func(Chain) bool) {
		for k, name := range [...]string{"", in, out} {
			if k > 0 && name == "" || k == 2 && out == in {
				continue
			}
			for _, i := range d.chainsAt[name] {
				if c := d.chains[i]; !c.Passes(in, out) && !yield(c) {
					return
				}
			}
		}
	}
}

// AsksForState reports whether the device's rules say by themselves what they do with answers.
func (d *Device) AsksForState() bool { return d.asksState }

// PartsFlows reports whether a rule treats the packets of one flow differently: the first one, answers, later ones.
func (d *Device) PartsFlows() bool { return d.partsFlows }

// Passes reports whether a chain has nothing to say of packets between two interfaces but that they go on; the rule is
// the one that says so, and its family tells for which packets.
func (c Chain) Passes(in, out string) bool {
	return c.In != "" && c.In != in || c.Out != "" && c.Out != out
}

// Last tells of a chain's last rule whether it is for packets of a family, and whether it stands for what was not read.
func (c Chain) Last(f route.Family) (isFor, notRead bool) {
	return c.lastFamily == 0 || c.lastFamily == f, c.lastNotRead
}

// For reports whether a rule is for packets of a family.
func (r *FlowRule) For(f route.Family) bool { return r.Family == 0 || r.Family == f }
