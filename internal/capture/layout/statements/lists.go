package statements

import (
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// entry is a line of a list of rules, kept until all groups of the text are known.
type entry struct {
	list   string
	family route.Family // of the list
	words  []string     // from what the rule does on
	wild   bool         // masks are wildcards
	keyed  bool         // the line begins with "rule"
	number uint64       // its place in the list; 0: behind those before it
	asIs   bool         // the list is printed in the order in which it is asked, whatever the numbers
	mark   route.Mark
}

// lists reads lists of rules: "access-list NAME permit …" lines, and blocks whose heading names the list.
type lists struct {
	groups  filters.Groups
	entries []entry
	last    entry  // the list that was opened last
	open    *entry // the list of the block, with its family and kind of mask
	group   group  // the group of the block
}

// heading opens a block of rules or of a group's members; false where the line is none.
func (l *lists) heading(w []string) bool {
	l.open, l.group = nil, group{}
	if l.groupHeading(w) {
		return true
	}
	name, fam, wild := listHeading(w)
	if slices.ContainsFunc(w,
		func(s string) bool { return strings.HasSuffix(s, "-list") || strings.HasSuffix(s, "-map") }) {
		l.last = entry{}
	}
	if name != "" {
		l.open = &entry{list: name, family: fam, wild: wild, asIs: slices.Contains(w, "auto")}
		l.last = *l.open
	}
	return name != ""
}

// listHeading reads what names a list of rules: "ip access-list extended NAME", "ipv6 access-list NAME", "acl number
// 3001", "Extended IP access list NAME".
func listHeading(w []string) (name string, fam route.Family, wild bool) {
	if len(w) == 0 || len(w) > 1 && w[1] == "receive" { // that applies one
		return "", 0, false
	}
	low := make([]string, len(w))
	for i, x := range w {
		low[i] = strings.ToLower(strings.TrimSuffix(x, ":"))
	}
	fam = route.IPv4
	if slices.Contains(low[:min(3, len(low))], "ipv6") {
		fam = route.IPv6
	}
	i := slices.Index(low, "access-list")
	switch {
	case (low[0] == "ip" || low[0] == "ipv4" || low[0] == "ipv6") && i == 1 && len(w) > 2:
		w, low = w[2:], low[2:]
		if (low[0] == "extended" || low[0] == "standard" || low[0] == "role-based") && len(w) > 1 {
			w = w[1:]
		}
		if len(w) == 1 {
			return w[0], fam, true
		}
	case i == 0 && len(w) == 3 && (low[1] == "ip" || low[1] == "ipv6"):
		return w[2], fam, true
	case low[0] == "acl" && len(w) > 1:
		rest := slices.DeleteFunc(slices.Clone(w[1:]), func(s string) bool {
			return slices.Contains([]string{"number", "name", "basic", "advance", "advanced", "ipv4", "ipv6",
				"match-order", "config", "auto"}, s)
		})
		if len(rest) > 0 {
			return rest[0], fam, true
		}
	default:
		for j, x := range low {
			named := x == "list" && j > 0 && low[j-1] == "access" || x == "access-list" && j > 0 && j <= 3
			if named && j <= 3 && j+1 < len(w) && j+2 >= len(w) && isHeadingWord(low[0]) {
				return strings.Trim(w[j+1], ":\""), fam, true
			}
		}
	}
	return "", 0, false
}

func isHeadingWord(s string) bool {
	return slices.Contains([]string{"standard", "extended", "ip", "ipv4", "ipv6"}, s)
}

// line reads a line of a list. It is taken where a list is open, or where it names its list itself.
func (l *lists) line(w []string, mark route.Mark) bool {
	if name, words, wild := namedEntry(w); name != "" {
		if len(words) == 0 || words[0] == "remark" || skipped(words) {
			return false
		}
		l.entries = append(l.entries, entry{list: name, words: words, wild: wild, mark: mark})
		return true
	}
	if l.open == nil {
		return false
	}
	keyed := w[0] == "rule" // "rule 5 permit …"
	if keyed {
		w = w[1:]
	}
	if len(w) > 1 && (w[0] == "sequence" || w[0] == "seq") && isNumber(w[1]) {
		w = w[1:]
	}
	number := uint64(0)
	if len(w) > 0 && isNumber(w[0]) {
		number, _ = layout.Uint([]byte(w[0]))
		w = w[1:]
	}
	if len(w) == 0 || skipped(w) ||
		slices.Contains([]string{"remark", "description", "statistics", "step", "no", "undo", "!", "comment",
			"fragments", "counters"}, w[0]) {
		return false
	}
	e := *l.open
	e.words, e.mark, e.keyed, e.number = w, mark, keyed, number
	l.entries = append(l.entries, e)
	return true
}

// interrupted keeps a rule that stands below something else than its list's heading: it is one of the list before, and
// others may be missing.
func (l *lists) interrupted(w []string, mark route.Mark) bool {
	if w[0] == "remark" || l.last.list == "" || len(w) < 2 {
		return false
	}
	e := l.last
	e.words, e.mark = nil, mark
	l.entries = append(l.entries, e)
	return true
}

// namedEntry splits "access-list NAME [line N] [extended|standard] permit …" into its list and the rule. A list with a
// number has wildcards, "extended" and "standard" behind a name tell masks.
func namedEntry(w []string) (name string, words []string, wild bool) {
	if len(w) < 3 || w[0] != "access-list" {
		return "", nil, false
	}
	name, words, wild = w[1], w[2:], true
	if words[0] == "line" && len(words) > 2 {
		words, wild = words[2:], false
	}
	if (words[0] == "extended" || words[0] == "standard") && len(words) > 1 {
		words, wild = words[1:], false
	}
	if words[0] == "seq" && len(words) > 2 {
		words = words[2:]
	}
	if !slices.Contains([]string{"permit", "deny", "remark", "dynamic"}, words[0]) {
		return name, nil, wild // what is said of the list is no rule of it
	}
	return name, words, wild
}

// rules makes rules of the entries, in the order in which they are asked.
func (l *lists) rules() []network.ListRule {
	l.order()
	whole := map[string]bool{} // lists with a rule for packets that are no fragments
	for _, e := range l.entries {
		whole[e.list] = whole[e.list] || !e.ofFragments()
	}
	var out []network.ListRule
	for _, e := range l.entries {
		if e.ofFragments() && whole[e.list] { // it fits what follows the first of several alone
			continue
		}
		r, ok := l.rule(e)
		if len(out) > filters.MostTotal {
			r = filters.Rule{Permit: r.Permit, Undecided: true}
		}
		flows := r.Unfold(nil, e.mark)
		if !ok {
			flows = filters.Not(nil, e.mark)
		}
		for _, f := range flows {
			f.Family = max(f.Family, e.family)
			out = append(out, network.ListRule{List: e.list, FlowRule: f})
		}
	}
	return out
}

// order puts the rules of each list into the order of their numbers, in which a device asks them however they were
// written; one without a number stands behind those before it.
func (l *lists) order() {
	last, places := map[string]uint64{}, map[string][]int{}
	for i := range l.entries {
		e := &l.entries[i]
		if e.number == 0 || e.asIs {
			e.number = last[e.list] + 1
		}
		last[e.list] = max(last[e.list], e.number)
		places[e.list] = append(places[e.list], i)
	}
	for _, at := range places {
		sorted := make([]entry, 0, len(at))
		for _, i := range at {
			sorted = append(sorted, l.entries[i])
		}
		slices.SortStableFunc(sorted, func(a, b entry) int { return cmp.Compare(a.number, b.number) })
		for k, i := range at {
			l.entries[i] = sorted[k]
		}
	}
}

// ofFragments reports whether a rule fits nothing but fragments behind the first.
func (e *entry) ofFragments() bool {
	return slices.Contains(e.words, "fragments") || slices.Contains(e.words, "fragment")
}

// skipped reports whether the device itself leaves the rule out.
func skipped(words []string) bool { return slices.Contains(words, "inactive") }
