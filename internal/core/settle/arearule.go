package settle

import (
	"slices"
)

// areaRule is which of several areas a border router takes to a router that announces from outside. The zero areaRule
// is not known: RFC 2328 has two (sections 16.4.1 and G.7), and tables show which it is where they differ.
type areaRule uint8

const (
	ruleNotKnown areaRule = iota
	nearestArea           // the shortest way, as RFC 1583 has it
	backboneLast          // any other area before the backbone
	rulesDiffer           // captured paths follow neither, or both
)

// areaWay is a path within one area.
type areaWay struct {
	area string
	path areaPath
}

// choose is the path that is taken of some, open where that is not known.
func (rule areaRule) choose(ways []areaWay) areaPath {
	near, nearOK := shortest(ways)
	if rule == nearestArea && nearOK {
		return near
	}
	others := slices.DeleteFunc(slices.Clone(ways), func(w areaWay) bool { return w.area == backbone })
	if len(others) == 0 {
		others = ways
	}
	last, lastOK := shortest(others)
	switch {
	case rule == backboneLast && lastOK,
		rule == ruleNotKnown && nearOK && lastOK && slices.Equal(near.arcs, last.arcs):
		return last
	}
	near.open = true
	return near
}

// shortest is the shortest of some ways; false where several are.
func shortest(ways []areaWay) (out areaPath, one bool) {
	for i, w := range ways {
		if i == 0 || w.path.dist < out.dist {
			out, one = w.path, true
		} else if w.path.dist == out.dist {
			one = false
		}
	}
	return out, one
}

// ways are the paths of every node to some that are in the areas called homes, within each of these.
func (m *areaModel) ways(homes []string, from map[int]uint64) [][]areaWay {
	out := make([][]areaWay, len(m.in.nodes))
	for _, home := range homes {
		inside := m.within(home, from)
		for n := range out {
			if _, goal := from[n]; goal && len(out[n]) > 0 || !slices.Contains(m.areas[n], home) || inside[n] >= endless {
				continue
			}
			out[n] = append(out[n], areaWay{home, areaPath{dist: inside[n], arcs: m.next(home, n, inside)}})
		}
	}
	return out
}

func (m *areaModel) rule(n int) areaRule {
	if m.rules == nil {
		return ruleNotKnown
	}
	return m.rules[n]
}

// findRules finds the rules by which the captured paths to what comes from outside were taken.
func (m *areaModel) findRules(r *run) []areaRule {
	rules := make([]areaRule, len(m.in.nodes))
	for _, p := range m.in.sorted {
		from, ok := m.announcer(r, p)
		if !ok || from < 0 {
			continue
		}
		ways := m.ways(m.areas[from], map[int]uint64{from: 0})
		for _, e := range m.in.entries[p] {
			near, last := nearestArea.choose(ways[e.node]), backboneLast.choose(ways[e.node])
			if len(ways[e.node]) < 2 || near.open || last.open || slices.Equal(near.arcs, last.arcs) {
				continue
			}
			found := rulesDiffer
			switch arcs := sorted(e.arcs); {
			case slices.Equal(arcs, near.arcs):
				found = nearestArea
			case slices.Equal(arcs, last.arcs):
				found = backboneLast
			}
			if rules[e.node] != ruleNotKnown && rules[e.node] != found {
				found = rulesDiffer
			}
			rules[e.node] = found
		}
	}
	return rules
}
