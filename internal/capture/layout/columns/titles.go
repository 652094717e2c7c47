package columns

import (
	"slices"
	"strings"

	"zarvek/internal/lazyregexp"
)

// instanceTitle reads a title that names the table of what follows.
func instanceTitle(t string) (string, bool) {
	for _, begin := range []string{"VIRTUAL ROUTER: ", "virtual-router name: ", "Logical Router: ",
		"logical-router name: ", "VRF: ", "VRF Name: ",
		"Routing Tables: ", "Routing Table : ", "Routing Table: ", "vrf "} {
		rest, ok := strings.CutPrefix(t, begin)
		if !ok {
			continue
		}
		name, _, _ := strings.Cut(strings.TrimSpace(rest), " ")
		name, _, _ = strings.Cut(name, "(")
		return instanceName(strings.Trim(name, ":")), true
	}
	if strings.HasSuffix(t, ")") {
		if m := titleOfNumber.FindStringSubmatch(t); m != nil {
			if strings.Trim(m[1], "0") == "" {
				return "default", true
			}
			return "fib " + m[1], true
		}
		if m := titleOfRouter.FindStringSubmatch(t); m != nil {
			return instanceName(m[1]), true
		}
	}
	if !strings.HasPrefix(t, "IP") {
		return "", false
	}
	if m := titleInWords.FindStringSubmatch(t); m != nil {
		return instanceName(strings.Join(m[1:], "")), true
	}
	return "", false
}

// titleOfNumber matches "Routing tables (fib: 2)", one of several forwarding tables of a BSD system.
var titleOfNumber = lazyregexp.New(`^Routing tables \(fib: ?(\d+)\)$`)

// titleOfRouter matches "Route Table (Router: NAME)" and "IPv6 Route Table (Service: 7)".
var titleOfRouter = lazyregexp.New(`^(?:IPv[46] )?Route Table \((?:Router|Service): ?(\S+)\)$`)

// namesOther matches a line that seems to say whose table follows, in words of its own.
var namesOther = lazyregexp.New(`(?i)\b(vrf|vpn|vpn-instance|(?:routing[ -])?instance|virtual[ -]router` +
	`|logical[ -]router|service|vdom)\b(?:[ :=#"'(-]|name|id)*\b([\w-]+)`)

// mayNameOther reports whether a line that could not be read may say that another instance's table follows.
func mayNameOther(s string) bool {
	m := namesOther.FindStringSubmatch(s)
	if m == nil || strings.EqualFold(m[1], "service") && !isNumber(m[2]) {
		return false
	}
	return instanceName(m[2]) != "default" &&
		!slices.Contains([]string{"routing", "table", "tables", "route", "routes", "count", "vrf", "ip", "ipv4",
			"ipv6"}, strings.ToLower(m[2]))
}

// titleInWords matches "IPv4 Dest-Routes for <NAME> (4 entries)", "IP Route - NAME" and "IPv4 routes for table
// NAME/base".
var titleInWords = lazyregexp.New(`^IPv[46] Dest-Routes for <([^<>]+)> \(\d+ entries\)$` +
	`|^IP(?:v6)? Route - (\S+)$|^IPv[46] unicast route table of network instance (\S+)$` +
	`|^IPv[46] routes for table ([^\s/]+)(?:/base)?$`)

// instanceName is "default" for the names that the main instance goes by.
func instanceName(name string) string {
	switch strings.ToLower(name) {
	case "", "base", "public", "default", "_public_", "vr-default", "main", "master", "global", "grt",
		"globalrouter", "trust-vr":
		return "default"
	}
	return name
}
