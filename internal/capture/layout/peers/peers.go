// Package peers reads listings and configurations of tunnels whose peers are known by keys. It exists because such a
// tunnel decides over packets whatever the routes say: what is for no peer's allowed addresses is not sent, and what
// does not come from them is dropped.
package peers

import (
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "tunnel peers"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About:  "tunnels whose peers are known by keys: which addresses each peer may have",
	Sample: "interface: tun0\npeer: (a key)\n  allowed ips: 10.61.64.0/24, 10.61.65.0/24\n"}

// A word of these texts, and what its line tells.
type word uint8

const (
	no        word = iota
	link           // "interface: NAME", and "[Interface]" of one without a name
	peer           // "peer: KEY", "[Peer]"
	allowed        // "allowed ips: PREFIX, PREFIX", "AllowedIPs = PREFIX, PREFIX"
	endpoint       // "endpoint: ADDRESS:PORT", of a peer that can be sent to
	otherWord      // says nothing of where packets go
)

// others are the words that say nothing here, in both forms.
var others = layout.WordSet("publickey privatekey listeningport presharedkey latesthandshake transfer " +
	"persistentkeepalive fwmark listenport address dns mtu table saveconfig")

// wordOf tells a line by its first words, and what stands behind them.
func wordOf(s string) (word, string) {
	switch s {
	case "[Interface]":
		return link, ""
	case "[Peer]":
		return peer, ""
	}
	i := strings.IndexAny(s, ":=")
	if i < 0 {
		return no, ""
	}
	value := strings.TrimSpace(s[i+1:])
	switch k := strings.ToLower(strings.ReplaceAll(s[:i], " ", "")); {
	case k == "interface" && value != "" && !strings.Contains(value, " "):
		return link, value
	case k == "peer" && value != "":
		return peer, value
	case k == "allowedips":
		return allowed, value
	case k == "endpoint" && value != "(none)":
		return endpoint, value
	case k == "endpoint", others[k], strings.HasPrefix(k, "#"):
		return otherWord, value
	}
	return no, ""
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		if w, _ := wordOf(s); w == allowed || w == peer && s == "[Peer]" {
			n += 4
		}
	}
	return n
}

// tunnel is one interface and the peers behind it.
type tunnel struct {
	name    string // "": not told
	at      place
	peers   int
	open    bool // the peer's addresses were not told yet
	reached bool // it is told where the peer is
	unknown bool // of some peer
	rules   []network.FlowRule
}

// place is a line of the text. The zero place is none.
type place struct{ lo, hi int }

type reader struct {
	layout.Collector
	now   tunnel
	inner []route.Mark // lines that rules may rest on
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var r reader
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(string(text[lo:hi]))
		if s == "" {
			continue
		}
		w, value := wordOf(s)
		switch {
		case w == link:
			r.finish()
			r.now = tunnel{name: value, at: place{lo, hi}}
			r.inner = append(r.inner, layout.Mark(lo, hi))
		case w == peer && r.now.at != place{}:
			r.now.unknown = r.now.unknown || r.now.open
			r.now.open, r.now.reached = true, false
			r.now.peers++
			r.Pass(lo, hi, layout.Part)
		case w == allowed && r.now.peers > 0:
			if !r.allow(value, lo, hi) || hi == len(text) { // cut in the middle of the line
				r.now.unknown = true
			}
			r.now.open = false
			r.inner = append(r.inner, layout.Mark(lo, hi))
		case w == endpoint && r.now.open:
			r.now.reached = true
			r.Pass(lo, hi, layout.Part)
		case (w == otherWord || w == endpoint) && r.now.at != place{}:
			r.Pass(lo, hi, layout.Other)
		default:
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		}
	}
	r.finish()
	r.ReadOrPart(r.inner)
	return r.Reading
}

// allow keeps the addresses of a peer; false where not all are understood.
func (r *reader) allow(value string, lo, hi int) bool {
	all := true
	for _, s := range strings.Split(value, ",") {
		if s = strings.TrimSpace(s); s == "(none)" || s == "" {
			continue
		}
		p, err := layout.Prefix([]byte(s), false)
		if err != nil {
			all = false
			continue
		}
		r.now.rules = append(r.now.rules, network.FlowRule{To: p, Permit: true, Undecided: !r.now.reached,
			Mark: layout.Mark(lo, hi)})
	}
	return all
}

// finish makes rules of a tunnel. What leaves must be for an address of a peer; whether it gets there is open where the
// listing does not tell where that peer is. What comes in must be from an address of the peer that sends it, and which of
// several that is nobody sees.
func (r *reader) finish() {
	t := r.now
	r.now = tunnel{}
	switch {
	case t.at == place{}:
		return
	case t.name == "": // of whatever interface it is
		r.Restrict(network.FlowRule{}, t.at.lo, t.at.hi)
		return
	case t.unknown, t.open, len(t.rules) == 0:
		r.Restrict(network.FlowRule{In: t.name}, t.at.lo, t.at.hi)
		r.Restrict(network.FlowRule{Out: t.name}, t.at.lo, t.at.hi)
		return
	}
	mark := layout.Mark(t.at.lo, t.at.hi)
	in, out := "what peers of "+t.name+" send", "what goes to peers of "+t.name
	for _, f := range t.rules {
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: out, FlowRule: f})
		f.From, f.To, f.Undecided = f.To, netip.Prefix{}, t.peers > 1
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: in, FlowRule: f})
	}
	for _, a := range []network.AppliedFilter{
		{List: in, Rule: network.FlowRule{Hook: network.ComingIn, In: t.name}},
		{List: out, Rule: network.FlowRule{Hook: network.GoingOut, Out: t.name}},
		{List: out, Rule: network.FlowRule{Hook: network.FromItself, Out: t.name}},
	} {
		a.Rule.Stateless, a.Rule.Mark = true, mark
		r.Facts.Applied = append(r.Facts.Applied, a)
	}
}
