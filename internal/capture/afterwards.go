package capture

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A table in a log is what the device had when it was shown. What somebody typed below it, and what the device itself
// told below it of its links and neighbours, may have changed it: nobody knows then what the device does, until the
// table is shown again.

// tellsOfMove matches a log message of a link or neighbour that came or went.
var tellsOfMove = lazyregexp.New(`(?i)changed state to|-ADJ|(?:ADJ|NBR|NEIGHBOU?R)_?CHA?NG|\blink (?:is )?(?:up` +
	`|down)\b|from \w+ to (?:down|full|idle|established|init)\b`)

// alters are commands that change what a device does with packets, in the words of shells and of devices.
var alters = lazyregexp.New(`(?i)^(?:sudo |do |run )?(?:\S*/)?(?:` + strings.Join([]string{
	`ip (?:-\S+ |netns exec \S+ (?:\S*/)?ip )*(?:-\S+ )*(?:ro?u?t?e?|ru?l?e?|a(?:d?d?r?|ddress)|li?n?k?|ne?i?g?h?` +
		`|nexthop|tunnel|tun|xfrm|vrf) (?:add|del|delete|replace|change|append|prepend|flush|set|restore)\b`,
	`route (?:-\S+ )*(?:add|del|delete|change|flush)\b`,
	`ifconfig \S+ [^|]`, `if(?:up|down) `, `dhclient\b`, `netplan (?:apply|try)`, `nmcli .*\b(?:up|down|add|delete` +
		`|modify|reload|connect|disconnect)\b`,
	`(?:systemctl|rc-service|service) .*\b(?:start|stop|restart|reload)\b`,
	`sysctl (?:\S+ )*(?:-w|[\w./-]+\s?=)`, `echo .*> ?/proc/sys/net`,
	`birdc? .*\b(?:configure|enable|disable|restart|reload)\b`, `vtysh .*-c ['"]?conf`,
	`(?:ip6?tables|ebtables)(?:-restore\b| .*(?-i:-[AIDFPRXN]\b))`, `nft (?:-\S+ )*(?:add|insert|delete|flush` +
		`|replace|create)\b`, `nft (?:\S+ )*-f`,
	`pfctl .*(?-i:-[fdeF]\b)`, `ufw (?:allow|deny|reject|limit|enable|disable|reload|delete|insert|route|default)`,
	`firewall-cmd .*--(?:add|remove|reload|set|change)`,
	`(?:New|Remove|Set)-NetRoute\b`, `netsh .*\b(?:add|delete|set|reset)\b`,
	`reload\b`, `reboot\b`, `request system (?:reboot|halt|power)`, `clear (?:ip|ipv6|bgp|ospf|ospf3|isis|rip|arp` +
		`|route|routes|routing|neighbors?|nat|xlate|conn|session)\b`,
	`reset (?:ip|ipv6|bgp|ospf|isis|rip|arp)\b`, `commit(?: [^c]|$)`, `rollback\b`, `configure replace\b`,
	`(?:de)?activate \S`,
	`(?:set|delete|unset|edit) (?:routing|route|router|routes|protocols|interfaces?|ip|ipv6|network|security` +
		`|firewall|policy|policy-options|vrf|static-route|system (?:interface|settings)|vsys|virtual-router)\b`,
	`/?(?:ip|ipv6|routing|interface)[ /].*\b(?:add|remove|set|enable|disable)\b`,
}, "|") + `)`)

// configuring matches the prompt of a mode in which a configuration is changed.
var configuring = lazyregexp.New(`^\S*\((?:conf|cfg|config)[^()]*\)|^\[[~*]?[A-Za-z][^\]@\s]*\]`)

// harmless are lines typed in such a mode that change nothing of what becomes of packets.
var harmless = lazyregexp.New(`(?i)^(?:(?:do |run )?(?:show|sh|display|dis|ping|traceroute|tracert|wr|write|copy` +
	`|save|dir|terminal|term|more|who|help)\b|(?:end|ex|exit|q|quit|return|top|up|abort|commit check` +
	`|conf(?:ig(?:ure)?)? ?t?(?:erm(?:inal)?)?)$|[!#?]|` +
	`(?:interface|int|description|desc|name|hostname|sysname|logging|log|info-center|username|local-user` +
	`|user-interface|line|banner|header|snmp\S*|ntp\S*|clock|alias|login|password|aaa|tacacs\S*|radius\S*|router)\b)`)

// ofRoute matches a statement about one route.
var ofRoute = lazyregexp.New(`(?i)\b(?:route|route-static|static-route|NetRoute)\b`)

// watches matches a command that shows changes as they come rather than a table.
var watches = lazyregexp.New(`(?i)^(?:sudo )?(?:timeout \S+ )?(?:\S*/)?(?:ip (?:-\S+ )*mo(?:n|ni|nit|nito` +
	`|nitor)?\b|rtmon\b|route (?:-n )?monitor\b)`)

// showsHistory matches a command that shows messages of before.
var showsHistory = lazyregexp.New(`(?i)\b(?:log|logs|logging|logbuffer|trapbuffer|syslog|messages|dmesg` +
	`|journalctl|events?|history)\b`)

var (
	aboutLink = lazyregexp.New(`(?i)\b(?:interface|nbr|neighbou?r|peer) (\S+?)[,:]?(?: |$)`)
	goesDown  = lazyregexp.New(`(?i)\b(?:to|is) (?:\w+ )?down\b|\bto idle\b`)
)

// subject is the link or neighbour that a message is about, "" where it is not understood.
func subject(line []byte) string {
	if m := aboutLink.FindSubmatch(line); m != nil {
		return string(m[1])
	}
	return ""
}

// An alteration is a line that may have changed tables that were shown before it.
type alteration struct {
	device, space string
	prefix        netip.Prefix // of the one route that it is about; invalid: all may be others
	host          netip.Addr   // named in place of a prefix (UnreadRow.Host)
	table         string       // of that route; "" is the main one
	anyone        bool         // it names no device: it is of the one whose table it stands in or below
	mark          route.Mark
}

// changedAfterwards leaves undecided what was shown before something that may have changed it, unless it was shown
// again after that.
func (c *Capture) changedAfterwards(commands []typed, file uint32) {
	of := map[string][]alteration{} // by device and space, those of anyone under ofAnyone
	add := func(u alteration) {
		u.mark.File = file
		key := u.device + "\x00" + u.space
		if u.anyone {
			key = ofAnyone
		}
		of[key] = append(of[key], u)
	}
	for _, t := range commands {
		low := strings.TrimSpace(t.command)
		if !alters.MatchString(low) && (harmless.MatchString(low) || !configuring.Match(c.Source.text[t.lo:t.hi])) {
			continue
		}
		u := alteration{device: t.device, space: commandSpace(low), mark: c.Source.original(layout.Mark(t.lo, t.hi))}
		if ofRoute.MatchString(low) {
			u.table = commandTable(strings.TrimPrefix(low, "no "))
			row := namedRow([]byte(low))
			u.prefix, u.host = row.Prefix, row.Host
		}
		add(u)
	}
	last := map[string]route.Mark{} // message of each link and neighbour among those of before
	for _, m := range c.Source.moves {
		if n, _ := slices.BinarySearchFunc(commands, m.Off, func(t typed, at uint32) int {
			return cmp.Compare(c.Source.original(layout.Mark(t.lo, t.hi)).Off, at)
		}); n > 0 && showsHistory.MatchString(commands[n-1].command) {
			last[subject(c.Source.Text(m))] = m
			continue
		}
		add(alteration{anyone: true, mark: m})
	}
	for _, m := range last {
		if goesDown.Match(c.Source.Text(m)) { // and did not come up again
			add(alteration{anyone: true, mark: m})
		}
	}
	for _, u := range c.watched() {
		add(u)
	}
	if len(of) == 0 {
		return
	}
	for key := range of {
		slices.SortStableFunc(of[key], func(a, b alteration) int { return cmp.Compare(a.mark.Off, b.mark.Off) })
	}
	shown := c.shown()
	for i := range c.Parts {
		p := &c.Parts[i]
		for k := range p.Facts.Tables {
			t := &p.Facts.Tables[k]
			again := shown[shownKey(p, t)]
			for _, key := range []string{p.Device + "\x00" + p.Space, ofAnyone} {
				all := of[key]
				n, _ := slices.BinarySearchFunc(all, p.Where.Off+1,
					func(u alteration, at uint32) int { return cmp.Compare(u.mark.Off, at) })
				switch {
				case n == len(all):
				case again <= p.Where.Off:
					t.Unread = append(t.Unread, alteredRows(t, all[n:])...)
				case all[n].mark.Off < again: // what came between is in the later one
					t.Superseded = true
				}
			}
		}
	}
}

// ofAnyone is where the alterations stand that name no device.
const ofAnyone = "\x01"

// shown returns where each table was shown whole for the last time.
func (c *Capture) shown() map[string]uint32 {
	out := map[string]uint32{}
	for i := range c.Parts {
		p := &c.Parts[i]
		for k := range p.Facts.Tables {
			if t := &p.Facts.Tables[k]; !t.Filtered.Known() {
				out[shownKey(p, t)] = max(out[shownKey(p, t)], p.Where.Off)
			}
		}
	}
	return out
}

func shownKey(p *Part, t *network.TableFacts) string {
	return fmt.Sprint(p.Device, "\x00", p.Space, "\x00", t.Name, t.Family, t.Kind)
}

// mostAlterations is after how many all of a table is undecided, whatever they are about.
const mostAlterations = 1000

// alteredRows are the rows that alterations leave undecided in a table: all of it by the first that may have
// changed all, else the prefixes of those that are about one route.
func alteredRows(t *network.TableFacts, alterations []alteration) (rows []network.UnreadRow) {
	hops := nextHops(&t.Routes)
	for i, u := range alterations {
		if u.prefix.IsValid() && (route.FamilyOf(u.prefix.Addr()) != t.Family || u.table != "" && u.table != t.Name) {
			continue
		}
		// routes that it does not name may change with it
		if !u.prefix.IsValid() || i >= mostAlterations || anyWithin(hops, u.prefix) {
			return []network.UnreadRow{{Prefix: t.Family.Default(), Any: true, Changed: true, Mark: u.mark}}
		}
		rows = append(rows, network.UnreadRow{Prefix: u.prefix, Host: u.host, Changed: true, Mark: u.mark})
	}
	return rows
}

// nextHops returns the next hops of a table in order.
func nextHops(l *route.List) (out []netip.Addr) {
	for i := range l.Len() {
		for _, h := range l.At(i).NextHops {
			if h.Address.IsValid() && (len(out) == 0 || out[len(out)-1] != h.Address) {
				out = append(out, h.Address)
			}
		}
	}
	slices.SortFunc(out, netip.Addr.Compare)
	return slices.Compact(out)
}

// anyWithin reports whether one of some addresses in order lies in a prefix.
func anyWithin(in []netip.Addr, p netip.Prefix) bool {
	i, _ := slices.BinarySearchFunc(in, p.Masked().Addr(), netip.Addr.Compare)
	return i < len(in) && p.Contains(in[i])
}

var errWatched = errors.New("it tells of a change as it came, not of what a table holds")

// deleted begins a line of a route that went while somebody watched.
var deleted = []byte("Deleted ")

// watched returns the routes that came and went while somebody watched, and takes them out of what was read: what is
// shown then is no table. A route that is said to be deleted stands among them anywhere else too.
func (c *Capture) watched() (out []alteration) {
	for i := range c.Parts {
		p := &c.Parts[i]
		watching := watches.MatchString(p.Command)
		tell := func(m route.Mark, row network.UnreadRow) {
			out = append(out, alteration{device: p.Device, space: p.Space, prefix: row.Prefix, host: row.Host, mark: m})
		}
		for _, u := range p.Unread {
			if line := c.Source.Text(u.Mark); watching || bytes.HasPrefix(line, deleted) {
				tell(u.Mark, namedRow(line))
			}
		}
		if !watching {
			continue
		}
		for m := range p.FactMarks() {
			if n := len(p.Unread); n > 0 && p.Unread[n-1].Mark == m {
				continue // another fact of the same line
			}
			tell(m, namedRow(c.Source.Text(m)))
			p.Unread = append(p.Unread, layout.Unread{Mark: m, Reason: errWatched})
		}
		p.Facts, p.Read = network.Facts{}, 0
	}
	return out
}
