// Package notes reads notes.yaml, in which the engineer tells what captures cannot show: hosts, firewalls' rules and
// translations, tunnels, settings. It exists apart from the layouts because it is no capture: a mistake in it is an
// error and not an unread line.
//
// It is strict: keys that it does not know, bad values and names that are not in the case are errors with file, line
// and column. No I/O.
package notes

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/near"
)

// Notes is what the file tells.
type Notes struct {
	Hosts   []network.Host
	Devices map[string]network.Facts
	Named   map[string][]netip.Prefix // networks and groups, by name
	Keep    []netip.Addr              // addresses that must stay reachable while the network is changed
}

// reader walks the document.
type reader struct {
	name    string
	text    []byte
	lines   []int // where each line begins
	file    uint32
	devices []string
	of      Names
	out     Notes
}

// Names tells what the captures of a case name.
type Names interface {
	Names() []string                   // of devices
	Interfaces(device string) []string // of a device's interfaces
}

// maxNesting is how deep brackets may stand in each other.
const maxNesting = 64

// Parse reads a notes file. File is the number that marks will carry.
func Parse(name string, text []byte, file uint32, of Names) (Notes, error) {
	r, docs, err := open(name, text)
	if err != nil {
		return Notes{}, err
	}
	r.file, r.devices, r.of = file, of.Names(), of
	r.out = Notes{Devices: map[string]network.Facts{}}
	for _, d := range docs {
		if err := r.document(d); err != nil {
			return Notes{}, err
		}
	}
	return r.out, nil
}

// open parses a file of ours and returns what its documents hold.
func open(name string, text []byte) (*reader, []ast.Node, error) {
	r := &reader{name: name, text: text, lines: []int{0}}
	for i, c := range text {
		if c == '\n' {
			r.lines = append(r.lines, i+1)
		}
	}
	if at := nestedTooDeep(text); at >= 0 {
		line := 1 + bytes.Count(text[:at], []byte{'\n'})
		return nil, nil, fmt.Errorf("%s:%d: more than %d brackets in each other", name, line, maxNesting)
	}
	f, err := parser.ParseBytes(stripMark(text), 0)
	if err != nil {
		var syntax interface{ GetToken() *token.Token }
		if errors.As(err, &syntax) && syntax.GetToken() != nil {
			p := syntax.GetToken().Position
			return nil, nil, fmt.Errorf("%s:%d:%d: not valid YAML: %s", name, p.Line, p.Column, firstLine(err.Error()))
		}
		return nil, nil, fmt.Errorf("%s: not valid YAML: %s", name, firstLine(err.Error()))
	}
	var docs []ast.Node
	for _, d := range f.Docs {
		if d.Body != nil {
			docs = append(docs, d.Body)
		}
	}
	return r, docs, nil
}

// nestedTooDeep returns where brackets stand too deep in each other, -1 where they do not: the parser goes down with each.
func nestedTooDeep(text []byte) int {
	depth := 0
	for i, c := range text {
		switch c {
		case '[', '{':
			if depth++; depth > maxNesting {
				return i
			}
		case ']', '}':
			depth = max(depth-1, 0)
		}
	}
	return -1
}

// interfaces checks that a device has the interfaces that a note names; "" is any. A device whose captures name none may
// have what it likes.
func (r *reader) interfaces(at ast.Node, device string, names ...string) error {
	have := r.of.Interfaces(device)
	for _, name := range names {
		if name == "" || len(have) == 0 || slices.Contains(have, name) {
			continue
		}
		hint := "it has " + strings.Join(have[:min(len(have), 8)], ", ")
		if len(have) > 8 {
			hint += ", …"
		}
		if n := near.Name(name, have); n != "" {
			hint = "did you mean " + n + "?"
		}
		return r.errorAt(at, "no capture of %s names an interface %q; %s", device, name, hint)
	}
	return nil
}

// oneFamily checks that addresses and prefixes of one note are all IPv4 or all IPv6; those that are not valid do not count.
func (r *reader) oneFamily(at ast.Node, addrs ...netip.Addr) error {
	first := netip.Addr{}
	for _, a := range addrs {
		switch {
		case !a.IsValid():
		case !first.IsValid():
			first = a
		case first.Is4() != a.Is4():
			return r.errorAt(at, "%s and %s are of two families", first, a)
		}
	}
	return nil
}

// firstLine returns the message of a syntax error, without the position in front and the picture below.
func firstLine(s string) string {
	s, _, _ = strings.Cut(s, "\n")
	if i := strings.Index(s, "] "); s != "" && s[0] == '[' && i > 0 {
		s = s[i+2:]
	}
	return s
}

// errorAt is an error at a node.
func (r *reader) errorAt(n ast.Node, format string, args ...any) error {
	p := n.GetToken().Position
	return fmt.Errorf("%s:%d:%d: %s", r.name, p.Line, p.Column, fmt.Sprintf(format, args...))
}

// mark is the line of a node as evidence.
func (r *reader) mark(n ast.Node) route.Mark {
	line := n.GetToken().Position.Line - 1
	if line < 0 || line >= len(r.lines) {
		return route.Mark{File: r.file}
	}
	lo, hi := r.lines[line], len(r.text)
	if line+1 < len(r.lines) {
		hi = r.lines[line+1] - 1
	}
	return route.Mark{File: r.file, Off: uint32(lo), End: uint32(hi)}
}

// each calls f for every key of a mapping; known are the keys it may have, none for names of the user's own.
func (r *reader) each(
	n ast.Node,
	what string,
	known []string,
	f func(key string, at ast.Node, v ast.Node) error,
) error {
	var values []*ast.MappingValueNode
	switch m := n.(type) {
	case *ast.MappingNode:
		values = m.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{m}
	case *ast.NullNode:
		return nil
	default:
		return r.errorAt(n, "%s must be a mapping of names to values", what)
	}
	seen := map[string]bool{}
	for _, v := range values {
		key := strings.Trim(v.Key.GetToken().Value, `"'`)
		if seen[key] {
			return r.errorAt(v.Key, "%q stands here twice", key)
		}
		seen[key] = true
		if known != nil && !slices.Contains(known, key) {
			return r.errorAt(v.Key, "there is no key %q in %s; it takes %s", key, what, strings.Join(known, ", "))
		}
		if err := f(key, v.Key, v.Value); err != nil {
			return err
		}
	}
	return nil
}

// text returns a scalar.
func (r *reader) scalar(n ast.Node) (string, error) {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode, *ast.SequenceNode:
		return "", r.errorAt(n, "one value is wanted here")
	}
	return n.GetToken().Value, nil
}

// list calls f for every element of a sequence.
func (r *reader) list(n ast.Node, f func(v ast.Node, text string) error) error {
	s, ok := n.(*ast.SequenceNode)
	if !ok {
		return r.errorAt(n, "a list is wanted here, each element behind a hyphen")
	}
	for _, v := range s.Values {
		text, err := r.scalar(v)
		if err != nil {
			return err
		}
		if err := f(v, text); err != nil {
			return err
		}
	}
	return nil
}

func (r *reader) document(n ast.Node) error {
	return r.each(n, "notes", []string{"hosts", "networks", "groups", "devices", "keep"}, func(key string, _, v ast.Node) error {
		switch key {
		case "hosts":
			return r.each(v, "hosts", nil, r.host)
		case "networks":
			return r.each(v, "networks", nil, func(name string, at, v ast.Node) error {
				p, err := r.prefix(v)
				if err != nil {
					return err
				}
				return r.call(name, at, []netip.Prefix{p})
			})
		case "groups":
			return r.each(v, "groups", nil, r.group)
		case "keep":
			return r.list(v, r.keep)
		}
		return r.each(v, "devices", nil, r.device)
	})
}

// group reads a list of addresses, prefixes and names that stand above.
func (r *reader) group(name string, at, v ast.Node) error {
	var all []netip.Prefix
	err := r.list(v, func(n ast.Node, text string) error {
		if p, err := netip.ParsePrefix(text); err == nil {
			all = append(all, p.Masked())
			return nil
		}
		if a, err := netip.ParseAddr(text); err == nil && a.Zone() == "" {
			all = append(all, netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()))
			return nil
		}
		for _, h := range r.out.Hosts {
			if h.Name == text {
				all = append(all, netip.PrefixFrom(h.Address, h.Address.BitLen()))
				return nil
			}
		}
		if some, ok := r.out.Named[text]; ok {
			all = append(all, some...)
			return nil
		}
		return r.errorAt(n, "%q is no address or prefix, and no host, network or group above is called so", text)
	})
	if err != nil {
		return err
	}
	return r.call(name, at, all)
}

// call gives addresses a name that nothing else has.
func (r *reader) call(name string, at ast.Node, all []netip.Prefix) error {
	taken := slices.Contains(r.devices, name) || slices.ContainsFunc(r.out.Hosts, func(h network.Host) bool { return h.Name == name })
	if _, ok := r.out.Named[name]; ok || taken {
		return r.errorAt(at, "the name %q is taken", name)
	}
	if r.out.Named == nil {
		r.out.Named = map[string][]netip.Prefix{}
	}
	r.out.Named[name] = all
	return nil
}

// keep reads an address, or the name of a host that stands above.
func (r *reader) keep(n ast.Node, text string) error {
	for _, h := range r.out.Hosts {
		if h.Name == text {
			r.out.Keep = append(r.out.Keep, h.Address)
			return nil
		}
	}
	a, err := netip.ParseAddr(text)
	if err != nil || a.Zone() != "" {
		return r.errorAt(n, "%q is no address, and no host above is called so", text)
	}
	r.out.Keep = append(r.out.Keep, a.Unmap())
	return nil
}

func (r *reader) host(name string, at, v ast.Node) error {
	h := network.Host{Name: name, Mark: r.mark(at)}
	if slices.Contains(r.devices, name) {
		return r.errorAt(at, "%q is a captured device, not a host", name)
	}
	if _, isMap := v.(*ast.MappingNode); !isMap {
		if _, one := v.(*ast.MappingValueNode); !one { // NAME: ADDRESS
			a, err := r.addr(v)
			h.Address = a
			r.out.Hosts = append(r.out.Hosts, h)
			return err
		}
	}
	err := r.each(v, "a host", []string{"address", "network", "gateway"}, func(key string, _, v ast.Node) (err error) {
		switch key {
		case "address":
			h.Address, err = r.addr(v)
		case "gateway":
			h.Gateway, err = r.addr(v)
		case "network":
			h.Prefix, err = r.prefix(v)
		}
		return err
	})
	switch {
	case err != nil:
		return err
	case !h.Address.IsValid():
		return r.errorAt(at, "the host %q has no address", name)
	}
	if err := r.oneFamily(at, h.Address, h.Gateway, h.Prefix.Addr()); err != nil {
		return err
	}
	r.out.Hosts = append(r.out.Hosts, h)
	return nil
}

func (r *reader) addr(n ast.Node) (netip.Addr, error) {
	s, err := r.scalar(n)
	if err != nil {
		return netip.Addr{}, err
	}
	a, err := netip.ParseAddr(s)
	if err != nil || a.Zone() != "" {
		return netip.Addr{}, r.errorAt(n, "%q is no address", s)
	}
	return a.Unmap(), nil
}

func (r *reader) prefix(n ast.Node) (netip.Prefix, error) {
	s, err := r.scalar(n)
	if err != nil {
		return netip.Prefix{}, err
	}
	p, err := netip.ParsePrefix(s)
	if err != nil {
		return netip.Prefix{}, r.errorAt(n, "%q is no prefix; write ADDRESS/LENGTH", s)
	}
	return p.Masked(), nil
}
