package lettered

import (
	"bytes"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// way reads what stands behind a prefix: "[preference/metric]", then a next hop or what stands in place of one.
func (r *reader) way(s []byte, installed, backup, resolves bool) error {
	if s[0] == '[' {
		end := bytes.IndexByte(s, ']')
		if end < 0 {
			return fmt.Errorf("%w: no closing bracket", layout.ErrNotARoute)
		}
		pref, metric, ok := bytes.Cut(s[1:end], []byte{'/'})
		if m, weight, three := bytes.Cut(metric, []byte{'/'}); three {
			if _, ok := layout.Uint(bytes.TrimSpace(weight)); ok {
				metric = m
			}
		}
		p, okP := layout.Uint(bytes.TrimSpace(pref))
		m, okM := layout.Uint(bytes.TrimSpace(metric))
		if !ok || !okP || !okM {
			return fmt.Errorf("%w: %q", layout.ErrNumber, s[:end+1])
		}
		if !resolves && len(r.attr.NextHops) == 0 {
			r.attr.Preference, r.attr.Metric = route.N(p), route.N(m)
		}
		s = bytes.TrimLeft(s[end+1:], " \t")
	}
	if len(s) == 0 || s[0] == ',' {
		return nil // the next hop is on the line below
	}
	h := route.NextHop{Installed: installed && r.legend.installs, Backup: backup, Resolves: resolves}
	var ok bool
	switch {
	case bytes.HasPrefix(s, []byte("via ")):
		s, ok = r.address(s[len("via "):], &h)
	case bytes.HasPrefix(s, []byte("directly connected,")):
		s, ok = s[len("directly connected"):], true
	case bytes.HasPrefix(s, []byte("Direct,")):
		s, ok = s[len("Direct"):], true
	case bytes.HasPrefix(s, []byte("is directly connected")):
		s, ok = s[len("is directly connected"):], true
	case bytes.HasPrefix(s, []byte("is local")): // an address of its own
		r.attr.Special = route.Receive
		i := bytes.IndexByte(s, ',')
		if i < 0 {
			return nil
		}
		s, ok = s[i:], true
	case bytes.HasPrefix(s, []byte("is a summary")):
		s, ok = s[len("is a summary"):], true
	case bytes.HasPrefix(s, []byte("connected by ")): // a tunnel's client, with the interface behind the comma
		h.Encapsulated = true
		if i := bytes.IndexByte(s, ','); i >= 0 {
			s, ok = s[i:], true
		}
	case bytes.HasPrefix(s, []byte("is a blackhole")), bytes.HasPrefix(s, []byte("is a reject")), bytes.HasPrefix(s,
		[]byte("is rejected")),
		bytes.HasPrefix(s, []byte("is discarded")), bytes.HasPrefix(s, []byte("is a null")):
		if r.attr.Special = route.Blackhole; bytes.Contains(s, []byte("reject")) {
			r.attr.Special = route.Unreachable
		}
		return nil
	case bytes.HasPrefix(s, []byte("unreachable")), bytes.HasPrefix(s, []byte("blackhole")):
		r.attr.Special = specialOf(s)
		return nil
	}
	if !ok {
		return layout.ErrNotARoute
	}
	if err := r.details(s, &h); err != nil {
		return err
	}
	if r.attr.Protocol == route.Direct && h.Interface != "" && len(r.attr.NextHops) == 0 {
		h.Address = netip.Addr{} // of an attached network it is the device's own
	}
	if layout.Discards(h.Interface) && r.attr.Protocol != route.Local {
		r.attr.Special = route.Blackhole
		return nil
	}
	r.attr.NextHops = append(r.attr.NextHops, h)
	return nil
}

// specialOf reads "unreachable (blackhole)" and its relatives.
func specialOf(s []byte) route.Special {
	switch {
	case bytes.Contains(s, []byte("prohibit")):
		return route.Prohibit
	case bytes.Contains(s, []byte("blackhole")):
		return route.Blackhole
	}
	return route.Unreachable
}

// address reads the word behind "via": an address, or an interface where the device prints that in its place.
func (r *reader) address(s []byte, h *route.NextHop) ([]byte, bool) {
	lo, hi := layout.Field(s, 0)
	word := s[lo:hi]
	if n := len(word); n > 0 && word[n-1] == ',' {
		word, hi = word[:n-1], hi-1
	}
	word = bytes.TrimRight(word, "*") // the sign of the next hop in use
	if len(word) == 0 {
		return s, false
	}
	a, seen := r.hops[string(word)]
	if !seen {
		var ok bool
		if a, ok = layout.Addr(withoutHostLength(word)); !ok {
			if layout.LooksLikeAddress(word) || !isLetter(word[0]) {
				return s, false
			}
			return r.link(s, word, hi, h)
		}
		r.hops[string(word)] = a
	}
	h.Address = a
	if a.IsUnspecified() {
		h.Address = netip.Addr{}
	}
	return s[hi:], true
}

// link reads an interface in the place of a next hop, or the kind of tunnel that leads to the one behind it: "VTEP
// 172.28.99.7 VNI 5010". Of other words behind it nobody knows what they say of the way.
func (r *reader) link(s, word []byte, hi int, h *route.NextHop) ([]byte, bool) {
	lo, end := layout.Field(s, hi)
	next := bytes.TrimRight(s[lo:end], ",")
	if a, ok := layout.Addr(next); ok && lo == hi+1 {
		h.Address, h.Encapsulated = a, true
		_, rest, _ := bytes.Cut(s[end:], []byte{','})
		return rest, true
	}
	if s[hi-1] != ',' && hi < len(s) && s[hi] == ' ' && len(next) > 0 && isLetter(next[0]) &&
		!behindLink[string(next)] && !flag(next, &route.NextHop{}) && !r.saysState(next, h) {
		return s, false
	}
	h.Interface = r.name(word)
	return s[hi:], true
}

// behindLink are words that may stand behind an interface.
var behindLink = layout.WordSet("tunnel weight label vrf")

// withoutHostLength takes the length off a next hop that some devices write as a prefix of one address.
func withoutHostLength(word []byte) []byte {
	if p, err := layout.Prefix(word, false); err == nil && p.IsSingleIP() {
		word, _, _ = bytes.Cut(word, []byte{'/'})
	}
	return word
}

// name returns the one copy of an interface's name.
func (r *reader) name(b []byte) string {
	if s, ok := r.names[string(b)]; ok {
		return s
	}
	s := string(b)
	r.names[s] = s
	return s
}

// details reads the comma-separated rest: flags, interface, weight, age. What says nothing about forwarding is passed
// over.
func (r *reader) details(s []byte, h *route.NextHop) error {
	for len(s) > 0 {
		var part []byte
		if i := bytes.IndexByte(s, ','); i >= 0 {
			part, s = s[:i], s[i+1:]
		} else {
			part, s = s, nil
		}
		lo, hi := layout.Field(part, 0)
		word := part[lo:hi]
		if len(word) == 0 {
			continue
		}
		if bytes.Contains(part, []byte("tunnel index")) { // what leads to the next hop is a tunnel
			h.Encapsulated = true
			continue
		}
		switch string(word) {
		case "weight":
			n, ok := layout.Uint(bytes.TrimSpace(part[hi:]))
			if !ok || n > 1<<31 {
				return fmt.Errorf("%w: %q", layout.ErrNumber, bytes.TrimSpace(part))
			}
			h.Weight = uint32(n)
			continue
		case "cost", "metric":
			// "cost 20", or "cost 1:20" with the type of an external route in front
			if n, ok := layout.Uint(part[hi:][bytes.LastIndexAny(part[hi:], " :")+1:]); ok && !r.attr.Metric.Known {
				r.attr.Metric = route.N(n)
			}
			continue
		case "age":
			continue
		case "backup": // the numbers of those that are kept ready for it
			if _, ok := layout.Uint(bytes.TrimSpace(part[hi:])); ok {
				continue
			}
		case "label", "labels", "seg6", "encap":
			if v := string(bytes.TrimSpace(part[hi:])); v != "implicit-null" && v != "3" && v != "none" {
				h.Encapsulated = true
			}
			continue
		case "src",
			"tag",
			"from",
			"seg6local",
			"rmapsrc",
			"directly",
			"VNI",
			"srte-color":
			continue
		}
		if err := r.words(part, lo, hi, h); err != nil {
			return err
		}
	}
	return nil
}

// words reads the words of one part, the first of which is part[lo:hi].
func (r *reader) words(part []byte, lo, hi int, h *route.NextHop) error {
	for ; lo < hi; lo, hi = layout.Field(part, hi) {
		word := part[lo:hi]
		switch {
		// "(recursive via ADDRESS, interface)", "(recursive is directly connected, interface)"
		case bytes.Equal(word, []byte("(recursive")):
			lo, hi = layout.Field(part, hi)
			if !bytes.Equal(part[lo:hi], []byte("via")) {
				return nil
			}
			lo, hi = layout.Field(part, hi)
			a, ok := layout.Addr(bytes.TrimRight(part[lo:hi], ")"))
			if tunnel := tunnelEnd.FindSubmatch(part[lo:]); !ok && tunnel != nil { // by a tunnel, whose end follows
				h.Recursive, h.Encapsulated = true, true
				return nil
			}
			if !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, part[lo:hi])
			}
			h.Recursive = true
			r.attr.NextHops = append(r.attr.NextHops, *h)
			*h = route.NextHop{Address: a, Resolves: true, Installed: h.Installed}
		case bytes.Equal(word, []byte("(vrf")), bytes.Equal(word, []byte("vrf")):
			lo, hi = layout.Field(part, hi)
			h.Table = string(bytes.TrimRight(part[lo:hi], ")"))
		case bytes.Equal(word, []byte("(!)")):
			h.Backup = true // the path kept ready for fast reroute
		case flag(word, h), word[0] == '[', isAge(word):
		case r.saysState(word, h):
			return layout.InDoubt(string(word))
		case word[0] == '(': // a remark, which may name the table of the next hop: "(nexthop in vrf NAME)"
			if m := inTable.FindSubmatch(part); m != nil && len(h.Interface) == 0 && !remarks[string(m[1])] {
				h.Table = string(m[1])
				break
			}
			for vrf := false; lo < hi && part[hi-1] != ')'; vrf = bytes.Equal(part[lo:hi], []byte("vrf")) {
				if lo, hi = layout.Field(part, hi); vrf {
					h.Table = string(bytes.TrimRight(part[lo:hi], ")"))
				}
			}
		case gluedNumber(word):
			return fmt.Errorf("%w: %q, a word and its number in one", layout.ErrNotARoute, word)
		case r.pair(word):
		case h.Interface == "" && hi+1 < len(part) && part[hi] == ' ' && apart(part, lo, hi):
			next, end := layout.Field(part, hi)
			h.Interface = r.name([]byte(string(word) + " " + string(part[next:end])))
			hi = end
		case h.Interface == "":
			h.Interface = r.name(bytes.TrimRight(word, ")"))
		case layout.LooksLikeAddress(word):
			return fmt.Errorf("%w: %q behind the interface", layout.ErrNotARoute, word)
		case isMark(word):
			return layout.InDoubt(string(word))
		}
	}
	return nil
}

// isMark reports whether a word behind the interface is a code or a sign that may take the route out of use.
func isMark(word []byte) bool {
	return len(word) <= maxMark && !bytes.ContainsFunc(word, func(c rune) bool { return c >= 'a' && c <= 'z' })
}

// maxMark is how long a code behind a row is at most.
const maxMark = 2

var (
	// tunnelEnd matches the tunnel by which a next hop is found, "tun1 tunnel ADDRESS)".
	tunnelEnd = lazyregexp.New(`^[A-Za-z][\w.-]* tunnel [0-9A-Fa-f.:]+\)`)
	// inTable matches a word in parentheses right behind a next hop: the table that it is in.
	inTable = lazyregexp.New(`^ ?\(([A-Za-z][\w.-]*)\)\s*$`)
	// remarks are words in that place that name none.
	remarks = layout.WordSet("active valid installed advertised private best ecmp duplicate metric redistributed local")
)

// apart reports whether the word part[lo:hi] and the one behind it are one interface.
func apart(part []byte, lo, hi int) bool {
	next, end := layout.Field(part, hi)
	return next == hi+1 && next < end && layout.ApartInterface(string(part[lo:hi]), string(part[next:end]))
}

// pair reads preference and metric where they stand behind the interface, as 110/20.
func (r *reader) pair(word []byte) bool {
	a, b, ok := bytes.Cut(word, []byte{'/'})
	if !ok || r.attr.Preference.Known {
		return false
	}
	p, okP := layout.Uint(a)
	m, okM := layout.Uint(b)
	if okP && okM {
		r.attr.Preference, r.attr.Metric = route.N(p), route.N(m)
		return true
	}
	return false
}

// flag reads a word that says how the next hop is used.
func flag(word []byte, h *route.NextHop) bool {
	switch strings.ToLower(string(word)) {
	case "inactive", "dead", "(inactive)", "(dead)", "*inactive", "in-active":
		h.Inactive = true
	case "(backup)":
		h.Backup = true
	case "linkdown":
		h.Down = true
	case "(recursive)", "recursive":
		h.Recursive = true
	case "onlink":
		h.OnLink = true
	case "(duplicate", "(duplicate)":
	default:
		return false
	}
	return true
}

// States that a row may tell in words. Of the second kind interfaces are called too.
var (
	stateWords = layout.WordSet(`unresolved unreachable invalid unusable rejected suppressed dampened expired failed
		not no not-installed no-install uninstalled fib-fail hold-down holddown unverified stale pending unknown
		incomplete inaccessible tunneled tunnelled`)
	stateOrName = layout.WordSet(`down backup standby hidden disabled blocked track tracked
		conditional floating admin state
		shutdown alternate secondary passive`)
)

// saysState reports whether a word tells a state of the route of which nobody knows whether such a one is used. Where
// an interface may stand, a word is one that some attached network is on.
func (r *reader) saysState(word []byte, h *route.NextHop) bool {
	w := strings.ToLower(string(bytes.Trim(word, "()*")))
	return stateWords[w] ||
		stateOrName[w] && (h.Interface != "" || !bytes.Contains(r.text, append([]byte("connected, "), word...)))
}

// isAge reports whether a word is a time since the route was learned: 00:12:34, 3d04h, 1w2d, 5y3w, never.
func isAge(w []byte) bool {
	if string(w) == "never" {
		return true
	}
	if w[0] < '0' || w[0] > '9' {
		return false
	}
	for _, c := range w {
		switch {
		case c >= '0' && c <= '9', c == ':', c == '.', c == 'y', c == 'w', c == 'd', c == 'h', c == 'm', c == 's':
		default:
			return false
		}
	}
	return true
}

// gluedNumber reports whether a word is one of a route's options with its number, which lost the blank between them.
func gluedNumber(w []byte) bool {
	n := len(w)
	for n > 0 && w[n-1] >= '0' && w[n-1] <= '9' {
		n--
	}
	if n == len(w) {
		return false
	}
	switch string(w[:n]) {
	case "weight", "label", "labels", "tag", "metric", "cost", "age":
		return true
	}
	return false
}
