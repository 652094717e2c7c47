package lettered

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// The per-prefix form has no letters: the prefix is a heading, and each next hop a line below it,
//
//	10.61.16.0/24, ubest/mbest: 1/0
//	    *via 172.28.61.2, cable1/1, [110/20], 3d07h, ospf-1, intra
//
// with a star on those that are used, "[preference/metric]" behind the next hop, and the protocol's name at the end.

// isPerPrefixHeading reads "PREFIX, ubest/mbest: …", and the form's own legend and table heading.
func isPerPrefixHeading(line []byte) bool {
	return bytes.Contains(line, []byte("ubest/mbest:")) || prefixAndTable.Match(line) ||
		bytes.HasPrefix(line, []byte("'*' denotes best ucast next-hop")) ||
		len(line) > 0 && line[0] == 'I' && vrfHeading.Match(line)
}

// prefixAndTable matches the heading of a relative that shows what is in use alone: "PREFIX, vrf NAME".
var prefixAndTable = lazyregexp.New(`^[0-9A-Fa-f.:]+/\d{1,3}, vrf (\S+)\s*$`)

// vrfHeading names the table of the rows below. A blank of it that was lost on the way changes nothing.
var vrfHeading = lazyregexp.New(`^IP(?:v6 ?Routing| ?Route) ?Table ?for ?VRF ?"?([^"]+?)"?\s*$`)

// subtypes are the words behind the protocol's name.
var subtypes = map[string]string{
	"intra":       "intra-area",
	"inter":       "inter-area",
	"type-1":      "external-1",
	"type-2":      "external-2",
	"nssa type-1": "nssa-external-1",
	"nssa type-2": "nssa-external-2",
	"L1":          "level-1",
	"L2":          "level-2",
}

// mayBePerPrefix is a cheap look: the form's lines outside of a prefix begin with a quote, "IP", or a word and a comma.
func mayBePerPrefix(line []byte) bool {
	if line[0] == '\'' || line[0] == 'I' {
		return true
	}
	i := bytes.IndexByte(line, ' ')
	return i > 0 && line[i-1] == ','
}

// perPrefix reads a line of this form; false leaves it to the others. The outcome is in r.err.
func (r *reader) perPrefix(line []byte, lo, hi int) bool {
	if !r.above.IsValid() && !mayBePerPrefix(line) {
		return false
	}
	r.err = nil
	trimmed := bytes.TrimSpace(line) // never empty: the line is not blank
	switch {
	case trimmed[0] == '\'' && bytes.Contains(line, []byte("denotes")):
		r.Pass(lo, hi, layout.Key)
	case line[0] == 'I' && vrfHeading.Match(line):
		r.flush()
		r.turned = true
		r.instance = instanceName(string(vrfHeading.FindSubmatch(line)[1]))
		r.seen.Forget()
		r.Pass(lo, hi, layout.Title)
	case bytes.Contains(line, []byte("ubest/mbest:")):
		r.flush()
		r.endPrefix()
		word, _, _ := bytes.Cut(trimmed, []byte{','})
		p, err := layout.Prefix(word, false)
		if err != nil {
			r.above, r.err = netip.Prefix{}, err
			return true
		}
		r.above, r.allUsed, r.unsettled = p.Masked(), false, bytes.Contains(line, []byte("pending"))
		r.straight = bytes.Contains(line, []byte(", attached"))
		r.prefixAt, r.wants, r.hopsSeen = layout.Mark(lo, hi), 1, 0
		if m := bestCount.FindSubmatch(line); m != nil {
			n, _ := layout.Uint(m[1])
			r.wants = int(n)
		}
		r.Pass(lo, hi, layout.PrefixHeading) // the routes are the lines below
	case prefixAndTable.Match(line):
		r.flush()
		r.endPrefix()
		word, name, _ := bytes.Cut(trimmed, []byte(", vrf "))
		p, err := layout.Prefix(word, false)
		if err != nil {
			r.above, r.err = netip.Prefix{}, err
			return true
		}
		r.turned = true
		r.instance = instanceName(string(name))
		r.above, r.allUsed, r.unsettled, r.straight = p.Masked(), true, false, false
		r.prefixAt, r.wants, r.hopsSeen = layout.Mark(lo, hi), 1, 0
		r.Pass(lo, hi, layout.PrefixHeading)
	case r.above.IsValid() && (bytes.HasPrefix(trimmed, []byte("*via ")) ||
		bytes.HasPrefix(trimmed, []byte("**via ")) || bytes.HasPrefix(trimmed, []byte("via "))):
		if r.straight && learnedHop.Match(trimmed) {
			r.err = errOthersHop
			return true
		}
		best := trimmed[0] == '*' && trimmed[1] != '*'
		if best && !r.allUsed && r.hopsSeen >= r.wants {
			r.err = errOneMore
			return true
		}
		if best || r.allUsed {
			r.hopsSeen++
		}
		r.err = r.hopBelow(trimmed, lo, hi)
	default:
		r.endPrefix()
		return false
	}
	return true
}

// learnedHop matches a next hop that a protocol found, or an address that somebody configured: no attached network has
// one.
var learnedHop = lazyregexp.New(`, (?:ospf|ospfv3|isis|isis_\w+|eigrp|rip|bgp)-\w+` +
	`|^\*?\*?via [0-9A-Fa-f.:]+(?:%\w+)?, .*\], [^,]+, static\b`)

var errOneMore = errors.New("the prefix above has as many next hops as its line counts; the line of another one is missing")

var errOthersHop = errors.New("the prefix above is attached, and this is a way to another one, whose line is missing")

// bestCount matches how many next hops a prefix has in use.
var bestCount = lazyregexp.New(`ubest/mbest: (\d{1,4})/`)

// endPrefix ends what stands below a prefix. Where fewer next hops stood there than its line counts, some were lost:
// of one that has none nobody knows where it leads.
func (r *reader) endPrefix() {
	if r.above.IsValid() && r.hopsSeen < r.wants {
		r.short = append(r.short, shortPrefix{instance: cmp.Or(r.instance, "default"),
			row: network.UnreadRow{Prefix: r.above, Beside: r.hopsSeen > 0, Mark: r.prefixAt}})
	}
	r.above = netip.Prefix{}
}

// A shortPrefix is a prefix that lacks next hops.
type shortPrefix struct {
	instance string
	row      network.UnreadRow
	last     bool // the text ends there
}

// keepShort gives the tables what is missing in them. The line of a prefix without any next hop is unread.
func keepShort(short []shortPrefix, r *layout.Reading) {
	bare := map[route.Mark]bool{}
	for _, s := range short {
		if !s.row.Beside {
			bare[s.row.Mark] = true
			why := errNoHops
			if s.last {
				why = fmt.Errorf("%w: %w", layout.ErrCut, errNoHops)
			}
			r.Unread = append(r.Unread, layout.Unread{Mark: s.row.Mark, Reason: why})
			continue
		}
		for i := range r.Facts.Tables {
			if t := &r.Facts.Tables[i]; t.Name == s.instance && t.Family == route.FamilyOf(s.row.Prefix.Addr()) {
				t.Unread = append(t.Unread, s.row)
			}
		}
	}
	if len(bare) > 0 {
		r.Passed = slices.DeleteFunc(r.Passed, func(p layout.Passed) bool { return bare[p.Mark] })
	}
}

var errNoHops = errors.New("the lines with its next hops are missing")

// hopBelow reads one next hop; those of one protocol and state are one route.
func (r *reader) hopBelow(s []byte, lo, hi int) error {
	used := s[0] == '*' || r.allUsed
	if used && r.unsettled {
		return layout.InDoubt("pending")
	}
	parts := strings.Split(string(bytes.TrimLeft(s, "*")[len("via "):]), ",")
	h := route.NextHop{}
	word := strings.TrimSpace(parts[0])
	word, h.Table, _ = strings.Cut(word, "%")
	if a, ok := layout.Addr(withoutHostLength([]byte(word))); ok {
		h.Address = a
	} else if layout.LooksLikeAddress([]byte(word)) || word == "" {
		return fmt.Errorf("%w: %q", layout.ErrAddress, word)
	} else {
		h.Interface = r.name([]byte(word))
	}
	a := layout.Attributes{}
	named := false
	for _, part := range parts[1:] {
		part = strings.TrimSpace(part)
		switch {
		case part == "":
		case part[0] == '[':
			pref, metric, ok := strings.Cut(strings.Trim(part, "[]"), "/")
			p, ok1 := layout.Uint([]byte(pref))
			m, ok2 := layout.Uint([]byte(metric))
			if !ok || !ok1 || !ok2 {
				return fmt.Errorf("%w: %q", layout.ErrNumber, part)
			}
			a.Preference, a.Metric = route.N(p), route.N(m)
		case strings.HasPrefix(part, "segid: "), strings.Contains(part, "encap: "), strings.HasPrefix(part,
			"mpls"), strings.HasPrefix(part, "label"):
			h.Encapsulated = true
		case stateWords[strings.ToLower(strings.Trim(part, "()*"))]:
			return layout.InDoubt(part)
		case isAge([]byte(part)):
		case !a.Preference.Known && h.Interface == "":
			h.Interface = r.name([]byte(part))
		case !named:
			named = true
			name, _, _ := strings.Cut(part, "-")
			if part == "local" {
				name = "local"
			}
			if strings.HasPrefix(part, "direct") || part == "am" || part == "hsrp" || part == "vrrp" {
				name = "connected"
			}
			a.Protocol, a.Subtype = protocolOf(name)
			if strings.HasPrefix(part, "isis") {
				a.Protocol = route.ISIS
			}
		case used && stateOrName[strings.ToLower(strings.Trim(part, "()*"))]:
			return layout.InDoubt(part)
		default:
			if sub := subtypes[part]; sub != "" {
				a.Subtype = sub
			}
		}
	}
	switch {
	case a.Protocol == route.Local:
		a.Special = route.Receive
	case a.Protocol == route.RIP && r.above.Addr().Is6():
		a.Protocol = route.RIPng
	}
	if a.Protocol == route.Direct {
		h.Address = netip.Addr{} // what stands there is the device's own address
	}
	if layout.Discards(h.Interface) {
		a.Special = route.Blackhole
	}
	state := route.State(0)
	if used {
		state = route.Active | route.Installed
	}
	if r.pending && r.prefix == r.above && r.state == state && r.attr.Protocol == a.Protocol &&
		r.attr.Preference == a.Preference &&
		r.attr.Metric == a.Metric &&
		r.attr.Special == a.Special {
		if a.Special == route.None { // what discards has no next hop, however often it stands there
			r.attr.NextHops = append(r.attr.NextHops, h)
		}
		r.hi = hi
		r.Collector.Read++
		return nil
	}
	r.flush()
	r.prefix, r.state, r.lo, r.hi, r.pending, r.key, r.shared = r.above, state, lo, hi, true, false, layout.Shared{}
	a.NextHops = append(r.attr.NextHops[:0], h)
	if a.Special == route.Blackhole {
		a.NextHops = a.NextHops[:0]
	}
	r.attr = a
	r.Collector.Read++
	return nil
}
