package iproute

import (
	"net/netip"
	"slices"
	"strings"
)

// needValue are the words of rows that a value follows.
var needValue = []string{"via", "dev", "proto", "scope", "src", "metric", "table", "nhid", "mtu", "advmss", "pref"}

// routeSources are the names that iproute prints behind "proto".
var routeSources = []string{"babel", "bgp", "bird", "boot", "dhcp", "eigrp", "isis", "keepalived", "kernel", "ospf",
	"redirect", "rip", "static", "zebra"}

// Dangles reports whether a row of text, by its words, was broken off: it ends in a word that a value follows, or in
// half a value; has a next hop and no interface; or is one of the kernel's own for IPv4 without the scope that each of
// these has.
func Dangles(words []string) bool {
	has := func(w string) bool { return slices.Contains(words, w) }
	end := words[len(words)-1]
	if slices.Contains(needValue, end) || has("via") && !has("dev") && !has("nhid") && !has("nexthop") {
		return true
	}
	switch words[max(len(words)-2, 0)] {
	case "proto":
		return end == "kernel" && !strings.Contains(words[0], ":") || !slices.Contains(routeSources, end) &&
			slices.ContainsFunc(routeSources, func(s string) bool { return strings.HasPrefix(s, end) })
	case "src":
		_, err := netip.ParseAddr(end)
		return err != nil
	}
	return false
}
