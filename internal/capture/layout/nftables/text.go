package nftables

import (
	"bytes"
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const textName = "nftables text"

// Text reads the kernel's packet filter as text (nft list ruleset).
var Text = layout.Reader{Name: textName, Recognise: recogniseText, Read: ReadText,
	About: "the kernel's packet filter as text (nft list ruleset): tables, chains and rules in braces",
	Sample: "table inet night {\n" +
		"\tchain forward {\n" +
		"\t\ttype filter hook forward priority filter; policy drop;\n"}

var (
	tableHead = lazyregexp.New(`^(?:add )?table (?:(ip|ip6|inet|arp|bridge|netdev) )?([\w-]+) \{`)
	// of a table that is written in one line
	chainInside = lazyregexp.New(`\{\s*(?:chain|set|map) [\w-]+ \{`)
	chainHead   = lazyregexp.New(`^chain ([\w-]+) \{`)
	define      = lazyregexp.New(`^define (\w+) = ([^$]{1,400})$`)
	variable    = lazyregexp.New(`\$\w+`)
	preamble    = lazyregexp.New(`^(?:flush (?:ruleset|table .*)|define \w+ = .*|include ".*"|delete table .*` +
		`|table \w+ [\w-]+;?)$`)
	setHead    = lazyregexp.New(`^(?:set|map|flowtable|counter|quota|limit|ct \w+|secmark|synproxy) ([\w-]+) \{`)
	hookLine   = lazyregexp.New(`^type (\w+) hook (\w+)\b(?:.*\bpriority ([\w +-]+))?`)
	policyIs   = lazyregexp.New(`\bpolicy (\w+)`)
	elementsIn = lazyregexp.New(`elements = \{([^}]*)\}`)
	handle     = lazyregexp.New(`\s*# handle \d+\s*$`)
)

// recogniseText looks for tables with chains; braces alone are other configurations' too.
func recogniseText(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		switch {
		case tableHead.MatchString(s) && chainInside.MatchString(s):
			n += 8 // other configurations have braces too
		case tableHead.MatchString(s), n > 0 && chainHead.MatchString(s):
			n++
		case n > 0 && hookLine.MatchString(s):
			n++
		}
	}
	return n
}

// longestLine bounds the lines in which names are replaced by their values.
const longestLine = 4096

// priorities are the names of the kernel's priorities of chains.
var priorities = map[string]int{"raw": -300, "mangle": -150, "dstnat": -100, "filter": 0, "security": 50, "srcnat": 100}

// textReader gathers the objects of a ruleset from its lines.
type textReader struct {
	layout.Collector
	rs       ruleset
	family   string
	table    string
	chain    *chainAt // that is open
	chainAt  int      // index of chain in rs.chains, -1 while it is not known to be a base chain
	set      string   // that is open; "" for an object of another kind
	depth    int
	elements strings.Builder // of the set, while they go on over lines
	pending  strings.Builder // of a rule that goes on over lines
	unclosed int             // braces in it
	from     int             // where it begins
	inner    []route.Mark
	cutAt    route.Mark
	defined  map[string]string // values by the names that the text gives them
}

// ReadText reads a text of this family.
func ReadText(text []byte) layout.Reading {
	r := textReader{rs: newRuleset(), defined: map[string]string{}}
	r.Layout = textName
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(handle.ReplaceAllString(string(text[lo:hi]), ""))
		if m := define.FindStringSubmatch(s); m != nil {
			r.defined[m[1]] = m[2]
		} else if len(r.defined) > 0 && len(s) < longestLine {
			s = variable.ReplaceAllStringFunc(s, func(name string) string { return cmp.Or(r.defined[name[1:]], name) })
		}
		if s == "" && layout.Blank(text[lo:hi]) {
			continue
		}
		if r.depth > 0 && text[lo] != ' ' && text[lo] != '\t' && strings.Trim(s, "} ;") != "" &&
			!tableHead.MatchString(s) &&
			!chainHead.MatchString(s) && !setHead.MatchString(s) && r.pending.Len() == 0 {
			// a listing that was cut ends where something else begins
			r.cutAt, r.depth, r.chain, r.set = r.openMark(), 0, nil, ""
		}
		if !r.line(s, lo, hi) {
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		}
		r.inner = append(r.inner, layout.Mark(lo, hi))
	}
	if r.depth > 0 {
		r.cutAt = r.openMark()
	}
	r.Facts.Policy.SetsMarks = bytes.Contains(text, []byte("mark set")) // whatever else its line says
	r.rs.build(&r.Facts.Policy)
	if r.cutAt != (route.Mark{}) {
		r.Restrict(cutHere, int(r.cutAt.Off), int(r.cutAt.End))
	}
	r.ReadOrPart(r.inner)
	return r.Reading
}

// openMark is a line of the listing that is open.
func (r *textReader) openMark() route.Mark {
	if len(r.inner) == 0 {
		return route.Mark{}
	}
	return r.inner[0]
}

// line reads one line; false where it is none of this family.
func (r *textReader) line(s string, lo, hi int) bool {
	switch {
	case strings.HasPrefix(s, "#"), s == "":
		return true
	case r.depth == 0:
		m := tableHead.FindStringSubmatch(s)
		if m == nil {
			return preamble.MatchString(s)
		}
		if r.family, r.table = m[1], m[2]; r.family == "" {
			r.family = "ip"
		}
		r.depth = 1
		return r.inTable(strings.TrimSpace(s[len(m[0]):]), lo, hi)
	case r.pending.Len() > 0:
		return r.more(s, lo, hi)
	case s == "}":
		r.close()
		return true
	case (r.chain != nil || r.depth == 1) && strings.HasSuffix(s, "}") && strings.Count(s, "}") > strings.Count(s, "{"):
		// the end of what is open, behind something else
		ok := r.line(strings.TrimSpace(strings.TrimSuffix(s, "}")), lo, hi)
		if r.depth > 0 {
			r.close()
		}
		return ok
	case r.depth == 1:
		return r.object(s, lo, hi)
	case r.chain != nil:
		return r.inChain(s, lo, hi)
	}
	return r.inSet(s)
}

// inTable reads what stands on the line that opens a table: objects, and perhaps its end.
func (r *textReader) inTable(s string, lo, hi int) bool {
	ok := true
	for s = strings.TrimLeft(s, " \t;"); s != ""; s = strings.TrimLeft(s, " \t;") {
		n := objectEnd(s)
		ok = r.line(strings.TrimSpace(s[:n]), lo, hi) && ok
		s = s[n:]
	}
	return ok
}

// objectEnd is where the first object of a text ends: behind the brace that closes it, at a semicolon before any brace,
// or at the end of the text, where it goes on in the next line.
func objectEnd(s string) int {
	open := 0
	for i, c := range s {
		switch c {
		case '{':
			open++
		case '}':
			if open--; open <= 0 {
				return i + 1
			}
		case ';':
			if open == 0 {
				return i
			}
		}
	}
	return len(s)
}

func (r *textReader) close() {
	r.depth--
	if r.depth == 1 {
		if r.set != "" && r.elements.Len() > 0 {
			k := key{r.family, r.table, r.set}
			r.rs.sets[k] = append(r.rs.sets[k], valuesOf(r.elements.String())...)
		}
		r.chain, r.set = nil, ""
		r.elements.Reset()
	}
}

// object opens a chain, a set, or another object of a table.
func (r *textReader) object(s string, lo, hi int) bool {
	if m := chainHead.FindStringSubmatch(s); m != nil {
		r.chain, r.chainAt, r.depth = &chainAt{chain: chain{Family: r.family, Table: r.table, Name: m[1]}}, -1, 2
		r.rs.named[key{r.family, r.table, m[1]}] = true
	} else if m := setHead.FindStringSubmatch(s); m != nil {
		r.depth = 2
		if r.set = m[1]; strings.HasPrefix(s, "set ") {
			r.rs.sets[key{r.family, r.table, r.set}] = nil
		}
	} else {
		flags, are := strings.CutPrefix(s, "flags ")
		words := strings.FieldsFunc(flags, func(c rune) bool { return strings.ContainsRune(",; ", c) })
		if are && slices.Contains(words, "dormant") {
			r.rs.asleep[key{family: r.family, table: r.table}] = true
		}
		return are || strings.HasPrefix(s, "comment ")
	}
	body := s[strings.IndexByte(s, '{')+1:]
	closed := strings.Count(s, "}") == strings.Count(s, "{")
	if closed {
		body = body[:strings.LastIndexByte(body, '}')]
	}
	if body = strings.TrimSpace(body); body != "" && r.chain != nil {
		r.inChain(body, lo, hi)
	} else if m := elementsIn.FindStringSubmatch(body); m != nil {
		r.elements.WriteString(m[1])
	}
	if closed {
		r.close()
	}
	return true
}

// inSet reads a line of a set; its elements may go on over lines.
func (r *textReader) inSet(s string) bool {
	rest, found := strings.CutPrefix(s, "elements = {")
	switch {
	case found:
		r.elements.WriteString(rest)
		if !strings.Contains(rest, "}") {
			r.depth++
		}
	case r.depth > 2 || r.elements.Len() > 0:
		r.elements.WriteString(" " + s)
		if strings.HasSuffix(s, "}") && r.depth > 2 {
			r.depth--
		}
	case strings.HasSuffix(s, "{"):
		r.depth++
	}
	return true
}

// inChain reads what a chain is, or a rule of it.
func (r *textReader) inChain(s string, lo, hi int) bool {
	r.from = lo
	return r.more(s, lo, hi)
}

// ruleOrHook reads what a chain is, or one rule of it.
func (r *textReader) ruleOrHook(s string, lo, hi int) {
	if m := hookLine.FindStringSubmatch(s); m != nil {
		r.chain.Type, r.chain.Hook, r.chain.Prio, r.chain.mark = m[1], m[2], priority(m[3]), layout.Mark(lo, hi)
		if p := policyIs.FindStringSubmatch(s); p != nil {
			r.chain.Policy = p[1]
		}
		r.chainAt = len(r.rs.chains)
		r.rs.chains = append(r.rs.chains, *r.chain)
		return
	}
	if strings.HasPrefix(s, "type ") && strings.Contains(s, " hook ") { // nobody knows which packets come here
		r.Restrict(network.FlowRule{}, lo, hi)
		return
	}
	if p := policyIs.FindStringSubmatch(s); p != nil && strings.HasPrefix(s, "policy ") && r.chainAt >= 0 {
		r.rs.chains[r.chainAt].Policy = p[1]
		return
	}
	if strings.HasPrefix(s, "comment ") || strings.HasPrefix(s, "#") {
		return
	}
	k := key{r.family, r.table, r.chain.Name}
	r.rs.rules[k] = append(r.rs.rules[k],
		&rule{Family: r.family, Table: r.table, Chain: r.chain.Name, Expr: statementsOf(s), mark: layout.Mark(lo, hi)})
}

// more adds a line to a rule, and reads the rule once its braces are closed.
func (r *textReader) more(s string, lo, hi int) bool {
	r.pending.WriteString(s + " ")
	r.unclosed += strings.Count(s, "{") - strings.Count(s, "}")
	if r.unclosed > 0 || strings.HasSuffix(s, "\\") {
		return true
	}
	all := r.pending.String()
	r.pending.Reset()
	r.unclosed = 0
	if r.chain == nil {
		return true
	}
	for _, part := range parts(all) {
		r.ruleOrHook(part, r.from, hi)
	}
	return true
}

// priority reads "filter", "filter + 10", "-150".
func priority(s string) int {
	n, sign := 0, 1
	for _, w := range strings.Fields(strings.NewReplacer("+", " + ", "-", " - ").Replace(s)) {
		switch {
		case w == "+":
			sign = 1
		case w == "-":
			sign = -1
		default:
			if x, ok := layout.Uint([]byte(w)); ok {
				n += sign * int(x)
			} else {
				n += priorities[w]
			}
		}
	}
	return n
}
