package hierarchy

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// A group of statements counts wherever it is applied. One that is applied and does not stand in the text may hold
// anything, filters too: the configuration was shown in part.

// inherits keeps a leaf that applies groups; false for one that does not.
func (r *reader) inherits(w []string, lo, hi int) bool {
	if !slices.Contains(w, "apply-groups") {
		return false
	}
	r.kept, r.keeps = append(r.kept, kept{words: slices.Clone(w), mark: layout.Mark(lo, hi)}), true
	return true
}

// inherited restricts the device where it has a group that does not stand in the text. A name in braces is that of the
// one of two nodes that answers.
func (r *reader) inherited() {
	for _, k := range r.kept {
		at := slices.Index(k.words, "apply-groups")
		if at < 0 {
			continue
		}
		if slices.ContainsFunc(values(k.words, at+1),
			func(name string) bool { return !r.written[name] && !strings.Contains(name, "{") }) {
			r.restrictAt(network.FlowRule{}, k.mark)
		}
	}
}
