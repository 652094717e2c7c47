// Package lists reads what devices list beside their routes under column names: their interfaces with address and
// state, and their neighbours' link-layer addresses (ARP, RFC 826, and neighbour discovery, RFC 4861). It exists
// because these tell who owns a next hop, which no routing table does.
//
// Such lists are aligned left: a cell begins under its column's name.
package lists

import (
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

const name = "lists"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "interfaces with addresses and state, and neighbours, under column names",
	Sample: "Interface        IP-Address      OK? Method Status   Protocol\n" +
		"hall16           10.61.16.1      YES manual up       up\n" +
		"cable0           172.28.61.5     YES manual down     down\n"}

// kind is what a column holds.
type kind uint8

const (
	ignored kind = iota
	ifname
	address
	mask
	state
	mac
)

// names are the column names, in lower case, without dots and hyphens.
var names = map[string]kind{
	"interface": ifname, "iface": ifname, "intf": ifname, "port": ifname, "interface name": ifname, "logical interface": ifname, "if": ifname,
	"ipaddress": address, "ip address": address, "address": address, "ipv4 address": address, "ipv6 address": address, "internet address": address,
	"ip addr": address, "ip address/mask": address, "ip address/masklen": address, "primary ip": address, "neighbor": address, "ipv6 address/mask": address,
	"subnet mask": mask, "netmask": mask, "network mask": mask, "ip mask": mask, "mask": mask,
	"status": state, "state": state, "protocol": state, "line protocol": state, "physical": state, "link": state, "admin": state, "oper": state,
	"admin status": state, "link status": state, "oper status": state, "link state": state, "link/protocol": state,
	"hardware addr": mac, "hardware address": mac, "mac address": mac, "mac addr": mac, "hwaddress": mac, "mac": mac, "physical address": mac, "linklayer addr": mac,
	"linklayer address": mac, "ethernet address": mac,
	"ok?": ignored, "method": ignored, "age": ignored, "age (min)": ignored, "age(min)": ignored, "type": ignored, "flags": ignored, "hwtype": ignored, "vpn": ignored, "vlan": ignored,
	"description": ignored, "mtu": ignored, "vrf": ignored, "ttl": ignored, "expire": ignored, "expires": ignored, "expires in": ignored, "vlan/vsi name": ignored, "aging": ignored,
	"no": ignored, "num": ignored, "#": ignored, "vrf name": ignored, "vpn instance": ignored, "linklayer": ignored, "speed": ignored, "duplex": ignored, "host name": ignored,
	"name": ignored, "local": address, "remote": ignored, "proto": ignored, "interval": ignored, "netif": ifname, "neighbour": address, "s": ignored,
}

type column struct {
	kind kind
	lo   int
}

// heading reads a line as column names: an address must be among them, and an interface or a link-layer address; or an interface and
// its state.
func heading(line string) ([]column, bool) {
	if len(line) > 300 {
		return nil, false
	}
	fold := func(s string) string { return strings.NewReplacer(".", "", "-", "").Replace(strings.ToLower(s)) }
	var cols []column
	var has [mac + 1]int
	for at := 0; at < len(line); {
		lo, hi := layout.Field([]byte(line), at)
		if lo == hi {
			break
		}
		end := hi // a name may have up to three words with one blank between them
		k, ok := names[fold(line[lo:hi])]
		for n, next := 0, hi; n < 2 && next < len(line) && line[next] == ' ' && next+1 < len(line) && line[next+1] != ' '; n++ {
			_, next = layout.Field([]byte(line), next)
			if longer, found := names[fold(line[lo:next])]; found {
				k, ok, end = longer, true, next
			}
		}
		if !ok {
			return nil, false
		}
		cols = append(cols, column{k, lo})
		has[k]++
		at = end
	}
	if len(cols) >= 4 && has[address] == 0 && has[ifname] == 1 && cols[0].kind == ifname && has[state] > 0 {
		return cols, true
	}
	return cols, len(cols) >= 3 && has[address] > 0 && (has[mac] > 0 || has[ifname] > 0 && has[state]+has[mask] > 0)
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if _, ok := heading(string(text[lo:min(hi, lo+400)])); ok {
			n += 4
		}
	}
	return n
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = name
	var cols []column
	for lo, hi := range layout.Lines(text) {
		line := strings.TrimRight(string(text[lo:hi]), " \t\r")
		if strings.TrimSpace(line) == "" {
			continue
		}
		if found, ok := heading(line); ok {
			cols = found
			c.Pass(lo, hi, layout.Names)
			continue
		}
		if cols == nil || strings.Trim(line, "-=+ |") == "" {
			if strings.Trim(line, "-=+ |") == "" {
				c.Pass(lo, hi, layout.Ruler)
			} else {
				c.LeaveUnread(lo, hi, layout.ErrNotARoute)
			}
			continue
		}
		if strings.HasPrefix(strings.ToLower(line), "total") {
			c.Pass(lo, hi, layout.Count)
			continue
		}
		if err := row(&c, cols, line, lo, hi); err != nil {
			c.LeaveUnread(lo, hi, err)
			continue
		}
		c.Read++
	}
	return c.Reading
}

// cells gives each word to the last column that begins at or before it.
func cells(cols []column, line string) [mac + 1][]string {
	var out [mac + 1][]string
	for lo, hi := layout.Field([]byte(line), 0); lo < hi; lo, hi = layout.Field([]byte(line), hi) {
		at := 0
		for i, c := range cols {
			if c.lo <= lo {
				at = i
			}
		}
		out[cols[at].kind] = append(out[cols[at].kind], line[lo:hi])
	}
	return out
}

func row(c *layout.Collector, cols []column, line string, lo, hi int) error {
	cell := cells(cols, line)
	m := layout.Mark(lo, hi)
	dev := strings.Join(cell[ifname], " ")
	isNeighbour := false
	for _, col := range cols {
		isNeighbour = isNeighbour || col.kind == mac
	}
	text := strings.Join(cell[address], " ")
	if isNeighbour {
		a, ok := layout.Addr([]byte(strings.Trim(text, "()")))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrAddress, text)
		}
		n := network.Neighbour{Address: a.WithZone(""), Interface: dev, Mark: m}
		if hw, ok := hardware(strings.Join(cell[mac], "")); ok {
			n.MAC, n.State = hw, network.NeighbourAlive
		}
		c.Facts.Neighbours = append(c.Facts.Neighbours, n)
		return nil
	}
	if n := len(c.Facts.Interfaces); dev == "" && text != "" && n > 0 { // a further address of the interface above
		dev = c.Facts.Interfaces[n-1].Name
	}
	if dev == "" {
		return layout.ErrNotARoute
	}
	i := network.Interface{Name: dev, State: linkState(cell[state]), Mark: m}
	if !slices.ContainsFunc(cols, func(c column) bool { return c.kind == address }) && (i.State == network.LinkUnknown || len(cell[ifname]) != 1) {
		return layout.ErrNotARoute
	}
	switch strings.ToLower(text) {
	case "", "unassigned", "unnumbered", "-", "--", "none", "n/a", "not", "not assigned", "0.0.0.0":
		c.Facts.Interfaces = append(c.Facts.Interfaces, i)
		return nil
	}
	if mk := strings.Join(cell[mask], ""); mk != "" && !strings.Contains(text, "/") {
		text += "/" + mk
	}
	p, err := layout.Prefix([]byte(strings.ReplaceAll(text, " ", "/")), true)
	if err != nil {
		return err
	}
	if len(cell[ifname]) > 0 {
		c.Facts.Interfaces = append(c.Facts.Interfaces, i)
	}
	c.Facts.Addresses = append(c.Facts.Addresses, network.Address{Prefix: p, Interface: dev, Mark: m})
	return nil
}

// linkState is down where any word of the state columns says so, up where one says that.
func linkState(words []string) network.LinkState {
	s := network.LinkUnknown
	for _, w := range words {
		low := strings.ToLower(strings.Trim(w, "*()^"))
		switch {
		case strings.Contains(low, "down"), strings.HasSuffix(low, "disabled"), low == "notpresent", strings.HasPrefix(low, "notconnec"), low == "nolink",
			strings.HasPrefix(low, "xcvrabs"), strings.HasPrefix(low, "sfpabs"):
			return network.LinkDown
		case strings.HasPrefix(low, "up"), low == "connected":
			s = network.LinkUp
		}
	}
	return s
}

// hardware reads a link-layer address in any of the usual forms and writes it with colons; false for "incomplete".
func hardware(s string) (string, bool) {
	hex := strings.NewReplacer(":", "", "-", "", ".", "").Replace(strings.ToLower(s))
	if len(hex) != 12 || strings.Trim(hex, "0123456789abcdef") != "" {
		return "", false
	}
	parts := make([]string, 6)
	for i := range parts {
		parts[i] = hex[2*i : 2*i+2]
	}
	return strings.Join(parts, ":"), true
}
