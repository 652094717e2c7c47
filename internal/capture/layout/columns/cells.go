package columns

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// prefix reads the destination with its mask or length.
func (r *reader) prefix(row *rowCells) (netip.Prefix, error) {
	s := withoutBrackets.Replace(row.cell[destination])
	if isDefault(s) {
		fam := r.family
		if a, ok := layout.Addr([]byte(strings.Trim(row.cell[gateway], "[]"))); ok {
			fam = route.FamilyOf(a)
		}
		if fam == 0 {
			return netip.Prefix{}, layout.ErrFamily
		}
		return fam.Default(), nil
	}
	s, zoneRest, zoned := strings.Cut(s, "%")
	if _, l, ok := strings.Cut(zoneRest, "/"); zoned && ok {
		s += "/" + l
	}
	switch {
	case row.cell[mask] != "":
		m, _ := layout.IPv4([]byte(row.cell[mask]))
		a, ok := layout.Addr([]byte(s))
		if !ok || !a.Is4() {
			return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
		n, err := layout.MaskLength(m)
		return netip.PrefixFrom(a, n), err
	case row.cell[length] != "":
		return layout.Prefix([]byte(s+"/"+row.cell[length]), false)
	}
	if a, ok := layout.IPv4([]byte(s)); ok && r.section == device && len(r.legend) == 0 &&
		strings.HasPrefix(row.cell[flags], "UH") {
		return netip.PrefixFrom(a, 32), nil // up, and a host
	}
	if r.section == bsd && !strings.Contains(s, ":") && strings.Count(s, ".") < 3 {
		return shortPrefix(s)
	}
	bare := r.section == bsd || r.section == netTools && !r.shows(mask) // one address needs no length there
	return layout.Prefix([]byte(s), bare)
}

// shortPrefix reads BSD's way of leaving zeros out: 10.61/16, 192.168.1, 127.
func shortPrefix(s string) (netip.Prefix, error) {
	addr, l, hasLen := strings.Cut(s, "/")
	parts := strings.Split(addr, ".")
	var b [4]byte
	for i, p := range parts {
		n, err := strconv.ParseUint(p, 10, 8)
		if err != nil || i > 3 {
			return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
		b[i] = byte(n)
	}
	bits := 8 * len(parts)
	if hasLen {
		n, err := strconv.ParseUint(l, 10, 8)
		if err != nil || n > 32 {
			return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrPrefixLength, s)
		}
		bits = int(n)
	}
	return netip.PrefixFrom(netip.AddrFrom4(b), bits), nil
}

// numberCell reads a metric or preference; "-" is none. Preference and metric may share a cell as P/M.
func numberCell(s string) (route.Number, error) {
	if s == "" || s == "-" {
		return route.Number{}, nil
	}
	n, ok := layout.Uint([]byte(s))
	if !ok {
		return route.Number{}, fmt.Errorf("%w: %q", layout.ErrNumber, s)
	}
	return route.N(n), nil
}
