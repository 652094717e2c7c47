package lists

import (
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// word is a blank-separated word of a row with its bounds, and what it looks like.
type word struct {
	text              string
	lo, hi            int
	hardware, address bool
}

var (
	// unanswered is what stands in the place of a link-layer address that was asked for.
	unanswered = lazyregexp.New(`(?i)^[<(\[]?(?:incomplete|pending|unresolved|failed|no-?completed|none` +
		`|-+)[>)\]]?,?$`)
	// nothing is what stands in the place of an address that an interface does not have.
	nothing = lazyregexp.New(`(?i)^(?:unassigned|unnumbered|-+|none|n/a|not|assigned|set|0\.0\.0\.0(?:/0)?)$`)
)

// kindAndNumber matches the name of an interface with a blank in it. In the last column names may be of any words.
var kindAndNumber = lazyregexp.New(`^[A-Za-z][A-Za-z-]* \d[\w/.:-]*$`)

func isAddress(s string) bool {
	a, _, _ := strings.Cut(strings.Trim(s, "()"), "/")
	_, ok := layout.Addr([]byte(a))
	return ok || layout.LooksLikeAddress([]byte(s))
}

// fits reports whether a word may stand in a column of a kind.
func fits(w word, k kind, neighbours bool) bool {
	switch k {
	case mac:
		return w.hardware || neighbours && !w.address && unanswered.MatchString(w.text)
	case address, mask:
		return w.address || !w.hardware && (w.text[0] == '/' || nothing.MatchString(w.text))
	case ignored, marks:
		return true
	case instance:
		return !w.hardware && !w.address && w.text[0] != '/'
	}
	return !w.hardware && !w.address
}

// away is how far a word stands from a column, the next of which begins at next: it may stand under the name, or in the
// space behind it, or beside it where a row is out of line.
func away(w word, c column, next int) int {
	switch {
	case w.lo < c.hi && c.lo < w.hi:
		return 0
	case w.lo >= c.lo && w.lo < next:
		return 1
	case w.lo < c.lo:
		return 2 + c.lo - w.hi
	}
	return 2 + w.lo - c.hi
}

// cells gives each word to the nearest column that it may stand in.
func (f *form) cells(line string) [instance + 1][]word {
	var out [instance + 1][]word
	for lo, hi := layout.Field([]byte(line), 0); lo < hi; lo, hi = layout.Field([]byte(line), hi) {
		w := word{text: line[lo:hi], lo: lo, hi: hi}
		w.hardware = len(w.text) >= 11 && layout.IsHardware(w.text)
		w.address = !w.hardware && isAddress(w.text)
		best, far := -1, 0
		for i, c := range f.cols {
			next := len(line) + 1
			if i+1 < len(f.cols) {
				next = f.cols[i+1].lo
			}
			if d := away(w, c, next); fits(w, c.kind, f.neighbours) && (best < 0 || d < far) {
				best, far = i, d
			}
		}
		if best >= 0 {
			k := f.cols[best].kind
			out[k] = append(out[k], w)
		}
	}
	return out
}

func joined(w []word, sep string) string {
	parts := make([]string, len(w))
	for i := range w {
		parts[i] = w[i].text
	}
	return strings.Join(parts, sep)
}

// row reads one row.
func (r *reader) row(line string, lo, hi int) error {
	cell := r.form.cells(line)
	m := layout.Mark(lo, hi)
	dev := joined(cell[ifname], " ")
	// a length has only what is its own
	if r.form.neighbours && !(len(cell[address]) > 0 && strings.Contains(cell[address][0].text, "/")) {
		return r.neighbour(line, cell, dev, m)
	}
	return r.own(line, cell, dev, m)
}

// errNobody is of an entry for all or many, which names nobody.
var errNobody = errors.New("an address of all or many")

// neighbour reads a row about another one's address.
func (r *reader) neighbour(line string, cell [instance + 1][]word, dev string, m mark) error {
	if len(cell[address]) == 0 {
		return fmt.Errorf("%w: %q", layout.ErrAddress, strings.TrimSpace(line))
	}
	text := cell[address][0].text
	first := dev // of a VLAN and the port in it, "Vlan16, line5", the VLAN has the address
	if vlan, _, ok := strings.Cut(dev, ", "); ok {
		first = vlan
	}
	a, ok := layout.Addr([]byte(strings.Trim(text, "()")))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, text)
	}
	n := network.Neighbour{Address: a.WithZone(""), Interface: cmp.Or(strings.TrimSuffix(first, ","), r.of), Mark: m}
	if len(cell[mac]) > 0 {
		if hw, ok := layout.Hardware(cell[mac][0].text); ok {
			if hw == "ff:ff:ff:ff:ff:ff" || a.IsMulticast() {
				return errNobody
			}
			n.MAC, n.State = hw, network.NeighbourAlive
		}
	}
	r.Facts.Neighbours = append(r.Facts.Neighbours, n)
	return nil
}

// own reads a row about an interface of the device, or about a further address of the one above.
func (r *reader) own(line string, cell [instance + 1][]word, dev string, m mark) error {
	n := len(r.Facts.Interfaces)
	addresses := cell[address]
	indented := line[0] == ' ' || line[0] == '\t'
	first, _, _ := strings.Cut(strings.TrimSpace(line), " ")
	called, beneath := strings.CutPrefix(line, "[IPv6 Address] ")
	if beneath {
		first = strings.TrimSpace(called)
	}
	if (indented || beneath) && n > 0 && isAddress(first) && !r.form.has(address) {
		addresses, dev = []word{{text: first}}, "" // rows of two lines
		cell[ifname], cell[instance] = nil, nil
	}
	further := dev == "" && len(addresses) > 0 && n > 0
	switch {
	case further && r.broken: // whose it is stood on a line that could not be read
		return layout.ErrNoRoute
	case further:
		dev = r.Facts.Interfaces[n-1].Name
	}
	if dev == "" {
		return layout.ErrNotARoute
	}
	if len(cell[ifname]) > 1 && !kindAndNumber.MatchString(dev) && r.form.cols[len(r.form.cols)-1].kind != ifname ||
		nothing.MatchString(dev) || strings.ContainsAny(dev, `:"`) && !strings.ContainsAny(dev, "0123456789") {
		return layout.ErrNotARoute
	}
	i := network.Interface{Name: dev, State: r.form.linkState(cell[state]), Mark: m}
	for _, w := range cell[state] {
		i.Off = i.Off || i.State == network.LinkDown && switchedOff(w.text)
	}
	if !r.form.has(address) && !further && (i.State == network.LinkUnknown || len(cell[ifname]) != 1) {
		return layout.ErrNotARoute
	}
	p, has, err := prefixOf(addresses, cell[mask])
	if err != nil {
		return err
	}
	// a row of another table: a network is nobody's address, a state is no sentence, and a row tells something
	if has && p == p.Masked() && p.Bits() < p.Addr().BitLen()-1 && !p.Addr().Is6() ||
		i.State == network.LinkUnknown && (len(cell[state]) > r.form.count(state) ||
			!has && len(cell[mac]) == 0 && r.form.has(state) && tells(line)) {
		return layout.ErrNotARoute
	}
	if !further {
		if len(cell[mac]) > 0 {
			i.MAC, _ = layout.Hardware(cell[mac][0].text)
		}
		r.Facts.Interfaces = append(r.Facts.Interfaces, i)
		r.broken, r.within = false, r.table(cell[instance])
	}
	r.keepForwarding(cell, dev, m)
	if has {
		r.Facts.Addresses = append(r.Facts.Addresses,
			network.Address{Prefix: p, Interface: dev, Table: r.within, Mark: m})
	}
	return nil
}

// letterOfForwarding matches the letter that a key has for interfaces that forward.
var letterOfForwarding = lazyregexp.New(`\((\w)\) IP [Ff]orwarding [Ee]nabled`)

// keepForwarding keeps whether packets that come in by an interface are forwarded, where the row says so: in a column
// of its own, or by a letter of the key.
func (r *reader) keepForwarding(cell [instance + 1][]word, dev string, m mark) {
	on, told := false, false
	if w := cell[forwards]; len(w) == 1 {
		switch strings.ToLower(w[0].text) {
		case "yes", "on", "enabled", "enable":
			on, told = true, true
		case "no", "off", "disabled", "disable":
			told = true
		}
	} else if w := cell[marks]; r.forwarding != "" && len(w) == 1 {
		on, told = strings.Contains(w[0].text, r.forwarding), true
	}
	if told {
		r.Facts.Forwarding = append(r.Facts.Forwarding,
			network.Switch{Family: route.IPv4, Interface: dev, On: on, Mark: m})
	}
}

// prefixOf reads an address with its length or mask, which may stand beside it; false where there is none.
func prefixOf(addresses, masks []word) (netip.Prefix, bool, error) {
	if len(addresses) == 0 || nothing.MatchString(addresses[0].text) {
		return netip.Prefix{}, false, nil
	}
	text := addresses[0].text
	if !strings.Contains(text, "/") {
		rest := append(addresses[1:len(addresses):len(addresses)], masks...)
		if len(rest) > 0 {
			text += "/" + strings.TrimPrefix(rest[0].text, "/")
		}
	}
	p, err := layout.Prefix([]byte(text), true)
	return p, err == nil, err
}

// table is the one that a row's own cell names, else the one that the last title names; "" where none is named.
func (r *reader) table(cell []word) string {
	if len(cell) == 0 {
		return r.titled
	}
	return instanceName(strings.TrimPrefix(cell[0].text, "vr:"))
}

// instanceName is "default" for what the main instance goes by, "" for what stands where none is named.
func instanceName(s string) string {
	switch strings.ToLower(s) {
	case "default", "default-vrf", "vr-default", "global", "public", "main", "base":
		return "default"
	case "n/a", "-", "--":
		return ""
	}
	return s
}

// linkState is down where any word of the state columns says so, up where one says that.
func (f *form) linkState(words []word) network.LinkState {
	perFamily := false
	for _, c := range f.cols {
		perFamily = perFamily || strings.HasSuffix(c.name, "(v4/v6)")
	}
	all := make([]string, 0, len(words))
	for _, w := range words {
		if first, second, ok := strings.Cut(w.text, "/"); perFamily && ok {
			if stateOf([]string{first, second}) == network.LinkDown &&
				stateOf([]string{first}) != stateOf([]string{second}) {
				continue // of one family alone, which is no state of the link
			}
		}
		all = append(all, w.text)
	}
	return stateOf(all)
}

// switchedOff reports whether a word of a state tells that somebody switched the interface off.
func switchedOff(word string) bool {
	low := strings.ToLower(strings.Trim(word, "*()^"))
	return strings.HasPrefix(low, "admin") || low == "shutdown" || strings.HasSuffix(low, "disabled")
}

// stateOf is linkState of words.
func stateOf(words []string) network.LinkState {
	s := network.LinkUnknown
	for _, w := range words {
		low := strings.ToLower(strings.Trim(w, "*()^"))
		switch {
		case strings.Contains(low, "down"), strings.HasSuffix(low, "disabled"), strings.HasPrefix(low, "notconnec"),
			strings.HasPrefix(low, "xcvrabs"), strings.HasPrefix(low, "sfpabs"), deadWords[low], w == "D":
			return network.LinkDown
		case strings.HasPrefix(low, "up"), strings.HasSuffix(low, "/up"), strings.Contains(low, "link-up"),
			aliveWords[low], w == "U":
			s = network.LinkUp
		}
	}
	return s
}

// deadWords and aliveWords are states of a link that are told by one word.
var (
	deadWords  = layout.WordSet("notpresent nolink no-carrier unavailable")
	aliveWords = layout.WordSet("connected routable degraded carrier")
)
