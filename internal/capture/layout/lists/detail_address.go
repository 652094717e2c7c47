package lists

import (
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// The lines of a paragraph that tell the interface's addresses, and whose they are.
var (
	// Internet address is 172.28.61.2/30; inet 10.61.16.1/24; Internet Address is 10.61.16.1/24 Primary
	addressLine = lazyregexp.New(
		`^\s*(?:[Ii]nternet [Aa]ddress is|IP address is|inet6?|IPv6 address is` +
			`|[Ss]econdary address) ([0-9A-Fa-f:.]+(?:/\d+)?)(?:[ ,]|$)`,
	)
	// IP address 172.28.61.2, subnet mask 255.255.255.252
	maskedLine = lazyregexp.New(`^\s+IP address ([0-9.]+), subnet mask ([0-9.]+)\s*$`)
	// FD6B:16::1, subnet is FD6B:16::/64 [TEN]; IP address: 10.61.16.1, IP subnet: 10.61.16.0/24 secondary
	subnetLine = lazyregexp.New(`^\s+(?:IP address: )?([0-9A-Fa-f:.]+), (?:IP )?subnet(?: is|:) ` +
		`([0-9A-Fa-f:.]+/\d+)(?: \[(.+?)\])?(?:\s|$)`)
	// IPv6 is enabled, link-local address is FE80::1 [TENTATIVE]; IPv6 link-local address: fe80::1 (default) [VALID]
	ownLinkLine = lazyregexp.New(`^\s*IPv6 (?:is \w+, )?link-local(?: address)?(?: is|:) ([0-9A-Fa-f:.]+(?:/\d+)?)` +
		`(?: \(default\))?(?: \[(.+?)\])?\s*$`)
	// ipv4-address 10.61.16.1/24
	valueLine = lazyregexp.New(`^\s+ipv[46]-address ([0-9A-Fa-f:.]+/\d+)\s*$`)
	// an address alone
	bareLine = lazyregexp.New(`^\s+([0-9A-Fa-f.:]+(?:/\d+)?)(?:\s+\[(\w+)\])?\s*$`)
	// IPv6 address:, above addresses alone
	addressesBelow = lazyregexp.New(`^\s+IPv6 address:\s*$`)
	// IPv6 Interface Status for VRF "red"(3)
	statusTitle = lazyregexp.New(`^\s*IP(?:v6)? Interface Status for VRF "([^"]+)"`)
	// Vrf is red (vrfid 0x60000002); VPN Routing/Forwarding "red"
	instanceLine = lazyregexp.New(`^\s+(?:Vrf is (\S+) \(vrfid |VPN Routing/Forwarding "([^"]+)")`)

	hardwareOf = lazyregexp.New(
		`(?i)(?:address is|HWaddr:?|hardware address is|ether) ((?:[0-9a-f]{4}[.-]){2}[0-9a-f]{4}` +
			`|(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2})`,
	)
	sixLine = lazyregexp.New(`^\s*IPv6 is (?:enabled|tentative|stalled)\b|^\s+IPv6 address:`)
)

// address reads a line that tells an address; false for others. One that another device has too, or that is not yet
// known to be nobody else's (RFC 4862), is not the interface's own.
func (r *inDetail) address(line string, lo, hi int) (bool, error) {
	r.six = r.six || sixLine.MatchString(line)
	listed := r.listed
	r.listed = addressesBelow.MatchString(line)
	if f := subnetLine.FindStringSubmatch(line); f != nil {
		n, err := layout.Prefix([]byte(f[2]), false)
		if a, ok := layout.Addr([]byte(f[1])); err != nil || !ok || !n.Contains(a) {
			return true, layout.ErrAddress
		}
		return true, r.own(fmt.Sprint(f[1], "/", n.Bits()), f[3], lo, hi)
	}
	if f := ownLinkLine.FindStringSubmatch(line); f != nil {
		return true, r.own(f[1], f[2], lo, hi)
	}
	if f := maskedLine.FindStringSubmatch(line); f != nil {
		return true, r.own(f[1]+"/"+f[2], "", lo, hi)
	}
	if f := bareLine.FindStringSubmatch(line); f != nil && (r.bare || listed) {
		r.listed = listed
		return true, r.own(f[1], f[2], lo, hi)
	}
	for _, re := range []*lazyregexp.Regexp{addressLine, valueLine} {
		if f := re.FindStringSubmatch(line); f != nil && !r.bare {
			return true, r.own(f[1], "", lo, hi)
		}
	}
	return false, nil
}

// own adds an address of the interface, of which the state of the address is given, "" where it is not.
func (r *inDetail) own(text, state string, lo, hi int) error {
	p, err := layout.Prefix([]byte(text), true)
	if err != nil {
		return err
	}
	i := r.Facts.Interfaces[len(r.Facts.Interfaces)-1]
	if i.State != network.LinkDown && notYetOwn(state) {
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	r.Read++
	r.Facts.Addresses = append(r.Facts.Addresses, network.Address{Prefix: netip.PrefixFrom(p.Addr(), p.Bits()),
		Interface: i.Name, Table: r.table, Mark: layout.Mark(lo, hi)})
	return nil
}

// notYetOwn reports whether a state is of an address that the interface does not answer for.
func notYetOwn(state string) bool {
	for _, word := range []string{"TEN", "DUP", "INVALID"} {
		if strings.HasPrefix(strings.ToUpper(state), word) {
			return true
		}
	}
	return false
}
