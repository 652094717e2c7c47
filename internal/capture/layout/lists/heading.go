package lists

import (
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
)

// kind is what a column holds.
type kind uint8

const (
	ignored kind = iota
	ifname
	address
	mask
	state
	mac
	marks    // letters of a key
	forwards // whether it forwards
	instance
)

// names are the column names, in lower case, without dots and hyphens.
var names = map[string]kind{
	"interface": ifname, "iface": ifname, "intf": ifname, "port": ifname, "interface name": ifname,
	"logical interface": ifname, "if": ifname, "interface/link id": ifname,
	"interfacename": ifname, "netif": ifname,
	"ipaddress": address, "ip address": address, "address": address, "ipv4 address": address, "ipv6 address": address,
	"internet address": address, "ipv6 address/linklocal address": address,
	"ip addr": address, "ip address/mask": address, "ip address/masklen": address, "primary ip": address,
	"neighbor": address, "ipv6 address/mask": address,
	"local": address, "neighbour": address, "protocol addr": address, "protocol address": address,
	"subnet mask": mask, "netmask": mask, "network mask": mask, "ip mask": mask, "mask": mask,
	"status": state, "state": state, "protocol": state, "line protocol": state, "physical": state, "link": state,
	"admin": state, "oper": state,
	"admin status": state, "link status": state, "oper status": state, "link state": state, "link/protocol": state,
	"interface status": state, "speed/duplex/state": state, "adm": state, "opr(v4/v6)": state, "opr": state,
	"admin state": state, "oper state": state, "protocol state": state,
	"hardware addr": mac, "hardware address": mac, "mac address": mac, "mac addr": mac, "hwaddress": mac, "mac": mac,
	"physical address": mac, "linklayer addr": mac, "link layer": mac,
	"linklayer address": mac, "ethernet address": mac, "hw address": mac, "hw addr": mac, "macaddress": mac,
	"vrf": instance, "vrf name": instance, "vrfname": instance, "vpn": instance, "vpn instance": instance,
	"vpninstance": instance, "forwarding": instance, "virtual router": instance, "virtual": instance,
	"forward": forwards, "ip forward": forwards, "ip forwarding": forwards, "device": ignored,
	"ok?": ignored, "method": ignored, "age": ignored, "age (min)": ignored, "age(min)": ignored, "type": ignored,
	"flags": marks, "hwtype": ignored, "vlan": ignored,
	"description": ignored, "mtu": ignored, "ttl": ignored, "expire": ignored, "expires": ignored,
	"expires in": ignored, "vlan/vsi name": ignored, "aging": ignored,
	"no": ignored, "num": ignored, "#": ignored, "linklayer": ignored, "speed": ignored, "duplex": ignored,
	"host name": ignored, "expire(m)": ignored, "expiry": ignored,
	"name": ignored, "remote": ignored, "proto": ignored, "interval": ignored, "s": ignored, "owner": ignored,
	"id": ignored, "vsys": ignored, "zone": ignored,
	"tag": ignored, "vid": ignored, "ports": ignored, "physical port": ignored, "mode": ignored, "port/sapid": ignored,
	"vsd": ignored, "age (sec)": ignored,
	"idx": ignored, "operational": state, "setup": ignored, "connection": ignored,
	"pfxstate": ignored, "1s": ignored, "5s": ignored, "st": ignored, "flgs": ignored, "prbs": ignored,
	"age(sec)":   ignored,
	"addr state": ignored, "addr source": ignored, "exp": ignored, "rtr": ignored, "secure": ignored, "t": ignored,
	"pref": ignored, "source": ignored, "advertise": ignored,
}

type column struct {
	kind   kind
	lo, hi int // bounds of the name
	name   string
}

// A form is a list's columns with what they are about.
type form struct {
	cols       []column
	neighbours bool // of others' addresses, not of the device's own
}

func (f *form) has(k kind) bool {
	return slices.ContainsFunc(f.cols, func(c column) bool { return c.kind == k })
}

// count returns how many columns of a kind there are.
func (f *form) count(k kind) (n int) {
	for _, c := range f.cols {
		if c.kind == k {
			n++
		}
	}
	return n
}

// unpointed takes out what column names are written with or without.
var unpointed = strings.NewReplacer(".", "", "-", "")

// columnNames reads a line of nothing but column names.
func columnNames(line string) ([]column, bool) {
	if len(line) > 300 {
		return nil, false
	}
	fold := func(s string) string { return unpointed.Replace(strings.ToLower(s)) }
	var cols []column
	for at := 0; at < len(line); {
		lo, hi := layout.Field([]byte(line), at)
		if lo == hi {
			break
		}
		end, name := hi, fold(line[lo:hi]) // a name may have up to three words with one blank between them
		k, ok := names[name]
		for n, next := 0, hi; n < 2 && next < len(line) && line[next] == ' ' && next+1 < len(line) &&
			line[next+1] != ' '; n++ {
			_, next = layout.Field([]byte(line), next)
			if longer, found := names[fold(line[lo:next])]; found {
				k, ok, end, name = longer, true, next, fold(line[lo:next])
			}
		}
		if !ok {
			return nil, false
		}
		cols = append(cols, column{k, lo, end, name})
		at = end
	}
	nameLinks(cols)
	return partedNames(cols), true
}

// partedNames makes two columns of the first one where "Interface" and "Status" stand side by side and no other column
// names the interface.
func partedNames(cols []column) []column {
	if len(cols) < 3 || cols[0].name != "interface status" ||
		slices.ContainsFunc(cols, func(c column) bool { return c.kind == ifname }) {
		return cols
	}
	at := cols[0].lo + len("interface")
	return slices.Concat([]column{{ifname, cols[0].lo, at, "interface"}, {state, at + 1, cols[0].hi, "status"}}, cols[1:])
}

// nameLinks finds the interface's name where a column has it that means something else in other lists: "link" beside
// "operational", "device" beside "connection".
func nameLinks(cols []column) {
	for _, pair := range [][2]string{{"link", "operational"}, {"device", "connection"}} {
		at := slices.IndexFunc(cols, func(c column) bool { return c.name == pair[0] })
		if at >= 0 && slices.ContainsFunc(cols, func(c column) bool { return c.name == pair[1] }) {
			cols[at].kind = ifname
		}
	}
}

// heading reads a line as column names: an address must be among them, and an interface or a link-layer address; or an
// interface and its state.
func heading(line string) (*form, bool) {
	cols, ok := columnNames(line)
	if !ok {
		return nil, false
	}
	f := &form{cols: cols}
	f.nameInterfaces()
	var has [instance + 1]int
	for _, c := range f.cols {
		has[c.kind]++
	}
	named := func(name string) bool {
		return slices.ContainsFunc(f.cols, func(c column) bool { return c.name == name })
	}
	zoned := named("zone") || named("vsd") || named("vid") && !named("link layer")
	f.neighbours = has[mac] > 0 && has[address] > 0 && !zoned
	inFront := len(cols) > 1 && (f.cols[0].kind == ifname || f.cols[0].name == "idx" && f.cols[1].kind == ifname)
	if (len(cols) >= 4 || has[state] > 1) && has[address] == 0 && has[ifname] == 1 && inFront && has[state] > 0 {
		return f, true
	}
	own := has[ifname] > 0 && (has[state]+has[mask] > 0 || zoned || has[instance] > 0)
	return f, len(cols) >= 3 && has[address] > 0 && (has[mac] > 0 || own)
}

// nameInterfaces settles which column names the interface as routes do: beside a column of that name no other one does,
// but a name of its own that stands before address and mask; and where there is none, a name in front is.
func (f *form) nameInterfaces() {
	at := slices.IndexFunc(f.cols, func(c column) bool { return c.kind == ifname && c.name != "port" })
	if at < 0 {
		at = slices.IndexFunc(f.cols, func(c column) bool { return c.kind == ifname })
	}
	if at < 0 && len(f.cols) > 0 && f.cols[0].name == "name" && (f.has(address) || f.has(mac) && f.has(state)) {
		f.cols[0].kind = ifname
		return
	}
	if at >= 0 && at+1 < len(f.cols) && f.cols[at+1].name == "name" && f.has(mask) {
		f.cols[at].kind, f.cols[at+1].kind = ignored, ifname
		at++
	}
	for i := range f.cols {
		if f.cols[i].kind == ifname && i != at {
			f.cols[i].kind = ignored
		}
	}
}

// fragment reports whether a line beside a heading holds the rest of its names: a few words of letters under or over
// them.
func fragment(line string) bool {
	w := strings.Fields(line)
	if len(w) == 0 || len(w) > 3 || line[0] != ' ' && line[0] != '\t' {
		return false
	}
	for _, x := range w {
		if strings.Trim(strings.ToLower(x), "abcdefghijklmnopqrstuvwxyz/()") != "" {
			return false
		}
	}
	return true
}
