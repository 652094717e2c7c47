// Package filename says what of a capture's file name may be a device's, and what only tells what the file holds: two
// devices whose names differ behind a dot, or whose files are named by their addresses, must never become one.
package filename

import (
	"net/netip"
	"path"
	"strings"

	"zarvek/internal/lazyregexp"
)

// endings say what form a file has, how it is packed, or what was asked of the device.
var endings = words(
	"bz2 gz tar tbz2 tgz txz tzst xz zip zst",
	"asc bak bk capture cap cfg cmd conf config csv dat dump htm html json jsonl log lst md new old orig out output",
	"prn rtf set session text tmp tsv txt typescript xml yaml yml",
	"addr address addresses arp bgp fib forwarding interfaces ip ip6 ipv4 ipv6 isis links neigh neighbors neighbours "+
		"nft ospf rib route routes routing rules running running-config startup startup-config sysctl table v4 v6 vrf",
)

// A date, as loggers and people put one behind a name.
var date = lazyregexp.New(`^\d{4}-?\d{2}-?\d{2}(?:[-_T]?\d{2}[-_:]?\d{2}(?:[-_:]?\d{2})?Z?)?$|^\d{12}$|^\d{14}$`)

var turn = lazyregexp.New(`^\d{1,3}$`) // of a log that was rotated

func words(lists ...string) map[string]bool {
	all := map[string]bool{}
	for _, l := range lists {
		for w := range strings.FieldsSeq(l) {
			all[w] = true
		}
	}
	return all
}

// Stem parts a file's name, without its folders, into what may name a device and the endings behind that, with their
// dots: "mast-7.txt.gz" into "mast-7" and ".txt.gz". What is no known ending, date or number of a rotated log is part
// of the name, and so is all of a name that is an address. A name that is nothing but an ending has none.
func Stem(base string) (stem, ending string) {
	stem = base
	for {
		if _, err := netip.ParseAddr(stem); err == nil {
			break
		}
		ext := path.Ext(stem)
		rest := strings.TrimSuffix(stem, ext)
		if ext == "" || rest == "" || !isEnding(ext[1:], rest) {
			break
		}
		stem = rest
	}
	return stem, base[len(stem):]
}

func isEnding(ext, rest string) bool {
	if turn.MatchString(ext) {
		before := path.Ext(rest)
		return before != "" && before != rest && isEnding(before[1:], "")
	}
	return ext == "" || endings[strings.ToLower(ext)] || date.MatchString(ext)
}

// IsEnding reports whether a word, in small letters, tells what a file holds or in which form.
func IsEnding(word string) bool { return endings[word] }
