package flagged

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// isAddresses tells the heading of the device's own addresses, which are printed in the same manner.
func isAddresses(line []byte) bool {
	return bytes.Contains(line, []byte(" ADDRESS ")) && bytes.Contains(line, []byte("INTERFACE")) &&
		(bytes.Contains(line, []byte("NETWORK")) || bytes.Contains(line, []byte("ADVERTISE")))
}

// address reads a row of the device's own addresses.
func (r *reader) address(t string, lo, hi int) error {
	beneath := r.comment
	flags, w := r.flagsOf(t)
	// the line above, with its flags, is missing
	if len(w) < 3 || r.counts && !beneath && len(w) == len(strings.Fields(t)) {
		return layout.ErrNotARoute
	}
	p, err := layout.Prefix([]byte(w[0]), false)
	if err != nil {
		return err
	}
	dev := w[2]
	if r.six { // a pool may stand before the interface, and behind it whether the network is announced
		last := len(w) - 1
		if dev = w[last-1]; last > 3 || w[last] != "yes" && w[last] != "no" {
			return layout.ErrNotARoute
		}
	}
	for _, f := range flags {
		if text := r.legend[string(f)]; strings.Contains(text, "disabled") || strings.Contains(text, "invalid") {
			r.Pass(lo, hi, layout.Other)
			return nil // it is none of the device's now
		}
	}
	r.Collector.Read++
	r.Facts.Addresses = append(
		r.Facts.Addresses,
		network.Address{Prefix: p, Interface: dev, Mark: layout.Mark(lo, hi)},
	)
	return nil
}
