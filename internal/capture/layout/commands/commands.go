// Package commands reads configurations that are a list of whole commands, each of which says all on its line: "set
// interface hall0 ip 10.61.16.1/24", "configure iproute add default 172.28.61.1". It exists because many firewalls and
// switches save theirs so, and a folder of captures often has nothing else of them.
//
// The forms are data (forms.go). What decides over packets is not read here: the first line of it restricts the device,
// so that nothing may be promised of packets that pass it.
package commands

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "commands"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "configurations of whole commands, a line each, with the interface, route or rule that it is about",
	Sample: "set interface hall0 ip 10.61.16.1/24\n" +
		"set static-route 10.61.32.0/24 nexthop gateway address 172.28.61.5 on\n" +
		"configure vlan yard ipaddress 10.61.80.1 255.255.255.0\n"}

// decisive matches a command about what may decide over packets; its group is what stands before the word that tells.
var decisive = lazyregexp.New(`(?i)^((?:nv )?(?:set|add|create|configure|enable|bind|policy` +
	`|ip) .*?)\b(?:polic(?:y|ies)|rulebase|acls?|access-list|access-group|firewall|ip-filter|filter|pbf|pbr|nat|mip` +
	`|vip|dip|zone-protection|screen)\b|^()policy (?:rule|condition|action)\b`)

// harmless matches what stands before such a word where it decides over nothing that passes.
var harmless = lazyregexp.New(`(?i)\b(?:password|snmp|ntp|ssh|telnet|syslog|log|dns|auth\S*|admin|user|radius` +
	`|tacacs\S*|certificate|export|import|route-?map|prefix-list|bgp|ospf|description|comment|igmp|pim)\b`)

func decides(line string) bool {
	m := decisive.FindStringSubmatch(line)
	return m != nil && !harmless.MatchString(m[1])
}

// recognise looks for a tree of words, or for single commands whose form is known.
func recognise(text []byte) int {
	n := 0
	if isTree(text) {
		for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
			if line := command(text[lo:hi]); bytes.HasSuffix(line, []byte{'{'}) || bytes.HasSuffix(line, []byte{';'}) {
				n += 2
			}
		}
		return n
	}
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := command(text[lo:hi]); len(line) < 400 && mayBe(line) && formOf(string(line)) != nil {
			n += 3
		}
	}
	return n
}

// command is a line without the blanks around it.
func command(line []byte) []byte { return bytes.TrimSpace(line) }

// mayBe is a cheap look at the first word.
func mayBe(line []byte) bool {
	for _, w := range [...]string{"set ", "nv set ", "configure ", "create ", "ip ", "unset ", "delete ", "enable ",
		"disable "} {
		if bytes.HasPrefix(line, []byte(w)) {
			return true
		}
	}
	return false
}

// reader is the state while one text is read.
type reader struct {
	layout.Collector
	named   []*namedRoute     // routes that several lines tell
	tables  map[string]string // of interfaces, where not the main one
	limits  bool              // a line restricts the device
	rules   rulebase
	tunnels tunnels
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{tables: map[string]string{}}
	r.Layout = name
	var braces *tree
	if isTree(text) {
		braces = &tree{}
	}
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		line := string(command(text[lo:min(hi, lo+4000)]))
		if braces != nil {
			if line = braces.line(line, layout.Mark(lo, hi)); line == "" {
				continue
			}
		}
		if rest, ok := strings.CutPrefix(line, "set "); ok && (braces != nil || inSystems(rest)) {
			w := r.rules.within(layout.QuotedWords(rest))
			line = "set " + joined(w)
		}
		f := formOf(line)
		switch {
		case f == nil && r.tunnels.line(line, layout.Mark(lo, hi)):
		case f == nil && r.rules.line(line, layout.Mark(lo, hi)):
		case f != nil:
			if err := f.take(&r, f.groups(line), layout.Mark(lo, hi)); err != nil {
				r.LeaveUnread(lo, hi, err)
			}
		case !r.limits && decides(line):
			r.limits = true
			r.Restrict(network.FlowRule{}, lo, hi)
		default:
			r.Pass(lo, hi, layout.Other)
		}
	}
	r.rules.finish(&r)
	r.Facts.Policy.Tunnels = append(r.Facts.Policy.Tunnels, r.tunnels.facts()...)
	if braces != nil && (len(braces.depths) > 0 || braces.deep) { // its end is missing, or a part of it
		r.RestrictAt(network.FlowRule{Missing: network.CutOff}, braces.begins)
	}
	r.finish()
	r.countRead(text)
	return r.Reading
}

// inSystems reports whether a line begins with the part of the configuration that it is about.
func inSystems(s string) bool {
	return strings.HasPrefix(s, "vsys ") || strings.HasPrefix(s, "shared ") || strings.HasPrefix(s, "devices ")
}

// finish makes the routes that several lines tell, and puts addresses into the tables of their interfaces.
func (r *reader) finish() {
	for _, n := range r.named {
		if n.Prefix.IsValid() && (n.Special != route.None || n.NextHop != (route.NextHop{})) {
			r.Facts.Statics = append(r.Facts.Statics, n.Static)
		}
	}
	for i := range r.Facts.Addresses {
		if a := &r.Facts.Addresses[i]; r.tables[a.Interface] != "" {
			a.Table = r.tables[a.Interface]
		}
	}
}

// countRead accounts for the lines that were neither passed over nor left: read where a fact rests on them, else parts
// of others.
func (r *reader) countRead(text []byte) {
	left := map[uint32]bool{}
	for _, p := range r.Passed {
		left[p.Mark.Off] = true
	}
	for _, u := range r.Unread {
		left[u.Mark.Off] = true
	}
	var rest []route.Mark
	for lo, hi := range layout.Lines(text) {
		if !layout.Blank(text[lo:hi]) && !left[uint32(lo)] {
			rest = append(rest, layout.Mark(lo, hi))
		}
	}
	r.ReadOrPart(rest)
}

// mainTable is "" for the names that the main instance goes by.
func mainTable(s string) string {
	switch strings.ToLower(s) {
	case "default", "trust-vr", "vr-default", "main", "global":
		return ""
	}
	return s
}
