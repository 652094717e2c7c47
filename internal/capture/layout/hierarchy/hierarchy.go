// Package hierarchy reads configurations that are a tree of words: with a block in braces for each branch, or one line
// for each leaf, which begins with "set" and names all words on the way. It exists because what such a configuration
// applies to interfaces decides over packets, whatever a routing table says.
//
// Both shapes become leaves, a path of words each; one dictionary (leaf.go) knows what some of them mean. The rest of a
// configuration is known to say nothing of where packets go.
package hierarchy

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "hierarchy"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "configurations as a tree of words, in braces or as set lines: addresses, static routes, what is applied " +
		"to interfaces, translations",
	Sample: "set interfaces up0 unit 0 family inet address 172.28.61.2/30\n" +
		"set interfaces up0 unit 0 family inet filter input NIGHT\n" +
		"set routing-options static route 10.61.96.0/20 next-hop 172.28.61.1\n"}

// roots are the branches of a whole configuration; what is shown of one branch alone begins below them.
var roots = []string{"interfaces", "routing-options", "routing-instances", "security", "firewall", "protocols",
	"policy-options", "system", "groups",
	"forwarding-options", "chassis", "snmp", "vlans", "applications", "services", "class-of-service", "logical-systems",
	"access", "event-options",
	"nat", "nat66", "policy", "zone-policy", "service", "vpn", "qos"}

// recognise looks for statements in braces and for set lines below words that such configurations begin with.
func recognise(text []byte) int {
	n, open := 0, 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		for _, s := range split(strings.TrimSpace(string(text[lo:min(hi, lo+400)]))) {
			w := strings.Fields(s)
			switch {
			case len(w) > 2 && (w[0] == "set" || w[0] == "deactivate") && slices.Contains(roots, w[1]):
				n += 2
			case strings.HasSuffix(s, "{") && len(w) > 1 && !strings.ContainsAny(s, "\"=():,"):
				open++
				if open == 1 && (slices.Contains(roots, w[0]) || w[0] == "static" || w[0] == "unit") {
					n += 3
				}
			case open > 0 && strings.HasSuffix(s, ";") && !strings.ContainsAny(s, "=():,\""):
				n++
			}
		}
	}
	if n < 2 {
		return 0
	}
	return n
}

type reader struct {
	layout.Collector
	groups      filters.Groups
	kept        []kept                  // leaves that tell of rules
	keeps       bool                    // the line is one of them
	ports       bool                    // it tells of interfaces, and so where lists are applied
	tables      map[string]string       // that interfaces are in, where it is not the main one
	path        []string                // of the open braces
	outermost   route.Mark              // the line that opens the outermost of the open braces
	depths      []int                   // how many words each has added
	statics     map[string][]int        // table and prefix: indexes of its next hops
	preferences map[string]route.Number // table and prefix
	watched     map[string]bool         // table and prefix: a session watches all of its next hops
	// of the line, in blanks: what stands elsewhere below a tree that was cut is none of its leaves
	indent  int
	tunnels tunnels
	paired  bool            // the device is one of two that work as one switch
	steered []steeredAt     // where policies of routing are applied
	off     [][]string      // branches that are switched off by lines of their own
	written map[string]bool // groups of statements that stand in the text
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{statics: map[string][]int{}, preferences: map[string]route.Number{},
		watched: map[string]bool{}, tables: map[string]string{}, written: map[string]bool{}}
	r.Layout = name
	r.groups.Prefixed = true
	for lo, hi := range layout.Lines(text) {
		if w := words(string(text[lo:hi])); len(w) > 1 && w[0] == "deactivate" {
			r.off = append(r.off, w[1:])
		}
	}
	comment := false
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(string(text[lo:hi]))
		if s == "" {
			continue
		}
		if comment || strings.HasPrefix(s, "/*") || strings.HasPrefix(s, "#") {
			comment = (comment || strings.HasPrefix(s, "/*")) && !strings.HasSuffix(s, "*/")
			r.Pass(lo, hi, layout.Other)
			continue
		}
		r.indent = len(text[lo:hi]) - len(strings.TrimLeft(string(text[lo:hi]), " "))
		r.keeps = false
		before := len(r.kept)
		used, err := r.pieces(s, lo, hi)
		for i := before; i < len(r.kept) && !r.keeps; i++ {
			r.kept[i].counted = true
		}
		switch {
		case r.keeps:
		case err != nil:
			r.LeaveUnread(lo, hi, err)
		case used:
			r.Collector.Read++
		default:
			r.Pass(lo, hi, layout.Other)
		}
	}
	r.finish()
	return r.Reading
}

// finish makes rules of the leaves that tell of them, and accounts for their lines.
func (r *reader) finish() {
	for i := range r.Facts.Addresses {
		a := &r.Facts.Addresses[i]
		a.Table = cmp.Or(a.Table, r.tables[a.Interface])
	}
	for i := range r.Facts.Virtuals {
		r.Facts.Virtuals[i].Paired = r.paired
	}
	r.disabledWithUnits()
	r.Facts.Policy.Tunnels = append(r.Facts.Policy.Tunnels, r.tunnels.facts()...)
	r.objects()
	r.termLists()
	r.numberedLists()
	r.policyRoutes()
	r.numberedTranslations()
	for i := range r.Facts.ListRules {
		r.Facts.ListRules[i].Alone = !r.ports
	}
	r.zonePolicies()
	r.inherited()
	if len(r.depths) > 0 { // the line that opens the branch is the evidence now
		i := slices.IndexFunc(r.Passed, func(p layout.Passed) bool { return p.Mark == r.outermost })
		if i >= 0 {
			r.Passed = slices.Delete(r.Passed, i, i+1)
			r.Collector.Read++
		}
		r.restrictAt(network.FlowRule{Missing: network.CutOff}, r.outermost)
	}
	var lines []route.Mark
	for _, k := range r.kept {
		if n := len(lines); !k.counted && (n == 0 || lines[n-1] != k.mark) { // a line may hold several
			lines = append(lines, k.mark)
		}
	}
	r.ReadOrPart(lines)
}

// pieces reads a line that may hold several braces and leaves, "from { source-address { 10.61.64.0/24; } }".
func (r *reader) pieces(s string, lo, hi int) (used bool, err error) {
	all := split(s)
	if len(all) == 1 {
		return r.line(s, lo, hi)
	}
	keeps := false
	for _, piece := range all {
		one, e := r.line(piece, lo, hi)
		used, keeps = used || one, keeps || r.keeps
		if err == nil {
			err = e
		}
	}
	r.keeps = keeps && err == nil
	return used, err
}

// split parts a line at braces that stand by themselves, and behind semicolons before them. A line of one brace or one
// leaf is one piece.
func split(s string) []string {
	if !strings.ContainsAny(s, "{}") || strings.HasPrefix(s, "set ") || strings.Contains(s, "##") {
		return []string{s}
	}
	var out, piece []string
	end := func() {
		if len(piece) > 0 {
			out, piece = append(out, strings.Join(piece, " ")), nil
		}
	}
	quoted := false
	for _, w := range apart(s) {
		switch {
		case quoted, strings.Count(w, `"`)%2 == 1:
			quoted = quoted != (strings.Count(w, `"`)%2 == 1)
			piece = append(piece, w)
		case w == "{":
			piece = append(piece, w)
			end()
			continue
		case w == ";" && len(piece) == 0:
			continue
		case w == "}":
			if len(piece) > 0 { // a leaf that nothing ends
				piece[len(piece)-1] += ";"
			}
			end()
			out = append(out, "}")
			continue
		default:
			piece = append(piece, w)
		}
		if !quoted && strings.HasSuffix(w, ";") {
			end()
		}
	}
	end()
	return out
}

// apart lists the words of a line, with braces that are glued to them as words of their own.
func apart(s string) []string {
	if strings.Contains(s, `"`) {
		return strings.Fields(s) // what is quoted may have braces
	}
	return strings.Fields(strings.NewReplacer("{", " { ", "}", " } ").Replace(s))
}

// deepest is how many words may stand on the way to a leaf: no configuration has more.
const deepest = 64

var errDeep = errors.New("it stands deeper in braces than anything that is read")

// line reads a set line, a brace, or a leaf in braces.
func (r *reader) line(s string, lo, hi int) (used bool, err error) {
	if i := strings.Index(s, "; ## "); i >= 0 { // a remark of the device
		s = s[:i+1]
	}
	w := words(s)
	switch {
	case w[0] == "set" && len(r.depths) == 0:
		for _, off := range r.off {
			if len(off) < len(w) && slices.Equal(off, w[1:len(off)+1]) {
				return false, nil
			}
		}
		return r.leaf(w[1:], lo, hi)
	case w[0] == "deactivate" && len(w) > 1 && len(r.depths) == 0:
		return false, nil
	case w[0] == "delete" && len(r.depths) == 0:
		return false, errDeleted
	case s == "}":
		if n := len(r.depths); n > 0 {
			r.path = r.path[:len(r.path)-r.depths[n-1]]
			r.depths = r.depths[:n-1]
			return false, nil
		}
		return false, layout.ErrNotARoute
	case strings.HasPrefix(s, "inactive: "):
		if strings.HasSuffix(s, "{") { // nothing below it holds
			r.path, r.depths = append(r.path, "inactive:"), append(r.depths, 1)
		}
		return false, nil
	case strings.HasSuffix(s, "{"):
		branch := words(strings.TrimSuffix(s, "{"))
		if len(branch) == 0 {
			return false, layout.ErrNotARoute
		}
		if len(r.depths) == 0 {
			r.outermost = layout.Mark(lo, hi)
		}
		r.path, r.depths = append(r.path, branch...), append(r.depths, len(branch))
		if len(r.path) > deepest {
			return false, errDeep
		}
		return r.leaf(slices.Clone(r.path), lo, hi)
	case len(r.path) > deepest:
		return false, errDeep
	// some end a leaf with its line alone
	case strings.HasSuffix(s, ";"), len(r.depths) > 0 && r.indent == 4*len(r.depths):
		return r.leaf(append(slices.Clone(r.path), words(strings.TrimSuffix(s, ";"))...), lo, hi)
	}
	return false, layout.ErrNotARoute
}

// words splits a line; quotes around a word are no part of it.
func words(s string) []string {
	w := strings.Fields(s)
	for i, x := range w {
		if t := strings.Trim(x, "'\""); t != "" {
			w[i] = t
		}
	}
	return w
}
