package capture

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// fromHeading is a search that shows all from a heading on which stands above every route.
var fromHeading = lazyregexp.New(`\|\s*(?:b|be|beg|begin)\s+"?(?:gateway|codes?|destination` +
	`|gateway of last resort)\b[^|]*$`)

// routeWord is a word that asks for routes, whole or shortened.
var routeWord = lazyregexp.New(`^(?:get-netroute|ro(?:ut?|ute?s?|uting)?(?:[-_]?(?:tables?|entry|entries|info))?` +
	`|ip-?routes?|rib|fib|cef)$`)

// sourceWords in front of a word for routes ask for those of one source.
var sourceWords = layout.WordSet(`static connected direct ospf ospf3 ospfv3 ospf6 ospfv2
	bgp rip ripng isis is-is eigrp babel odr
	nhrp`)

// wholeWords behind a word for routes change how a table is shown, or which, and leave no route out of it.
var wholeWords = layout.WordSet(`
	all show list print main global
	detail details detailed extensive terse brief summary verbose wide expanded expand full long advanced statistics
	stats
	ipv4 ipv6 ip inet inet4 inet6 ip4 ip6 -4 -6 unicast afi-all safi-all
	route routes routing rib fib table tables entry entries database active best primary installed nexthop-group
	forwarding forwarding-table sorted active-path
	ipv4-unicast ipv6-unicast ipv4_unicast ipv6_unicast
	all-vrf all-vrfs all-routes all-vpn-instance all-instances
	json xml pretty no-more nomore without-paging
	inet.0 inet6.0 master4 master6
`)

// nameWords stand in front of a name that no route is chosen by: of a table, an instance, a family, a part of the box.
var nameWords = layout.WordSet(`
	vrf table instance vpn-instance network-instance routing-instance vr virtual-router vrouter logical-router
	logical-system vsys vdom tenant
	context family afi safi slot member node fpc
`)

// wholePipes behind a pipe change the form of an output, or where it goes, and leave no line of it out.
var wholePipes = layout.WordSet(`
	hold sort-object
	no-more nomore no-page nopage no-paging nopaging more less most cat tee redirect append save file
	display json json-pretty xml xml-pretty text pretty column nl sort json_pp resolve trim refresh count
	out-host oh format-table ft format-list fl out-string out-file expand unexpand ts iconv dos2unix strings col
	hex flat linnum
`)

// statement configures a route in place of asking for one.
var statement = lazyregexp.New(`^(?:ip|ipv6) route [0-9a-f]*[.:]`)

// redirection is where a shell sends an output, or the end of what it is to run.
var redirection = lazyregexp.New(`\s*(?:\d?>&\d|\d?>>?\s*[^\s|;&]+|<\s*/dev/null|&\s*$)`)

// slashes is a path of words at the beginning of a command: /ip/route/print.
var slashes = lazyregexp.New(`^/(?:ip|ipv6|routing)/\S*`)

// either parts the commands of a line that a shell runs by what became of the one before.
var either = strings.NewReplacer("||", ";", "&&", ";")

// quotes are what a shell's command may be wrapped in.
var quotes = strings.NewReplacer("'", " ", `"`, " ", "`", " ", "(", " ", ")", " ", "$ ", " ")

// asksForPart reports whether a command asks for a part of a routing table, or in words of which nobody knows that they
// do not. Several commands in one line ask for a part where one of them does.
func asksForPart(command string) bool { return partOf(command, partOfTable, ofOtherThings) }

// asksForPartOfOwn reports the same of a protocol's own list, which the word for the protocol asks for as a whole.
func asksForPartOfOwn(command string) bool { return partOf(command, partOfList, ofOtherThings) }

// searched reports whether a search behind a pipe may have left lines of any output out.
func searched(command string) bool {
	return partOf(command, func([]string) bool { return false }, func([]string) bool { return false })
}

// asksForPartOfRules reports whether a command asks for some of a kernel's rules for routing only.
func asksForPartOfRules(command string) bool {
	return partOf(command, func(w []string) bool {
		for i := range w {
			if isKernel(w[:i]) && len(w[i]) > 1 && strings.HasPrefix("rule", w[i]) {
				rest := w[i+1:]
				return len(rest) > 1 || len(rest) == 1 && !isShow(rest[0])
			}
		}
		return false
	}, func([]string) bool { return false })
}

// isShow reports whether a word of iproute's, whole or shortened, asks for a list.
func isShow(w string) bool {
	return strings.HasPrefix("show", w) || strings.HasPrefix("list", w) || strings.HasPrefix("lst", w)
}

// ofOtherThings reports whether the words of one of several commands ask a kernel for its addresses, links or
// neighbours: a search in that leaves no route out.
func ofOtherThings(w []string) bool {
	for i, word := range w {
		if !isKernel(w[:i]) || strings.HasPrefix(word, "-") ||
			slices.Contains([]string{"-n", "-netns", "-f", "-family"}, w[i-1]) {
			continue
		}
		return slices.ContainsFunc([]string{"address", "link", "neighbour", "neighbor", "maddress"},
			func(thing string) bool {
				return strings.HasPrefix(thing, word)
			})
	}
	return false
}

// partOf reports whether what a search behind a pipe leaves of an output, or what one of the commands of a line asks
// for, is a part. Commands that are none of its business are skipped.
func partOf(command string, part, skipped func([]string) bool) bool {
	low := strings.ToLower(strings.TrimSpace(command))
	low = fromHeading.ReplaceAllString(low, "")
	low = redirection.ReplaceAllString(low, "")
	low = either.Replace(low)
	if statement.MatchString(low) {
		return false
	}
	low = quotes.Replace(low)
	if path := slashes.FindString(low); path != "" {
		low = "/" + strings.ReplaceAll(path[1:], "/", " ") + low[len(path):]
	}
	for one := range strings.SplitSeq(low, ";") {
		pipeline := strings.Split(one, "|")
		if skipped(strings.Fields(pipeline[0])) {
			continue
		}
		for _, p := range pipeline[1:] {
			if !wholePipe(strings.Fields(p)) {
				return true
			}
		}
		if part(strings.Fields(pipeline[0])) {
			return true
		}
	}
	return false
}

// wholePipe reports whether what stands behind a pipe is known to leave no line out.
func wholePipe(w []string) bool {
	switch {
	case len(w) == 0:
		return true
	case w[0] == "uniq" || w[0] == "jq":
		return len(w) == 1 || len(w) == 2 && w[1] == "."
	case strings.HasPrefix(w[0], "python"):
		return len(w) == 3 && w[2] == "json.tool"
	}
	return wholePipes[w[0]]
}

// partOfTable reports whether the words of one command ask for some routes of a table.
func partOfTable(w []string) bool {
	at := routesAt(w)
	if at >= 0 && slices.ContainsFunc(w[:at], func(before string) bool { return sourceWords[before] }) {
		return true
	}
	return slices.ContainsFunc(w, ofOneSource) || partOfList(w)
}

// ofOneSource reports whether one word asks for the routes of one source: static-routes.
func ofOneSource(word string) bool {
	source, what, ok := strings.Cut(word, "-route")
	return ok && sourceWords[source] && (what == "" || what == "s")
}

// partOfList reports the same, whatever stands in front of the word for routes.
func partOfList(w []string) bool {
	if len(w) > 0 && (w[0] == "for" || w[0] == "while" || w[0] == "do" && len(w) > 1 && w[1] == "ip") {
		return true // what a shell repeats asks with other words each time
	}
	at := routesAt(w)
	if at < 0 {
		return false
	}
	kernel := isKernel(w[:at])
	for i := at + 1; i < len(w); i++ {
		switch word := w[i]; {
		case kernel && (word == "vrf" || strings.HasPrefix("table", word)):
			i++
		case kernel && i == at+1 && isShow(word):
		case kernel:
			return true
		case nameWords[word]:
			i++
		case w[at] == "get-netroute":
			if !strings.HasPrefix("-addressfamily", word) || len(word) < 3 {
				return true // whatever else stands there chooses among the routes
			}
			i++
		case strings.HasPrefix(word, "-"):
			if word == "-f" || word == "-t" {
				i++ // the name of a family, the number of a table
			}
		case !wholeWords[word] && !strings.HasPrefix(word, "file="):
			return true
		}
	}
	return false
}

// routesAt finds the word that asks for routes, -1 where none does: the last one, but for iproute's, which what is
// looked for follows.
func routesAt(w []string) int {
	at := -1
	for i, word := range w {
		if isKernel(w[:i]) && strings.HasPrefix("route", word) {
			return i
		}
		if (routeWord.MatchString(word) || i == 0 && word == "print") && !(i > 0 && nameWords[w[i-1]]) {
			at = i
		}
	}
	return at
}

// isKernel reports whether words begin a command of iproute: its name, in whatever runs it, and its options.
func isKernel(w []string) bool {
	for i := len(w) - 1; i >= 0; i-- {
		switch word := w[i]; {
		case word == "ip" || len(word) > 3 && strings.HasSuffix(word, "/ip"):
			return i == 0 || !askWords[w[i-1]]
		case strings.HasPrefix(word, "-"):
		case i > 0 && (w[i-1] == "-n" || w[i-1] == "-netns" || w[i-1] == "-f" || w[i-1] == "-family"):
		default:
			return false
		}
	}
	return false
}

// askWords stand in front of "ip" where a device is asked: "show ip route".
var askWords = layout.WordSet(`show sh sho display dis disp get print do run clear debug no`)
