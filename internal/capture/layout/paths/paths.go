// Package paths reads configurations in which a path names a section ("/ip route") and "add key=value …" adds to it. It
// exists because routers and firewalls that write so tell their addresses, routes, filters and translations in one such
// text.
package paths

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "paths"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About:  "configurations as paths with add and key=value: addresses, routes, filter rules, translations",
	Sample: "/ip address\nadd address=172.28.61.2/30 interface=up0\nadd address=10.61.16.1/24 interface=hall0\n"}

// recognise looks for paths of words with add or set lines below.
func recognise(text []byte) int {
	n, open := 0, false
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		switch {
		case isPath(s):
			open = true
			n++
		case open && (strings.HasPrefix(s, "add ") || strings.HasPrefix(s, "set ")) && strings.Contains(s, "="):
			n++
		case open && !strings.HasPrefix(s, "#") && !strings.Contains(s, "="):
			open = false
		}
	}
	if n < 2 {
		return 0
	}
	return n
}

// roots are the first words of paths.
var roots = []string{"ip", "ipv6", "interface", "routing", "system", "queue", "tool", "ppp", "snmp", "user", "port",
	"certificate", "file", "log", "radius", "caps-man", "mpls", "disk"}

func isPath(s string) bool {
	if !strings.HasPrefix(s, "/") {
		return false
	}
	first, _, _ := strings.Cut(s[1:], " ")
	first, _, _ = strings.Cut(first, "/")
	return slices.Contains(roots, first)
}

// item is one line of a section: "add" or "set", with its keys.
type item struct {
	section, verb string
	keys          map[string]string
	order         []string
	mark          route.Mark
}

func (i *item) get(key string) string { return i.keys[key] }

func (i *item) off() bool { return i.get("disabled") == "yes" || i.get("disabled") == "true" }

type reader struct {
	layout.Collector
	items   []*item
	inner   []route.Mark
	groups  filters.Groups
	members map[string][]string // interfaces, by list
	tables  map[string]string   // by interface
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{members: map[string][]string{}, tables: map[string]string{}}
	r.Layout = name
	section, pending, from := "", "", 0
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(string(text[lo:hi]))
		if s == "" {
			continue
		}
		if pending == "" {
			from = lo
		}
		whole := pending + s
		switch {
		case pending == "" && strings.HasPrefix(s, "#"):
			r.Pass(lo, hi, layout.Other)
			continue
		case pending == "" && isPath(s):
			section = s[1:]
			if i := strings.Index(section, " add "); i > 0 { // all in one line
				r.add(section[:i], section[i+1:], layout.Mark(lo, hi))
				section = section[:i]
			} else if i := strings.Index(section, " set "); i > 0 {
				r.add(section[:i], section[i+1:], layout.Mark(lo, hi))
				section = section[:i]
			}
		case section == "" || pending == "" && !strings.HasPrefix(s, "add ") && !strings.HasPrefix(s, "set ") &&
			s != "add":
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		case strings.HasSuffix(s, "\\"):
			pending = strings.TrimSuffix(whole, "\\")
			r.inner = append(r.inner, layout.Mark(lo, hi))
			continue
		default:
			r.add(section, whole, layout.Mark(from, hi))
		}
		pending = ""
		r.inner = append(r.inner, layout.Mark(lo, hi))
	}
	r.facts()
	if pending != "" {
		r.Restrict(network.FlowRule{Missing: network.CutOff}, from, from+1)
	}
	r.ReadOrPart(r.inner)
	return r.Reading
}

// add keeps one line of a section.
func (r *reader) add(section, s string, mark route.Mark) {
	words := split(s)
	i := &item{section: strings.ReplaceAll(section, "/", " "), verb: words[0], keys: map[string]string{}, mark: mark}
	for _, w := range words[1:] {
		k, v, ok := strings.Cut(w, "=")
		if !ok && (w == "blackhole" || w == "unreachable" || w == "prohibit") {
			k, v, ok = "type", w, true
		}
		if ok {
			i.keys[k] = strings.Trim(v, "\"")
			i.order = append(i.order, k)
		}
	}
	r.items = append(r.items, i)
}

// split splits a line at blanks outside of quotes and brackets.
func split(s string) []string {
	var out []string
	var w strings.Builder
	quoted, depth := false, 0
	for i := range len(s) {
		c := s[i]
		switch {
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '[':
			depth++
		case c == ']':
			depth--
		case c == ' ' && depth <= 0:
			if w.Len() > 0 {
				out = append(out, w.String())
				w.Reset()
			}
			continue
		}
		w.WriteByte(c)
	}
	if w.Len() > 0 {
		out = append(out, w.String())
	}
	if len(out) == 0 {
		return []string{""}
	}
	return out
}
