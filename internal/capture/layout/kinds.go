package layout

import "strings"

// interfaceKinds are the words for a kind of interface that devices print apart from the number: "vlan 16", "Te 0/1".
// True are those whose number may have a slash: of the others "lo 0/0" is a name, and then preference and metric.
var interfaceKinds = map[string]bool{
	"ve": false, "vl": false, "vlan": false, "vlanif": false, "irb": false, "lo": false, "lb": false, "loopback": false,
	"nu": false, "null": false,
	"lag": true, "po": true, "port-channel": true, "bundle-ether": true, "trunk": true, "port": true,
	"eth": true, "ethernet": true, "fa": true, "fastethernet": true, "gi": true, "gigabitethernet": true, "te": true,
	"tengigabitethernet": true, "tw": true, "twentyfivegige": true, "fo": true, "fortygige": true, "hu": true,
	"hundredgige": true,
	"tu":          true, "tn": true, "tunnel": true, "se": true, "serial": true, "ma": true, "mgmt": true,
	"management": true,
}

// ApartInterface reports whether two words with one blank between them are one interface: its kind and its number.
func ApartInterface(kind, number string) bool {
	if number == "" || number[0] < '0' || number[0] > '9' || strings.Count(number, ".") >= 3 ||
		strings.Trim(number, "0123456789/.:") != "" {
		return false
	}
	low := strings.ToLower(kind)
	slash := strings.Contains(number, "/")
	physical, known := interfaceKinds[low]
	return known && (physical || !slash) || low == "e" && slash
}

// Discards reports whether an interface is one that throws packets away, by the names that systems give it.
func Discards(name string) bool {
	if name == "" || strings.IndexByte("NnBbDd", name[0]) < 0 {
		return false
	}
	kind := strings.TrimRight(name, "0123456789./ -")
	switch strings.ToLower(kind) {
	case "null", "blackhole", "discard", "dsc":
		return true
	}
	return strings.EqualFold(kind, "nu") && len(kind) < len(name)
}
