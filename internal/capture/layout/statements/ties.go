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

// ofSession counts the words that say how a session is held, from the one that begins them on.
var ofSession = map[string]int{"enable": 1, "control-packet": 1, "echo-packet": 1, "multi-hop": 1, "fast-detect": 1,
	"profile": 2, "source": 2, "minimum-interval": 2, "multiplier": 2, "min-tx-interval": 2, "min-rx-interval": 2,
	"detect-multiplier": 2}

// tieOf reads what a static route is tied to, from the word "track" or "bfd" on, and returns how many words that takes.
func tieOf(w []string) (network.Tie, int) {
	next := ""
	if len(w) > 1 {
		next = strings.ToLower(w[1])
	}
	if strings.EqualFold(w[0], "bfd") {
		n := 1
		for n < len(w) && ofSession[strings.ToLower(w[n])] > 0 {
			n += ofSession[strings.ToLower(w[n])]
		}
		return network.Tie{Session: true}, n
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
