package mask

import (
	_ "embed"
	"strings"
	"sync"
)

// vocabulary.txt holds the words that readers look for, in small letters: all runs of letters in the text constants of
// their source (a test compares it with that), and words of interfaces' kinds.
//
//go:embed vocabulary.txt
var vocabularyText string

var vocabulary = sync.OnceValue(func() map[string]bool {
	out := map[string]bool{}
	for w := range strings.FieldsSeq(vocabularyText) {
		out[w] = true
	}
	for _, list := range []string{interfaceKinds, headings} {
		for w := range strings.FieldsSeq(list) {
			out[w] = true
		}
	}
	return out
})

// interfaceKinds are words of which interfaces' names are made. They tell what a thing is, not whose.
const interfaceKinds = `ethernet fastethernet gigabitethernet tengigabitethernet twentyfivegige fortygige hundredgige
	tengige gige vlan loopback tunnel bundle ether portchannel serial management mgmt null dialer eth ens enp eno enx
	bond bridge veth wlan ppp pppoe sfp combo lan wan dmz inside outside irb reth vmx igb ixl vtnet cellular virtual
	template bvi port trunk dummy tun tap gre ipip sit lo vlanif xgigabitethernet ae ge xe et mon jan feb mar apr may
	jun jul aug sep oct nov dec tue wed thu fri sat sun`

// headings are words over columns that readers find by a part of them.
const headings = `genmask netmask dest dst destination gateway gw iface netif ifindex irtt mss window refs expire
	prefixes nexthop nexthops hop pref proto distance metric age flags type ref use time`

// keeps reports whether a word is one that readers look for.
func keeps(w string) bool { return vocabulary()[strings.ToLower(w)] }
