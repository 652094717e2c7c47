package iproute

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
)

const textName = "iproute text"

// TextReader reads what iproute2 prints without -j: routes, addresses and links (long and brief), neighbours, rules.
var TextReader = layout.Reader{Name: textName, Recognise: recogniseText, Read: ReadText,
	About: "ip route, addr, link, neigh, rule",
	Sample: "10.61.32.0/24 via 172.28.61.6 dev line1 proto ospf metric 20\n" +
		"blackhole 10.61.40.0/21 proto static\n" +
		"10.61.16.0/24 dev hall0 proto kernel scope link src 10.61.16.1\n"}

// textReader is the state between lines: what an indented line belongs to.
type textReader struct {
	lastRule uint32 // its priority
	reader
	multi *object // a route whose next hops follow on lines of their own
	iface *object // an interface whose addresses follow
}

// recogniseText counts lines that only this tool prints; bare pairs of words may be anybody's.
func recogniseText(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:hi]
		if layout.Blank(line) || len(line) > 2000 {
			continue
		}
		w := strings.Fields(string(line))
		switch kindOf(line, w) {
		case routeLine, neighLine, linkLine, ruleLine, briefLine, oneLine:
			n++
		}
	}
	return n
}

type lineKind uint8

const (
	otherLine lineKind = iota
	routeLine
	hopLine
	neighLine
	linkLine
	addrLine
	detailLine
	briefLine
	oneLine // an address with its interface, as ip -o prints it
	ruleLine
	bareLine  // a prefix alone, which is a route only if next hops stand below it
	cacheLine // below what was asked about one address
	infoLine  // below a route by a next-hop object, which says the same once more
)

// kindOf tells what a line is by its first words.
func kindOf(line []byte, w []string) lineKind {
	indented := line[0] == ' ' || line[0] == '\t'
	switch {
	case indented && w[0] == "nexthop":
		return hopLine
	case indented && (w[0] == "inet" || w[0] == "inet6") && len(w) > 1:
		return addrLine
	case indented && (strings.HasPrefix(w[0], "link/") || w[0] == "valid_lft" || w[0] == "altname" ||
		w[0] == "promiscuity" || linkKinds[strings.TrimSuffix(w[0], "_slave")]):
		return detailLine
	case indented && w[0] == "cache":
		return cacheLine
	case indented && w[0] == "nh_info":
		return infoLine
	case indented:
		return otherLine
	}
	if i := strings.IndexByte(w[0], ':'); i > 0 && i == len(w[0])-1 && allDigits(w[0][:i]) && len(w) > 1 {
		switch {
		case w[1] == "from" || w[1] == "not":
			return ruleLine
		case strings.HasSuffix(w[1], ":") && len(w) > 2 && strings.HasPrefix(w[2], "<"):
			return linkLine
		case len(w) > 3 && (w[2] == "inet" || w[2] == "inet6"):
			return oneLine
		}
		return otherLine
	}
	_, isType := types[word(w[0])]
	if isType {
		w = w[1:]
		if len(w) == 0 {
			return otherLine
		}
	}
	if w[0] == "default" || layout.LooksLikeAddress([]byte(w[0])) {
		switch {
		case isType && (len(w) == 1 || known(w[1])), len(w) > 1 && (w[1] == "via" || w[1] == "from"),
			len(w) > 1 && known(w[1]):
			if !isType && len(w) > 2 && w[1] == "dev" && isNeighbour(w) {
				return neighLine
			}
			return routeLine
		case len(w) == 1:
			return bareLine
		}
		return otherLine
	}
	if !isType && len(w) > 1 && isOperState(w[1]) {
		return briefLine
	}
	return otherLine
}

func allDigits(s string) bool {
	_, err := strconv.ParseUint(s, 10, 32)
	return err == nil
}

// known reports whether a word continues a route.
func known(s string) bool {
	switch s {
	case "via", "dev", "proto", "scope", "nhid", "table", "metric", "src", "encap", "nexthop", "error", "onlink",
		"linkdown", "dead", "offload", "rt_offload", "trap", "rt_trap", "tos", "dsfield":
		return true
	}
	return false
}

var neighbourStates = map[string]bool{"REACHABLE": true, "STALE": true, "DELAY": true, "PROBE": true, "PERMANENT": true,
	"NOARP": true, "FAILED": true, "INCOMPLETE": true, "NONE": true}

func isNeighbour(w []string) bool { return w[3%len(w)] == "lladdr" || neighbourStates[w[len(w)-1]] }

func isOperState(s string) bool {
	switch s {
	case "UP", "DOWN", "UNKNOWN", "LOWERLAYERDOWN", "DORMANT", "NOTPRESENT":
		return true
	}
	return false
}

var errOption = errors.New("an option without its value")

// ReadText reads a text of this family.
func ReadText(text []byte) layout.Reading {
	r := textReader{reader: reader{text: text}}
	r.Layout = textName
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) || r.quickLine(lo, hi) {
			continue
		}
		if err := r.line(text[lo:hi], lo, hi); err != nil {
			r.flush()
			if hi == len(text) && len(r.Facts.Tables) > 0 {
				err = fmt.Errorf("%w: %w", layout.ErrCut, err)
				r.CutLast()
			}
			r.Span(lo, hi, err)
		}
	}
	r.flush()
	r.settleWaiting()
	r.settleRules()
	r.Sort()
	r.Account(text)
	r.byRule()
	r.namesVRFs()
	return r.Reading
}

// flush ends what further lines could have added to.
func (r *textReader) flush() {
	if o := r.multi; o != nil && o.asked && o.narrow() { // nothing is known of other sources by it
		r.multi = nil
	}
	if o := r.multi; o != nil {
		r.multi = nil
		if o.bare && len(o.NextHops) == 0 {
			r.Span(o.lo, o.hi, layout.ErrNotARoute)
		} else {
			r.plain = false
			err := r.route(o)
			r.Span(o.lo, o.hi, err)
			if err == nil && r.plain {
				r.rememberLine(o)
			}
		}
	}
	if o := r.iface; o != nil {
		r.iface = nil
		r.Span(o.lo, o.hi, r.link(o))
	}
}

// quickLine reads a route of which all that stands behind its prefix was seen, and which no indented line goes on with.
func (r *textReader) quickLine(lo, hi int) bool {
	next := hi
	for next < len(r.text) && (r.text[next] == '\n' || r.text[next] == '\r') {
		next++
	}
	if !r.seen.Some() || next < len(r.text) && (r.text[next] == ' ' || r.text[next] == '\t') {
		return false
	}
	p, end, ok := layout.QuickPrefix(r.text[:hi], lo)
	if !ok {
		return false
	}
	r.flush()
	if !r.quickly(p, r.text[end:hi], metricSign, lo, hi) {
		return false
	}
	r.Span(lo, hi, nil)
	return true
}

// rememberLine keeps what stood behind the prefix of a plain route on a line of its own.
func (r *textReader) rememberLine(o *object) {
	p, end, ok := layout.QuickPrefix(r.text[:o.hi], o.lo)
	if rest := r.text[min(end, o.hi):o.hi]; ok && len(o.NextHops) == 0 && bytes.IndexByte(rest, '\n') < 0 {
		r.keepLike(p, rest, metricSign)
	}
}

// metricSign is what stands before a metric.
const metricSign = " metric "

// line reads one line of any of the tool's listings, which may stand one after the other.
func (r *textReader) line(line []byte, lo, hi int) error {
	w := strings.Fields(string(line))
	kind := kindOf(line, w)
	switch kind {
	case hopLine:
		return r.hop(w, hi)
	case addrLine, detailLine:
		return r.detail(kind, w, lo, hi)
	case cacheLine:
		if r.multi == nil {
			return layout.ErrNotARoute
		}
		r.multi.asked = true
		return nil
	case infoLine:
		if r.multi == nil {
			return layout.ErrNotARoute
		}
		r.multi.hi = hi
		return nil
	}
	r.flush()
	o := &object{lo: lo, hi: hi}
	var err error
	switch kind {
	case routeLine, bareLine:
		head, below, _ := bytes.Cut(line, []byte{'\\'})
		w = strings.Fields(string(head))
		if err = routeWords(o, w); err == nil && len(w) == 3 && w[1] == "dev" && !strings.Contains(w[0], "/") &&
			w[0] != "default" {
			return fmt.Errorf("%w: neither a route nor a neighbour's state", layout.ErrNotARoute)
		}
		if err == nil {
			o.bare = kind == bareLine
			o.asked = o.asked || o.answers(w)
			r.multi = o
			err = r.below(below, hi)
		}
		return err
	case neighLine:
		o.Dst, o.Dev = word(w[0]), w[2]
		for i := 3; i < len(w); i++ {
			if w[i] == "lladdr" && i+1 < len(w) {
				o.LLAddr = w[i+1]
			} else if neighbourStates[w[i]] {
				o.State = append(o.State, w[i])
			}
		}
		err = r.neighbour(o)
	case linkLine:
		o.Ifname = strings.TrimSuffix(w[1], ":")
		o.Flags = strings.Split(strings.Trim(w[2], "<>"), ",")
		for i := 3; i+1 < len(w); i++ {
			switch w[i] {
			case "state":
				o.OperState = w[i+1]
			case "master":
				o.Master = w[i+1]
			}
		}
		for i := 3; i+1 < len(w); i++ { // with -o what stands below otherwise stands behind a backslash
			if strings.HasPrefix(w[i], "link/") && strings.HasSuffix(w[i-1], "\\") {
				o.MAC, o.LinkType = w[i+1], strings.TrimPrefix(w[i], "link/")
			}
		}
		r.iface = o
		return nil
	case oneLine:
		o.Ifname = w[1]
		if s := addressWord(w[2:]); s != "" {
			o.texts = append(o.texts, addressText{s, lo, hi})
		}
		err = r.link(o)
	case briefLine:
		o.Ifname, o.OperState = w[0], w[1]
		for i := 2; i < len(w); i++ {
			switch {
			case i+2 < len(w) && w[i+1] == "peer": // ADDRESS peer PREFIX: that of the other end
				o.texts = append(o.texts, addressText{w[i] + "/peer", lo, hi})
				i += 2
			case strings.Contains(w[i], "/"):
				o.texts = append(o.texts, addressText{w[i], lo, hi})
			}
		}
		err = r.link(o)
	case ruleLine:
		if err = ruleWords(o, w); err == nil {
			if *o.Priority < r.lastRule {
				r.settleRules()
			}
			r.lastRule = *o.Priority
			err = r.rule(o)
		}
	default:
		return layout.ErrNotARoute
	}
	if err == nil {
		r.Span(lo, hi, nil)
	}
	return err
}

// below reads what stands below a route, and with -o behind a backslash on its line.
func (r *textReader) below(text []byte, hi int) error {
	for len(text) > 0 {
		var line []byte
		line, text, _ = bytes.Cut(text, []byte{'\\'})
		w := strings.Fields(string(line))
		if len(w) == 0 {
			continue
		}
		err := layout.ErrNotARoute
		switch kindOf(line, w) {
		case hopLine:
			err = r.hop(w, hi)
		case cacheLine:
			r.multi.asked, err = true, nil
		case infoLine:
			err = nil
		}
		if err != nil {
			r.multi = nil
			return err
		}
	}
	return nil
}

// hop reads a next hop on a line of its own.
func (r *textReader) hop(w []string, hi int) error {
	if r.multi == nil || r.multi.Dev != "" || r.multi.Gateway != "" || r.multi.Via != nil {
		return layout.ErrNoRoute // a route that has its next hop already is another one's
	}
	var h object
	if err := routeWords(&h, append([]string{"default"}, w[1:]...)); err != nil {
		return err
	}
	n := hop{Gateway: h.Gateway, Via: h.Via, Dev: h.Dev, Weight: h.weight, Flags: h.Flags}
	r.multi.NextHops = append(r.multi.NextHops, n)
	r.multi.hi = hi
	return nil
}

// detail reads a line below an interface.
func (r *textReader) detail(kind lineKind, w []string, lo, hi int) error {
	if r.iface == nil {
		return layout.ErrNoRoute
	}
	switch {
	case kind == addrLine:
		if s := addressWord(w); s != "" {
			r.iface.texts = append(r.iface.texts, addressText{s, lo, hi})
		}
	case w[0] == "vrf" && len(w) > 1:
		r.iface.Info.Kind, r.iface.Info.Data.Table = "vrf", tableWord(w)
	case w[0] == "vrf_slave":
		r.iface.Info.SlaveKind, r.iface.Info.SlaveData.Table = "vrf", tableWord(w)
	case strings.HasPrefix(w[0], "link/") && len(w) > 1:
		r.iface.MAC, r.iface.LinkType = w[1], strings.TrimPrefix(w[0], "link/")
		if len(w) > 3 && w[2] == "peer" {
			r.iface.Remote = w[3]
		}
	}
	r.iface.hi = hi
	return nil
}

// addressWord returns the address of "inet ADDRESS …", marked where a peer's stands beside it; "" where another host
// was found to have it.
func addressWord(w []string) string {
	for _, x := range w {
		if strings.TrimSuffix(x, "\\") == "dadfailed" {
			return ""
		}
	}
	if len(w) > 3 && w[2] == "peer" {
		return w[1] + "/peer"
	}
	return w[1]
}

var errWord = errors.New("a word that says nothing here")

// routeFlags and routeOptions, which have a value, are what a route may say besides and what decides nothing here.
var (
	routeFlags = map[string]bool{"pervasive": true, "offload": true, "rt_offload": true, "trap": true, "rt_trap": true,
		"notify": true, "linkdown,": true, "<local>": true,
		"<redirected>": true, "<>": true,
		"lock": true}
	routeOptions = map[string]bool{"nhid": true, "mtu": true, "advmss": true, "rtt": true, "rttvar": true,
		"rto_min": true, "window": true,
		"cwnd": true, "initcwnd": true, "initrwnd": true, "ssthresh": true, "realm": true, "realms": true,
		"hoplimit": true, "quickack": true,
		"features": true, "congctl": true, "expires": true, "error": true, "reordering": true, "iif": true,
		"users": true,
		"age":   true, "ipid": true, "ttl-propagate": true, "fastopen_no_cookie": true}
)

// routeWords reads the words of a route into the names that the JSON form has.
func routeWords(o *object, w []string) error {
	if _, ok := types[word(w[0])]; ok {
		o.Type, w = word(w[0]), w[1:]
	}
	o.Dst = word(w[0])
	for i := 1; i < len(w); i++ {
		next := func() string {
			if i+1 < len(w) {
				i++
				return w[i]
			}
			return ""
		}
		switch w[i] {
		case "via":
			if o.Gateway != "" || o.Via != nil {
				return fmt.Errorf("%w: via, twice", errWord)
			}
			switch gw := next(); gw {
			case "":
				return fmt.Errorf("%w: via", errOption)
			case "inet6", "inet":
				o.Via = &via{Host: next()}
			default:
				o.Gateway = word(gw)
			}
		case "dev":
			if o.Dev != "" {
				return fmt.Errorf("%w: dev, twice", errWord)
			}
			o.Dev = next()
			for _, flag := range []string{"onlink", "linkdown", "proto", "scope"} {
				if name := strings.TrimSuffix(o.Dev, flag); name != o.Dev && name != "" {
					return fmt.Errorf("%w: %q, a name and the word behind it in one", errWord, o.Dev)
				}
			}
		case "table":
			o.Table = word(next())
		case "proto":
			o.Protocol = word(next())
		case "scope":
			o.Scope = word(next())
		case "src":
			o.PrefSrc = word(next())
		case "pref":
			if o.Pref = next(); o.Pref != "low" && o.Pref != "medium" && o.Pref != "high" {
				return fmt.Errorf("%w: pref %q", errWord, o.Pref)
			}
		case "metric", "weight":
			name := w[i]
			n, err := strconv.ParseUint(next(), 10, 32)
			if err != nil {
				return fmt.Errorf("%w: %q", layout.ErrNumber, w[i])
			}
			if name == "metric" {
				o.Metric = &n
			} else {
				o.weight = uint32(n)
			}
		case "encap": // its words go on until those of the route do
			for o.Encap = next(); i+1 < len(w) && !known(w[i+1]) && w[i+1] != "pref"; {
				i++
			}
		case "rt_offload_failed", "unresolved": // the kernel has it, and what forwards at speed may not
			return layout.InDoubt(w[i])
		case "uid":
			next()
			o.asked = true
		case "cache":
			o.asked = true
		case "from":
			o.From = word(next())
		case "tos", "dsfield":
			o.TOS = word(next())
		case "dead", "linkdown", "onlink":
			o.Flags = append(o.Flags, w[i])
		default:
			switch {
			case routeFlags[w[i]]:
			case routeOptions[w[i]]:
				next()
			case w[i] == "nexthop": // what follows is the first of several on one line
				return fmt.Errorf("%w: several next hops on one line", layout.ErrNotARoute)
			default: // a word that nobody knows may be two glued together, or what is left of one
				return fmt.Errorf("%w: %q", errWord, w[i])
			}
		}
	}
	return nil
}

// answers reports whether a line tells what the kernel would do with one address: from which source it was asked, or
// from which of its own it would send, which no row of a table has without a protocol, a scope or a metric.
func (o *object) answers(w []string) bool {
	return !strings.Contains(w[0], "/") && o.Type == "" && o.Dst != "default" &&
		(o.From != "" || o.PrefSrc != "" && o.Protocol == "" && o.Scope == "" && o.Metric == nil && o.Table == "")
}

// addressText is an address as it is printed: ADDRESS/LENGTH, or "ADDRESS/peer" where the prefix is the peer's.
type addressText struct {
	text   string
	lo, hi int
}

func (a addressText) parse() ([]byte, bool) {
	if s, ok := strings.CutSuffix(a.text, "/peer"); ok {
		s, _, _ = strings.Cut(s, "/")
		return []byte(s), true
	}
	return []byte(a.text), bytes.IndexByte([]byte(a.text), '/') < 0
}
