package statements

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// watched reads "ip route static bfd INTERFACE NEXT-HOP", which ties the static routes by it to a liveness session (RFC
// 5880), and reports whether the words are one.
func (r *reader) watched(w []string, lo, hi int) bool {
	if len(w) < 5 || w[1] != "route" || w[2] != "static" || w[3] != "bfd" {
		return false
	}
	watch := network.Watch{Tie: network.Tie{Session: true}, Mark: layout.Mark(lo, hi)}
	for _, x := range w[4:min(len(w), 6)] {
		if a, ok := layout.Addr([]byte(x)); ok && !watch.NextHop.Address.IsValid() {
			watch.NextHop.Address = a
		} else if !ok {
			watch.NextHop.Interface = x
		}
	}
	if !watch.NextHop.Address.IsValid() {
		return false
	}
	r.Facts.Watches = append(r.Facts.Watches, watch)
	return true
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
