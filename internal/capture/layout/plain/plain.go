// Package plain reads the two forms that people and programs write themselves: CSV with documented column names, and
// this program's own JSON tables.
package plain

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"math"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const csvName = "CSV"

// CSV is the registration of the CSV form.
var CSV = layout.Reader{Structured: true, Name: csvName, Recognise: recogniseCSV, Read: ReadCSV,
	About: "comma-separated values with these names in the first line: zarvek help layouts",
	Sample: "destination-prefix,source-protocol,route-preference,metric,next-hop-address,outgoing-interface\n" +
		"10.61.32.0/24,ospf,110,20,172.28.61.6,line1\n" +
		"10.61.16.0/24,direct,,,,hall0\n"}

// Columns are the names a CSV file may have in its first line, in any order, each with what it holds. They are those of
// the JSON contract.
var Columns = []struct{ Name, Holds string }{
	{"destination-prefix", "10.61.40.0/24 (required)"},
	{
		"source-protocol",
		"direct, local, static, rip, ripng, ospf, isis, eigrp, bgp, kernel, dhcp, nat, babel, aggregate or other",
	},
	{"subtype", "such as inter-area or external-2"},
	{"route-preference", "a number"},
	{"metric", "a number"},
	{"next-hop-address", "an address"},
	{"outgoing-interface", "an interface's name"},
	{"special-next-hop", "blackhole, unreachable, prohibit or receive"},
	{"active", "true or false; true where the column is missing"},
	{"installed", "true or false: what forwards; as active where the column is missing"},
	{"weight", "the next hop's share among equals, a number"},
	{"next-hop-table", "the table in which the next hop lies"},
	{"on-link", "true: taken as attached though no prefix says so"},
	{"interface-down", "true: forwarded into though it has no carrier"},
	{"table-is-partial", "true: routes may be missing, so that no lookup is answered"},
	{"table", "the table's name; default where the column is missing"},
}

// recogniseCSV asks for our column names in the first line.
func recogniseCSV(text []byte) int {
	for lo, hi := range layout.Lines(text[:min(len(text), 4096)]) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		if bytes.Contains(bytes.ToLower(text[lo:hi]), []byte("destination-prefix")) &&
			bytes.ContainsAny(text[lo:hi], ",;") {
			return 1500
		}
		return 0
	}
	return 0
}

// record splits one line. Fields do not go over several lines in these files.
func record(line []byte, comma rune) ([]string, error) {
	r := csv.NewReader(bytes.NewReader(line))
	r.Comma, r.FieldsPerRecord = comma, -1
	rec, err := r.Read()
	if err != nil {
		var p *csv.ParseError
		if errors.As(err, &p) {
			err = fmt.Errorf("column %d: %w", p.Column, p.Err)
		}
		return nil, fmt.Errorf("%w: %w", layout.ErrNotARoute, err)
	}
	for i, f := range rec {
		// What was defused for spreadsheets when it was written.
		if len(f) > 1 && f[0] == '\'' && strings.ContainsRune("=+-@", rune(f[1])) {
			rec[i] = f[1:]
		}
	}
	return rec, nil
}

// ReadCSV reads a text with a heading line.
func ReadCSV(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = csvName
	r := csvReader{comma: ','}
	var last csvRoute
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if r.names == nil {
			if bytes.IndexByte(line, ',') < 0 {
				r.comma = ';'
			}
			rec, err := record(bytes.ToLower(line), r.comma)
			if err != nil {
				c.LeaveUnread(lo, hi, err)
				continue
			}
			r.name(rec)
			c.Pass(lo, hi, layout.Names)
			continue
		}
		next, err := r.read(line, lo, hi)
		if err != nil {
			c.LeaveUnread(lo, hi, err)
			continue
		}
		if !last.join(next) {
			last.add(&c, text)
			last = next
		}
		c.Read++
	}
	last.add(&c, text)
	return c.Reading
}

// csvRoute is one route, of one line or of several that differ in their next hop only.
type csvRoute struct {
	table  string
	prefix netip.Prefix
	attr   layout.Attributes
	state  route.State
	lo, hi int

	partial route.Mark // the line that says that the table is
}

// join takes the next hop of a line that says the same otherwise.
func (r *csvRoute) join(n csvRoute) bool {
	a, b := &r.attr, &n.attr
	if r.table != n.table || r.prefix != n.prefix || r.state != n.state || a.Protocol != b.Protocol ||
		a.Subtype != b.Subtype || a.Preference != b.Preference ||
		a.Metric != b.Metric || a.Special != b.Special || len(a.NextHops) == 0 || len(b.NextHops) == 0 ||
		slices.Contains(a.NextHops, b.NextHops[0]) {
		return false
	}
	a.NextHops = append(a.NextHops, b.NextHops...)
	r.hi = n.hi
	return true
}

// add puts a record's route into its table.
func (r *csvRoute) add(c *layout.Collector, text []byte) {
	if r.prefix.IsValid() {
		x := r.attr.Route(r.prefix, r.state, layout.Mark(r.lo, r.hi))
		c.Add(r.table, network.Candidates, x, c.Room(text[r.lo:]))
		if r.partial.Known() {
			for i := range c.Facts.Tables {
				if t := &c.Facts.Tables[i]; t.Name == r.table && t.Family == route.FamilyOf(r.prefix.Addr()) {
					t.Filtered = r.partial
				}
			}
		}
	}
}

var protocols = func() map[string]route.Protocol {
	m := map[string]route.Protocol{}
	for p := route.Other; p <= route.Aggregate; p++ {
		m[p.String()] = p
	}
	return m
}()

var specials = map[string]route.Special{
	"":            route.None,
	"blackhole":   route.Blackhole,
	"unreachable": route.Unreachable,
	"prohibit":    route.Prohibit,
	"receive":     route.Receive,
	"broadcast":   route.Broadcast,
	"multicast":   route.Multicast,
	"throw":       route.Throw,
}

// readRecord reads one record by the names in the first line; an empty cell is as one that is missing.
func readRecord(names, rec []string, lo, hi int) (r csvRoute, err error) {
	get := map[string]string{"active": "true", "table": "default", "source-protocol": "other"}
	for i, n := range names {
		if i < len(rec) {
			if v := strings.TrimSpace(rec[i]); v != "" || n == "destination-prefix" {
				get[strings.TrimSpace(n)] = v
			}
		}
	}
	p, err := layout.Prefix([]byte(get["destination-prefix"]), false)
	if err != nil {
		return r, err
	}
	a := layout.Attributes{Attributes: route.Attributes{Subtype: get["subtype"]}}
	var ok bool
	if a.Protocol, ok = protocols[strings.ToLower(get["source-protocol"])]; !ok {
		return r, fmt.Errorf("%w: source protocol %q", layout.ErrNotARoute, get["source-protocol"])
	}
	if a.Special, ok = specials[strings.ToLower(get["special-next-hop"])]; !ok {
		return r, fmt.Errorf("%w: special next hop %q", layout.ErrNotARoute, get["special-next-hop"])
	}
	for _, n := range []struct {
		name string
		to   *route.Number
	}{{"route-preference", &a.Preference}, {"metric", &a.Metric}} {
		if s := get[n.name]; s != "" {
			v, ok := layout.Uint([]byte(s))
			if !ok {
				return r, fmt.Errorf("%w: %s %q", layout.ErrNumber, n.name, s)
			}
			*n.to = route.N(v)
		}
	}
	h := route.NextHop{
		Interface: get["outgoing-interface"], Table: get["next-hop-table"],
		OnLink: get["on-link"] == "true", Down: get["interface-down"] == "true",
		Encapsulated: get["encapsulated"] == "true",
	}
	if s := get["weight"]; s != "" {
		v, ok := layout.Uint([]byte(s))
		if !ok || v > math.MaxUint32 {
			return r, fmt.Errorf("%w: weight %q", layout.ErrNumber, s)
		}
		h.Weight = uint32(v)
	}
	if s := get["next-hop-address"]; s != "" {
		if h.Address, ok = layout.Addr([]byte(s)); !ok {
			return r, fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
	}
	if h != (route.NextHop{}) {
		a.NextHops = []route.NextHop{h}
	}
	state := route.State(0)
	if get["active"] == "true" {
		state |= route.Active
	}
	if cmp.Or(get["installed"], get["active"]) == "true" {
		state |= route.Installed
	}
	x := csvRoute{get["table"], p.Masked(), a, state, lo, hi, route.Mark{}}
	if get["table-is-partial"] == "true" {
		x.partial = layout.Mark(lo, hi)
	}
	return x, nil
}
