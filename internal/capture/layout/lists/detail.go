package lists

import (
	"cmp"
	"net/netip"
	"regexp"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const detailName = "interface details"

// Detail is the registration of the form with a paragraph for each interface.
var Detail = layout.Reader{Name: detailName, Recognise: recogniseDetail, Read: ReadDetail,
	About: "a paragraph for each interface: state, addresses, link-layer address",
	Sample: "hall16 is up, line protocol is up\n" +
		"  Hardware is Cable, address is 0200.6b6a.0016\n" +
		"  Internet address is 10.61.16.1/24\n"}

var (
	// Interface hall16 is up, line protocol is up
	stateLine = regexp.MustCompile(
		`^(?:Interface )?(\S+)(?: current state :| is) ((?:administratively )?(?:up|down)|UP|DOWN` +
			`|Administratively DOWN)(?:, line protocol is (up|down))?`,
	)
	// Interface E0/0 "hall", is up, line protocol is up: routes call it by the name in quotes
	namedLine = regexp.MustCompile(
		`^Interface (\S+) "([\w.-]*)", is ((?:administratively )?(?:up|down))(?:, line protocol is (up|down))?`,
	)
	// IP address 172.28.61.2, subnet mask 255.255.255.252
	maskedLine = regexp.MustCompile(`^\s+IP address ([0-9.]+), subnet mask ([0-9.]+)\s*$`)
	// Internet address is 172.28.61.2/30; inet 10.61.16.1/24; Internet Address is 10.61.16.1/24 Primary
	addressLine = regexp.MustCompile(
		`^\s+(?:[Ii]nternet [Aa]ddress is|IP address is|inet6?|IPv6 address is` +
			`|[Ss]econdary address) ([0-9A-Fa-f:.]+(?:/\d+)?)(?:[ ,]|$)`,
	)
	// hall16     [up/down], and below it addresses alone
	bracketLine = regexp.MustCompile(`(?i)^(\S+(?: \d\S*)?)\s+\[((?:administratively )?(?:up|down)|shutdown)/(up` +
		`|down)\]\s*$`)
	bareLine   = regexp.MustCompile(`^\s+([0-9A-Fa-f.:]+(?:/\d+)?)(?:\s+\[\w+\])?\s*$`)
	hardwareOf = regexp.MustCompile(
		`(?i)(?:address is|HWaddr:?|hardware address is|ether) ((?:[0-9a-f]{4}[.-]){2}[0-9a-f]{4}` +
			`|(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2})`,
	)
)

// What the paragraph says is applied to the interface: Inbound access list is FROM-UP; IP verify source reachable-via
// RX.
var (
	listLine   = regexp.MustCompile(`^\s+(Inbound|Outgoing|Outbound)\s+(?:Common\s+)?access[ -]list is (\S+)\s*$`)
	verifyLine = regexp.MustCompile(`(?i)^\s+IP(v6)? verify source reachable-via (RX|ANY)\b`)
	policyLine = regexp.MustCompile(`(?i)^\s+(?:policy routing is enabled|network address translation is enabled)\b`)
	sixLine    = regexp.MustCompile(`^\s+IPv6 is enabled\b`)
)

// applied keeps what a line says is applied to an interface; false where it says nothing of that. A list is known by
// its name, wherever in the captures its rules stand.
func applied(c *layout.Collector, line, dev string, six bool, lo, hi int) bool {
	fam := route.IPv4
	if six {
		fam = route.IPv6
	}
	if f := listLine.FindStringSubmatch(line); f != nil && f[2] != "not" {
		rule := network.FlowRule{Family: fam, Hook: network.ComingIn, In: dev, Stateless: true,
			Mark: layout.Mark(lo, hi)}
		if f[1] != "Inbound" {
			rule.Hook, rule.In, rule.Out = network.GoingOut, "", dev
		}
		c.Facts.Applied = append(c.Facts.Applied, network.AppliedFilter{List: f[2], Rule: rule})
		return true
	}
	if f := verifyLine.FindStringSubmatch(line); f != nil {
		check := network.SourceCheck{Family: fam, Interface: dev, Mode: network.CheckStrict, Mark: layout.Mark(lo, hi)}
		if strings.EqualFold(f[2], "any") {
			check.Mode = network.CheckLoose
		}
		if f[1] != "" {
			check.Family = route.IPv6
		}
		c.Facts.Checks = append(c.Facts.Checks, check)
		return true
	}
	if policyLine.MatchString(line) {
		if strings.Contains(strings.ToLower(line), "translation") { // what is for the device itself may be for another
			c.Restrict(network.FlowRule{Family: fam, In: dev}, lo, hi)
		} else {
			c.RestrictForwarded(network.FlowRule{Family: fam, In: dev}, lo, hi)
		}
		c.RestrictForwarded(network.FlowRule{Family: fam, Out: dev}, lo, hi)
		return true
	}
	return false
}

var (
	// Interface eth1, and below it "state on", "link-state link up", "ipv4-address 10.61.16.1/24"
	bareName  = regexp.MustCompile(`^Interface (\S+)\s*$`)
	switched  = regexp.MustCompile(`^\s+(?:state (on|off)|link-state (.+?))\s*$`)
	valueLine = regexp.MustCompile(`^\s+ipv[46]-address ([0-9A-Fa-f:.]+/\d+)\s*$`)
)

func recogniseDetail(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := text[lo:min(hi, lo+300)]; len(line) > 0 && line[0] != ' ' &&
			(stateLine.Match(line) || namedLine.Match(line) || bracketLine.Match(line) || bareName.Match(line)) {
			n += 4
		}
	}
	return n
}

// ReadDetail reads a text of this form. The other lines of a paragraph say nothing about where packets go.
func ReadDetail(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = detailName
	six, bare := false, false
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		m := layout.Mark(lo, hi)
		n := len(c.Facts.Interfaces)
		switch {
		case line[0] != ' ' && line[0] != '\t':
			found := stateLine.FindStringSubmatch(line[:min(len(line), 300)])
			if found == nil {
				if q := namedLine.FindStringSubmatch(line[:min(len(line), 300)]); q != nil {
					found = []string{q[0], cmp.Or(q[2], q[1]), q[3], q[4]}
				}
			}
			brackets := bracketLine.FindStringSubmatch(line[:min(len(line), 300)])
			if found == nil && n > 0 && outdented(&c, line[:min(len(line), 300)], m) {
				continue
			}
			if bare = found == nil && brackets != nil; bare {
				found = brackets
			}
			if found == nil {
				if found = bareName.FindStringSubmatch(line[:min(len(line), 300)]); found != nil {
					found = append(found, "", "")
				}
			}
			if found == nil {
				c.LeaveUnread(lo, hi, layout.ErrNotARoute)
				continue
			}
			six = false
			c.Facts.Interfaces = append(
				c.Facts.Interfaces,
				network.Interface{Name: found[1], State: stateOf([]string{found[2], found[3]}), Mark: m,
					Off: switchedOff(found[2])},
			)
			c.Read++
		case n == 0:
			c.LeaveUnread(lo, hi, layout.ErrNoRoute)
		default:
			dev := c.Facts.Interfaces[n-1].Name
			addressed := addressLine
			if bare {
				addressed = bareLine
			}
			if found := switched.FindStringSubmatch(line[:min(len(line), 300)]); found != nil {
				setState(&c.Facts.Interfaces[n-1], found[1], found[2])
				c.Pass(lo, hi, layout.Part)
				continue
			}
			found := addressed.FindStringSubmatch(line[:min(len(line), 300)])
			if found == nil {
				found = valueLine.FindStringSubmatch(line[:min(len(line), 300)])
			}
			if found == nil {
				if found = maskedLine.FindStringSubmatch(line[:min(len(line), 300)]); found != nil {
					found[1] += "/" + found[2]
				}
			}
			if found != nil {
				p, err := layout.Prefix([]byte(found[1]), true)
				if err != nil {
					c.LeaveUnread(lo, hi, err)
					continue
				}
				c.Facts.Addresses = append(
					c.Facts.Addresses,
					network.Address{Prefix: netip.PrefixFrom(p.Addr(), p.Bits()), Interface: dev, Mark: m},
				)
				c.Read++
				continue
			}
			six = six || sixLine.MatchString(line)
			if applied(&c, line[:min(len(line), 300)], dev, six, lo, hi) {
				c.Read++
				continue
			}
			if found := hardwareOf.FindStringSubmatch(line[:min(len(line), 300)]); found != nil &&
				c.Facts.Interfaces[n-1].MAC == "" {
				c.Facts.Interfaces[n-1].MAC, _ = layout.Hardware(found[1])
			}
			c.Pass(lo, hi, layout.Other)
		}
	}
	return c.Reading
}

var (
	// Line protocol current state : DOWN
	protocolLine = regexp.MustCompile(`^Line protocol current state ?: ?(UP|DOWN)\b`)
	// Internet Address is 10.61.16.1/24, where paragraphs are not indented
	outAddress = regexp.MustCompile(`^Internet [Aa]ddress is ([0-9.]+/\d+)`)
	// names with values, sentences, of which none is an interface's heading
	outOther = regexp.MustCompile(`^(?:admin state is |Description ?:|Route Port,|IP Sending Frames|The Maximum ` +
		`|Switch Port|Last |Current |Media type|Port Mode|Speed |Input|Output|Physical is )`)
)

// outdented reads a line of a paragraph whose lines are not indented; false where it may begin another one.
func outdented(c *layout.Collector, line string, m mark) bool {
	i := &c.Facts.Interfaces[len(c.Facts.Interfaces)-1]
	if f := protocolLine.FindStringSubmatch(line); f != nil {
		if f[1] == "DOWN" {
			i.State = network.LinkDown
		}
		c.Passed = append(c.Passed, layout.Passed{Mark: m, As: layout.Part})
		return true
	}
	if f := outAddress.FindStringSubmatch(line); f != nil {
		p, err := layout.Prefix([]byte(f[1]), true)
		if err != nil {
			return false
		}
		c.Facts.Addresses = append(c.Facts.Addresses, network.Address{Prefix: p, Interface: i.Name, Mark: m})
		c.Read++
		return true
	}
	if !outOther.MatchString(line) {
		return false
	}
	if f := hardwareOf.FindStringSubmatch(line); f != nil && i.MAC == "" {
		i.MAC, _ = layout.Hardware(f[1])
	}
	c.Passed = append(c.Passed, layout.Passed{Mark: m, As: layout.Other})
	return true
}

// setState takes what stands below the name of an interface: whether it was switched on, and whether its link is up.
func setState(i *network.Interface, admin, link string) {
	switch {
	case admin == "off":
		i.State, i.Off = network.LinkDown, true
	case link != "" && !strings.HasSuffix(link, "up"):
		i.State = network.LinkDown
	case link != "" && i.State != network.LinkDown:
		i.State = network.LinkUp
	}
}
