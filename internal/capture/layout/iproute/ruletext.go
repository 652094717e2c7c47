package iproute

import (
	"fmt"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
)

// ruleWords reads the words of a policy rule.
func ruleWords(o *object, w []string) error {
	n, err := strconv.ParseUint(strings.TrimSuffix(w[0], ":"), 10, 32)
	if err != nil {
		return fmt.Errorf("%w: %q", layout.ErrNumber, w[0])
	}
	prio := uint32(n)
	o.Priority = &prio
	cut := func(s string) (word, *int) {
		a, l, ok := strings.Cut(s, "/")
		if n, err := strconv.Atoi(l); ok && err == nil {
			return word(a), &n
		}
		return word(a), nil
	}
	for i := 1; i < len(w); i++ {
		next := ""
		if i+1 < len(w) {
			next = w[i+1]
		}
		i++
		switch w[i-1] {
		case "from":
			o.Src, o.SrcLen = cut(next)
		case "to":
			o.Dst, o.DstLen = cut(next)
		case "iif":
			o.IIF = next
		case "oif":
			o.OIF = next
		case "uidrange":
			o.UIDRange = []byte("null")
		case "lookup":
			if o.Table = word(next); next == "[l3mdev-table]" { // that of the packet's VRF
				o.Table, o.L3MDev = "", []byte("null")
			}
		case "goto":
			n := uint64(0)
			o.Goto = &n
		case "blackhole", "unreachable", "prohibit", "6", "7", "8":
			o.Action = word(w[i-1])
			i--
		case "nop":
			o.Nop = []byte("null")
			i--
		case "not":
			o.Not = []byte("null")
			i--
		case "[detached]":
			i--
		case "proto", "realms": // who put it there, and a class for accounting
		case "fwmark":
			o.FWMark = word(next)
		case "ipproto":
			o.IPProto = word(next)
		case "sport":
			o.SPort = word(next)
		case "dport":
			o.DPort = word(next)
		case "suppress_prefixlength":
			n, err := strconv.Atoi(next)
			if err != nil {
				return fmt.Errorf("%w: %q", layout.ErrNumber, next)
			}
			o.Suppress = &n
		default: // a condition that no walk can decide
			o.other = true
			i--
		}
	}
	return nil
}
