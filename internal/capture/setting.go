package capture

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/sysctl"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// A kernel answers some questions with a value alone: what it is the value of stands in the command.

var (
	// asksSettings matches a command that prints settings of the kernel without their names, and takes these.
	asksSettings = lazyregexp.New(`^(?:sudo )?(?:\S*/)?(?:(?:cat|head|more)(?: -\S+)*` +
		`|sysctl(?: -\S+)* -\w*n\w*)((?: +(?:/proc/sys/)?net[./][\w./-]+)+) *$`)
	// asksLink matches a command that tells whether an interface has a carrier.
	asksLink = lazyregexp.New(`^(?:sudo )?(?:\S*/)?(?:ethtool ([\w.@-]+)(?: *\|.*)?` +
		`|cat /sys/class/net/([\w.@-]+)/(?:operstate|carrier)) *$`)
	// carrier is an answer to that.
	carrier = lazyregexp.New(`^\s*(?:Link detected: (yes|no)|(up|down|0|1))\s*$`)
)

// readValues reads the answer to a command that asks the kernel for settings or carriers, where no reader knew it.
func (p *Part) readValues(src *Source) {
	if m := asksSettings.FindStringSubmatch(p.Command); m != nil {
		p.readSettings(src, strings.Fields(m[1]))
	}
	if m := asksLink.FindStringSubmatch(p.Command); m != nil {
		p.readCarrier(src, m[1]+m[2])
	}
}

// readSettings gives each of as many lines as there are settings the name of its own.
func (p *Part) readSettings(src *Source, names []string) {
	if len(names) != len(p.Unread) {
		return
	}
	for i, u := range p.Unread {
		value := strings.TrimSpace(string(src.Text(u.Mark)))
		name := names[i]
		if strings.HasPrefix(name, "net/") {
			name = "/proc/sys/" + name
		}
		r := sysctl.Read([]byte(name + " = " + value))
		if len(r.Unread) > 0 {
			return
		}
		for k := range r.Facts.Forwarding {
			r.Facts.Forwarding[k].Mark = u.Mark
		}
		for k := range r.Facts.Checks {
			r.Facts.Checks[k].Mark = u.Mark
		}
		p.Facts.Forwarding = append(p.Facts.Forwarding, r.Facts.Forwarding...)
		p.Facts.Checks = append(p.Facts.Checks, r.Facts.Checks...)
		p.Read += r.Read
		for _, x := range r.Passed {
			p.Passed = append(p.Passed, layout.Passed{Mark: u.Mark, As: x.As})
		}
	}
	p.Unread, p.Layout, p.Score = nil, sysctl.Reader.Name, 1
}

// readCarrier takes an unread line for an interface's carrier where the command before it asked for that one.
func (p *Part) readCarrier(src *Source, ifname string) {
	for i, u := range p.Unread {
		m := carrier.FindStringSubmatch(string(src.Text(u.Mark)))
		if m == nil {
			continue
		}
		state := network.LinkUp
		if v := m[1] + m[2]; v == "no" || v == "down" || v == "0" {
			state = network.LinkDown
		}
		p.Facts.Interfaces = append(p.Facts.Interfaces, network.Interface{Name: ifname, State: state, Mark: u.Mark})
		p.Read++
		p.Unread = append(p.Unread[:i:i], p.Unread[i+1:]...)
		if p.Layout == "" {
			p.Layout, p.Score = "carrier", 1
		}
		return
	}
}
