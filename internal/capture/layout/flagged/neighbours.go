package flagged

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// isNeighbour tells a neighbour that is written out as pairs.
func isNeighbour(line []byte) bool {
	return bytes.Contains(line, []byte(" mac-address=")) && bytes.Contains(line, []byte(" address=")) &&
		bytes.Contains(line, []byte("interface="))
}

// neighbour reads a neighbour (RFC 4861) of one line of pairs.
func (r *reader) neighbour(t string, lo, hi int) error {
	pairs := map[string]string{}
	addPairs(pairs, t)
	_, rest := r.split(strings.Fields(t))
	a, ok := layout.Addr([]byte(pairs["address"]))
	hw, known := layout.Hardware(pairs["mac-address"])
	switch {
	case len(rest) == 0 || !strings.Contains(rest[0], "="), pairs["interface"] == "":
		return layout.ErrNotARoute
	case !ok || !known:
		return layout.ErrAddress
	}
	n := network.Neighbour{Address: a.WithZone(""), Interface: pairs["interface"], Mark: layout.Mark(lo, hi)}
	if pairs["status"] != "failed" && pairs["status"] != "incomplete" {
		n.MAC, n.State = hw, network.NeighbourAlive
	}
	r.Facts.Neighbours = append(r.Facts.Neighbours, n)
	r.Collector.Read++
	return nil
}
