package statements

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// ties are next hops of which statements of their own say that a liveness session (RFC 5880) watches them.
type ties struct{ watched []route.NextHop }

// line reads "ip route static bfd INTERFACE NEXT-HOP" and reports whether the words are one.
func (t *ties) line(w []string) bool {
	if len(w) < 5 || w[1] != "route" || w[2] != "static" || w[3] != "bfd" {
		return false
	}
	h := route.NextHop{Interface: w[4]}
	for _, x := range w[4:min(len(w), 6)] {
		if a, ok := layout.Addr([]byte(x)); ok {
			h.Address = a
		}
	}
	if w[4] == h.Address.String() {
		h.Interface = ""
	}
	t.watched = append(t.watched, h)
	return h.Address.IsValid()
}

// finish ties the static routes by watched next hops to their sessions.
func (t *ties) finish(r *reader) {
	for i := range r.Facts.Statics {
		s := &r.Facts.Statics[i]
		for _, h := range t.watched {
			if h.Address == s.NextHop.Address && (h.Interface == s.NextHop.Interface || h.Interface == "") {
				s.Tie.Session = true
			}
		}
	}
}

// beside counts the words behind the kind of a tracked object that name it.
var beside = map[string]int{"bfd-session": 1, "efm-state": 1, "nqa": 2}

// tieOf reads what a static route is tied to, from the word "track" or "bfd" on, and returns how many words that takes.
func tieOf(w []string) (network.Tie, int) {
	next := ""
	if len(w) > 1 {
		next = strings.ToLower(w[1])
	}
	if strings.EqualFold(w[0], "bfd") {
		switch next {
		case "enable", "control-packet", "echo-packet", "multi-hop":
			return network.Tie{Session: true}, 2
		case "profile":
			return network.Tie{Session: true}, 3
		}
		return network.Tie{Session: true}, 1
	}
	switch n := beside[next]; {
	case next == "":
		return network.Tie{}, 1
	case next == "bfd":
		return network.Tie{Session: true}, 2
	default:
		n = min(2+n, len(w))
		return network.Tie{Object: strings.Join(w[1:n], " ")}, n
	}
}
