// Package rtnetlink reads the kernel's routes as some firewalls dump them, a line of pairs for each message, in which
// tables, types and protocols are the numbers of rtnetlink(7). It exists because on those boxes this is what forwards,
// whatever the routing table above it says.
package rtnetlink

import (
	"bytes"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "rtnetlink pairs"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "the kernel's routes, dumped as pairs with the numbers of rtnetlink",
	Sample: "tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->0.0.0.0/0 pref=0.0.0.0 gwy=172.28.61.1 " +
		"dev=5(line0)\n" +
		"tab=254 vf=0 scope=253 type=1 proto=2 prio=0 0.0.0.0/0.0.0.0/0->10.61.16.0/24 pref=10.61.16.1 gwy=0.0.0.0 " +
		"dev=6(hall0)\n" +
		"tab=255 vf=0 scope=254 type=2 proto=2 prio=0 0.0.0.0/0.0.0.0/0->10.61.16.1/32 pref=10.61.16.1 gwy=0.0.0.0 " +
		"dev=6(hall0)\n"}

func isRow(line []byte) bool {
	return bytes.HasPrefix(line, []byte("tab=")) && bytes.Contains(line, []byte("->")) &&
		bytes.Contains(line, []byte("gwy="))
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if isRow(text[lo:hi]) {
			n += 2
		}
	}
	return n
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if err := row(&c, line, lo, hi); err != nil {
			if hi == len(text) && len(c.Facts.Tables) > 0 {
				c.CutLast()
			}
			c.LeaveUnread(lo, hi, err)
			continue
		}
		c.Reading.Read++
	}
	for i := range c.Facts.Tables {
		c.Facts.Tables[i].ByRule = c.Facts.Tables[i].Name != "default"
	}
	return c.Reading
}

// types are the kinds of routes (RTN_*) that are no way on; 1 is one.
var types = map[string]route.Special{
	"1": route.None, "2": route.Receive, "3": route.Broadcast, "4": route.Receive, "5": route.Multicast,
	"6": route.Blackhole, "7": route.Unreachable, "8": route.Prohibit,
}

// protocols are the sources of routes (RTPROT_*) that say more than that a program added them.
var protocols = map[string]route.Protocol{"2": route.Kernel, "4": route.Static, "16": route.DHCP, "42": route.Babel,
	"186": route.BGP, "187": route.ISIS, "188": route.OSPF, "189": route.RIP, "192": route.EIGRP}

// row reads one line.
func row(c *layout.Collector, line []byte, lo, hi int) error {
	if !isRow(line) {
		return layout.ErrNotARoute
	}
	var p netip.Prefix
	var a layout.Attributes
	var hops []route.NextHop
	one := map[string]string{}
	for w := range strings.FieldsSeq(string(line)) {
		if from, to, ok := strings.Cut(w, "->"); ok {
			if !strings.HasPrefix(from, "0.0.0.0/") || !strings.HasSuffix(from, "/0") {
				return fmt.Errorf("%w: it is for packets from %s alone", layout.ErrNotARoute, from)
			}
			var err error
			if p, err = layout.Prefix([]byte(to), false); err != nil {
				return err
			}
			continue
		}
		k, v, ok := strings.Cut(w, "=")
		if !ok {
			return layout.ErrNotARoute
		}
		switch k {
		case "gwy":
			gw, ok := layout.Addr([]byte(v))
			if !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, v)
			}
			if gw.IsUnspecified() {
				gw = netip.Addr{}
			}
			hops = append(hops, route.NextHop{Address: gw})
		case "dev", "oif":
			_, dev, ok := strings.Cut(strings.TrimSuffix(v, ")"), "(")
			if !ok || dev == "" && v != "0()" || len(hops) == 0 {
				return fmt.Errorf("%w: no interface in %q", layout.ErrNotARoute, w)
			}
			hops[len(hops)-1].Interface = dev
		case "vf", "scope", "type", "proto", "prio":
			if _, ok := layout.Uint([]byte(v)); !ok {
				return fmt.Errorf("%w: %q", layout.ErrNumber, w)
			}
			one[k] = v
		default:
			one[k] = v
		}
	}
	table, err := tableName(one)
	if err != nil {
		return err
	}
	sp, known := types[one["type"]]
	if !known || !p.IsValid() || len(hops) == 0 {
		return layout.ErrNotARoute
	}
	if sp == route.None && slices.ContainsFunc(hops, func(h route.NextHop) bool { return h.Interface == "" }) {
		return fmt.Errorf("%w: no interface", layout.ErrNotARoute)
	}
	a.Special, a.Protocol = sp, protocols[one["proto"]]
	metric, ok := layout.Uint([]byte(one["prio"]))
	if !ok {
		return layout.ErrNotARoute
	}
	a.Metric = route.N(metric)
	switch {
	case sp == route.Receive:
		a.Protocol = route.Local
	case sp == route.None && a.Protocol == route.Kernel && !hops[0].Address.IsValid():
		a.Protocol = route.Direct
	}
	if sp == route.None || sp == route.Receive {
		a.NextHops = hops
	}
	m := layout.Mark(lo, hi)
	if own, ok := layout.Addr([]byte(one["pref"])); ok && a.Protocol == route.Direct && p.Contains(own) &&
		own != p.Addr() {
		c.Facts.Addresses = append(c.Facts.Addresses,
			network.Address{Prefix: netip.PrefixFrom(own, p.Bits()), Interface: hops[0].Interface, Mark: m})
	}
	c.Add(table, network.ForwardingTable, a.Route(p, 0, m), 0)
	return nil
}

// tableName is that of a row's table: the kernel's main one and the one of its own addresses are the default table.
func tableName(pairs map[string]string) (string, error) {
	if _, ok := layout.Uint([]byte(pairs["tab"])); !ok {
		return "", fmt.Errorf("%w: table %q", layout.ErrNumber, pairs["tab"])
	}
	if vf := pairs["vf"]; vf != "" && vf != "0" {
		return vf, nil
	}
	if t := pairs["tab"]; t != "254" && t != "255" {
		return t, nil
	}
	return "default", nil
}
