package nftables

import (
	"encoding/json"
	"net/netip"
	"strings"

	"zarvek/internal/core/network"
)

// translating are the hooks whose chains of the kind "nat" change addresses on a packet's way. Those of what comes to
// the device itself change the source of what has arrived.
var translating = []string{"prerouting", "postrouting", "output"}

// translation makes a translation of what a rule asks for, to what no walk knows.
func (w *walker) translation(m match) network.Translation {
	t := network.Translation{
		Destination: w.destination,
		Own:         w.own,
		ToOwn:       m.local,
		Family:      m.Family,
		Protocol:    m.Protocol,
		From:        m.From,
		To:          m.To,
		ToPorts:     m.ToPorts,
		In:          m.In,
		Out:         m.Out,
		NotIn:       m.NotIn,
		NotOut:      m.NotOut,
		Undecided: m.Undecided || !m.FromPorts.Any() || m.Type != 0 || m.State != network.AnyState ||
			m.Turned != network.AnyDestination,
		Mark: m.Mark,
	}
	if w.own && t.Out+t.NotOut != "" { // which it leaves by is not known before
		t.Out, t.NotOut, t.Undecided = "", "", true
	}
	return t
}

// keep adds that what fits is not translated.
func (w *walker) keep(m match) {
	if m.never {
		return
	}
	t := w.translation(m)
	t.Keep = true
	w.p.Translations = append(w.p.Translations, t)
}

// translate adds translations.
func (w *walker) translate(all []match, verb string, raw json.RawMessage) {
	var to struct {
		Addr json.RawMessage
		Port json.RawMessage
	}
	_ = json.Unmarshal(raw, &to) // null, for masquerade
	for _, m := range all {
		if m.never {
			continue
		}
		t := w.translation(m)
		t.Destination = verb == "dnat" || verb == "redirect"
		t.Undecided = t.Undecided || verb == "redirect"
		if verb == "snat" || verb == "dnat" {
			var s string
			if json.Unmarshal(to.Addr, &s) == nil {
				t.Becomes, _ = netip.ParseAddr(s)
			}
			t.Undecided = t.Undecided || !t.Becomes.IsValid()
		}
		var port uint16
		if len(to.Port) > 0 && json.Unmarshal(to.Port, &port) == nil {
			t.BecomesPort = port
		}
		w.p.Translations = append(w.p.Translations, t)
	}
}

// toOwn applies a match for packets to one of the device's own addresses (the type of the route to them); of other
// lookups nothing is known.
func (w *walker) toOwn(all []match, f lookup, op string, right json.RawMessage) []match {
	is, word := op == "==" || op == "in", strings.Trim(string(right), `"`)
	if f.Result != "type" || strings.Trim(string(f.Flags), `[" ]`) != "daddr" || word != "local" || !is && op != "!=" {
		return undecided(all)
	}
	for i := range all {
		m := &all[i]
		switch {
		case w.nat && w.destination && is:
			m.local = true
		case m.Hook == network.ForItself:
			m.never = m.never || !is
		case m.Hook == network.Forwarded && !w.nat:
			m.never = m.never || is
		default:
			m.Undecided = true
		}
	}
	return all
}
