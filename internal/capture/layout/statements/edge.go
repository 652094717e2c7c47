package statements

import (
	"errors"
	"net/netip"
	"slices"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// edge is what a configuration says of translations below the interface at which they are made: "nat outbound LIST",
// "nat static global A inside B", "nat server protocol tcp global A PORT inside B PORT".
type edge struct {
	rules []edgeRule
	pools map[string][2]string
	pool  string // whose block it is
}

type edgeRule struct {
	ifname string
	words  []string // behind "nat"
	mark   route.Mark
}

// line takes a line below an interface in, or one that tells a pool; false for any other.
func (e *edge) line(w []string, ifname string, mark route.Mark) bool {
	opens := len(w) == 3 && w[0] == "nat" && w[1] == "address-group"
	switch {
	case ifname == "" && e.pool != "" && len(w) == 3 && w[0] == "address":
		if _, told := e.pools[e.pool]; told { // of several ranges
			w[2] = ""
		}
		e.tell(e.pool, w[1], w[2])
		return true
	case ifname == "" && opens:
		e.pool = w[2]
		return true
	}
	e.pool = ""
	switch {
	case len(w) < 2 || w[0] != "nat":
		return false
	case ifname == "" && w[1] == "address-group" && len(w) == 5:
		e.tell(w[2], w[3], w[4])
	case ifname == "" || !slices.Contains([]string{"outbound", "server", "static"}, w[1]):
		return false
	default:
		e.rules = append(e.rules, edgeRule{ifname, w[1:], mark})
	}
	return true
}

// tell notes the first and the last address of a pool.
func (e *edge) tell(name, first, last string) {
	if e.pools == nil {
		e.pools = map[string][2]string{}
	}
	e.pools[name] = [2]string{first, last}
}

// finish makes translations of the rules: one address for another first, then those by list.
func (e *edge) finish(r *reader) {
	var fixed, listed []network.Translation
	for _, x := range e.rules {
		var all []network.Translation
		switch x.words[0] {
		case "outbound":
			all = e.outbound(r, x)
		case "static":
			all = x.fixed(r, false)
		default:
			all = x.fixed(r, true)
		}
		for _, t := range all {
			t.Family = route.IPv4
			if t.Answers = true; t.Destination {
				t.In = x.ifname
			} else {
				t.Out = x.ifname
			}
			if x.words[0] == "outbound" {
				listed = append(listed, t)
			} else {
				fixed = append(fixed, t)
			}
		}
	}
	r.Facts.Policy.Translations = append(append(r.Facts.Policy.Translations, fixed...), listed...)
}

// outbound reads "outbound [LIST] [address-group POOL [no-pat]]".
func (e *edge) outbound(r *reader, x edgeRule) []network.Translation {
	w := x.words[1:]
	base := network.Translation{Mark: x.mark}
	list := ""
	if len(w) > 0 && w[0] != "address-group" && w[0] != "interface" {
		list, w = w[0], w[1:]
	}
	switch {
	case len(w) == 0:
	case w[0] == "address-group" && (len(w) == 2 || len(w) == 3 && w[2] == "no-pat"):
		p := e.pools[w[1]]
		a, err := netip.ParseAddr(p[0])
		base.Becomes, base.OnLink = a, err == nil
		base.Undecided = err != nil || p[0] != p[1] // which one of several is not told
	default:
		base.Undecided = true
	}
	if list == "" {
		return []network.Translation{base}
	}
	return byList(r, list, base)
}

// fixed reads what is behind "static" and "server": [protocol P] global A [PORT] inside B [PORT] [netmask M].
func (x edgeRule) fixed(r *reader, server bool) []network.Translation {
	w := x.words[1:]
	in := network.Translation{Destination: true, OnLink: true, Mark: x.mark}
	out := network.Translation{OnLink: true, Mark: x.mark}
	if server && len(w) > 1 && w[0] != "protocol" && w[0] != "global" { // its name or number
		w = w[1:]
	}
	sure := true
	if len(w) > 1 && w[0] == "protocol" {
		in.Protocol, sure = filters.Protocol(w[1])
		w = w[2:]
	}
	a, outer, rest := ended(w, "global")
	b, inner, rest := ended(rest, "inside")
	if len(rest) > 0 && rest[0] == "netmask" && len(rest) == 2 && rest[1] == "255.255.255.255" {
		rest = rest[2:]
	}
	outerAddr, errA := netip.ParseAddr(a)
	if a == "current-interface" || a == "interface" {
		outerAddr, errA = r.ownAddress(x.ifname)
		in.OnLink = false
	}
	innerAddr, errB := netip.ParseAddr(b)
	ported := outer != "" || inner != ""
	if ported {
		p, okA := filters.Port(outer, in.Protocol)
		q, okB := filters.Port(inner, in.Protocol)
		if inner == "" {
			q, okB = p, okA
		}
		in.ToPorts, in.BecomesPort = network.Ports{Lo: p, Hi: p}, q
		sure = sure && okA && okB && in.Protocol != ""
	}
	in.Becomes, out.Becomes = innerAddr, outerAddr
	if errA == nil {
		in.To = netip.PrefixFrom(outerAddr, outerAddr.BitLen())
	}
	if errB == nil {
		out.From = netip.PrefixFrom(innerAddr, innerAddr.BitLen())
	}
	in.Undecided = !sure || len(rest) > 0 || errB != nil || errA != nil
	// what comes for a server that stands for all ports is told, what that begins itself is not
	out.Undecided = in.Undecided || server || in.Protocol != ""
	if ported { // what answers a packet that came for the port itself gets its outer address too
		out.FromPorts = network.Ports{Lo: in.BecomesPort, Hi: in.BecomesPort}
		out.Protocol, out.Undecided, out.OnLink = in.Protocol, in.Undecided, in.OnLink
	}
	return []network.Translation{out, in}
}

// ownAddress is the IPv4 address that the text gives an interface, where it is one.
func (r *reader) ownAddress(ifname string) (netip.Addr, error) {
	var own []netip.Addr
	for _, a := range r.Facts.Addresses {
		if a.Interface == ifname && a.Prefix.Addr().Is4() {
			own = append(own, a.Prefix.Addr())
		}
	}
	if len(own) != 1 {
		return netip.Addr{}, errNoAddress
	}
	return own[0], nil
}

var errNoAddress = errors.New("the text does not tell the address of that interface")

// ended splits "WORD ADDRESS [PORT] …" where it begins with the word.
func ended(w []string, word string) (address, port string, rest []string) {
	if len(w) < 2 || w[0] != word {
		return "", "", append([]string{"?"}, w...)
	}
	address, w = w[1], w[2:]
	if len(w) > 0 && w[0] != "inside" && w[0] != "netmask" {
		port, w = w[0], w[1:]
	}
	return address, port, w
}
