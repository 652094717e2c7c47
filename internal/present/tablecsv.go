package present

import (
	"bufio"
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"zarvek/internal/core/route"
)

// csvColumns are the names that CSV captures have too, so that what is written reads back.
var csvColumns = []string{
	"table",
	"destination-prefix",
	"source-protocol",
	"subtype",
	"route-preference",
	"metric",
	"next-hop-address",
	"outgoing-interface",
	"special-next-hop",
	"active",
	"installed",
	"weight",
	"next-hop-table",
	"on-link",
	"interface-down",
	"table-is-partial",
	"captured-at",
	"encapsulated",
}

// defuse makes a cell harmless: to terminals, which would obey control characters, and to spreadsheets, which would run
// a text that begins like a formula.
func defuse(s string) string {
	s = Clean(s)
	if s != "" && strings.IndexByte("=+-@\t\r", s[0]) >= 0 {
		return "'" + s
	}
	return s
}

// TableCSV writes a device's tables, a line for each next hop.
func TableCSV(out io.Writer, q TableQuery, v View) error {
	b := bufio.NewWriterSize(out, 1<<16)
	w := csv.NewWriter(b)
	if err := w.Write(csvColumns); err != nil {
		return err
	}
	for _, t := range q.Filter.Tables(q.Device) {
		for i := range t.Routes().Len() {
			r := t.Routes().At(i)
			if !q.Filter.Shows(r) {
				continue
			}
			hops := r.Forwarding()
			if len(hops) == 0 {
				hops = append(r.NextHops[:len(r.NextHops):len(r.NextHops)], route.NextHop{})[:max(1, len(r.NextHops))]
			}
			for _, h := range hops {
				addr := ""
				if h.Address.IsValid() {
					addr = h.Address.String()
				}
				rec := []string{
					t.Name,
					r.Prefix.String(),
					r.Protocol.String(),
					r.Subtype,
					cell(r.Preference),
					cell(r.Metric),
					addr,
					h.Interface,
					r.Special.String(),
					strconv.FormatBool(r.Is(route.Active)),
					strconv.FormatBool(r.Is(route.Installed)),
					weight(h),
					h.Table,
					yes(h.OnLink),
					yes(h.Down),
					yes(partial(q, t)),
					v.place(r.Mark),
					yes(h.Encapsulated),
				}
				for j := range rec {
					rec[j] = defuse(rec[j])
				}
				if err := w.Write(rec); err != nil {
					return err
				}
			}
		}
	}
	w.Flush()
	if err := w.Error(); err != nil {
		return err
	}
	return b.Flush()
}

// weight writes the share of a next hop, nothing where it is the usual one.
func weight(h route.NextHop) string {
	if h.Weight < 2 {
		return ""
	}
	return strconv.FormatUint(uint64(h.Weight), 10)
}

// yes writes true, and nothing for false.
func yes(b bool) string {
	if b {
		return "true"
	}
	return ""
}

// cell writes a number, nothing where it is not shown.
func cell(n route.Number) string {
	if !n.Known {
		return ""
	}
	return strconv.FormatUint(n.Value, 10)
}
