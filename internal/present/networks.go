package present

import (
	"encoding/csv"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/survey"
	"zarvek/internal/core/topology"
)

var knowledgeWords = map[survey.Knowledge]string{
	survey.KnowsNot:       "not at all",
	survey.TableMissing:   "no table",
	survey.KnowsByDefault: "default only",
	survey.KnowsParts:     "parts only",
	survey.Swallowed:      "discarded",
	survey.KnowsBySummary: "summary",
	survey.KnowsExactly:   "own route",
	survey.IsAttached:     "attached",
}

var knowledgeCodes = map[survey.Knowledge]string{
	survey.KnowsNot:       "not-at-all",
	survey.TableMissing:   "table-missing",
	survey.KnowsByDefault: "default-only",
	survey.KnowsParts:     "parts-only",
	survey.Swallowed:      "discarded",
	survey.KnowsBySummary: "summary",
	survey.KnowsExactly:   "exact",
	survey.IsAttached:     "attached",
}

// NetworksText writes all attached networks, who is there, and how each device knows each.
func NetworksText(w io.Writer, s survey.Survey, devices []*network.Device, v View) error {
	per := map[bool]int{}
	for _, n := range s.Networks {
		per[n.Prefix.Addr().Is4()]++
	}
	clashes := len(s.Masks) + len(s.Duplicates) + len(s.Overlapping)
	v.headline(
		w,
		clashes == 0,
		"%s attached to %s (IPv4 %d, IPv6 %d), %s learned from routes alone; %s",
		count(len(s.Networks), "network", "networks"),
		count(len(devices), "device", "devices"),
		per[true],
		per[false],
		grouped(s.LearnedCount),
		clashWords(clashes),
	)
	v.defaults(w, s)
	if len(s.Networks) == 0 {
		v.learned(w, s)
		return nil
	}
	fmt.Fprintln(w, "\nWho is attached:")
	rows := [][]string{}
	for _, n := range s.Networks {
		for i, at := range n.Attached {
			first := ""
			if i == 0 {
				first = n.Prefix.String()
			}
			addr := "address not captured"
			if at.Address.IsValid() {
				addr = at.Address.String()
			}
			rows = append(rows, []string{first, Clean(at.Device.Name), Clean(at.Interface), addr, v.place(at.Mark)})
		}
	}
	columns(w, "  ", rows)
	v.learned(w, s)
	v.knowledge(w, s, devices)
	v.clashes(w, s)
	return nil
}

func clashWords(n int) string {
	if n == 0 {
		return "no two clash"
	}
	return count(n, "clash of addresses", "clashes of addresses") + ", listed below"
}

// maxLearnedShown is how many learned networks the text lists.
const maxLearnedShown = 40

// defaults says which devices have a default route.
func (v View) defaults(w io.Writer, s survey.Survey) {
	of := map[string]int{}
	var names []string
	for _, k := range s.Defaults {
		name := Clean(k.Device.Name)
		if of[name]++; of[name] == 1 {
			names = append(names, name)
		}
	}
	slices.SortFunc(names, network.CompareNames)
	if len(names) > 0 {
		v.wrapped(
			w,
			"",
			fmt.Sprintf(
				"%s a default route: %s",
				count(len(names), "device has", "devices have"),
				namesUpTo(names, maxNamesShown),
			),
		)
	}
}

// maxNamesShown is how many devices a line of text names.
const maxNamesShown = 24

// namesUpTo joins names, and counts those that there is no room for.
func namesUpTo(names []string, most int) string {
	if n := len(names) - most; n > 1 {
		return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %s others", grouped(n))
	}
	return strings.Join(names, ", ")
}

// learned lists the networks that routes alone tell of.
func (v View) learned(w io.Writer, s survey.Survey) {
	if len(s.Learned) == 0 {
		return
	}
	fmt.Fprintln(w, "\nLearned from routes alone, attached to no captured device:")
	var rows [][]string
	for i, l := range s.Learned {
		if i == maxLearnedShown && s.LearnedCount > maxLearnedShown+1 {
			rows = append(
				rows,
				[]string{fmt.Sprintf("and %s more (-as csv or json lists more)", grouped(s.LearnedCount-i))},
			)
			break
		}
		who := Clean(l.Devices[0].Name)
		if n := len(l.Devices); n > 1 {
			who += fmt.Sprintf(" and %d more", n-1)
		}
		covers := ""
		if l.Covers > 0 {
			covers = "covers " + count(l.Covers, "attached network", "attached networks")
		}
		rows = append(
			rows,
			[]string{l.Prefix.String(), "known at " + who, learned(l.Route.Attributes), covers, v.place(l.Route.Mark)},
		)
	}
	columns(w, "  ", rows)
}

// knowledge writes the matrix of networks and devices, as many devices side by side as the width has room for.
// Where there are more devices than anybody compares, it counts them.
func (v View) knowledge(w io.Writer, s survey.Survey, devices []*network.Device) {
	if len(devices) > maxKnowersShown {
		v.knowledgeCounts(w, s)
		return
	}
	first := 0
	for _, n := range s.Networks {
		first = max(first, len(n.Prefix.String()))
	}
	cell := 0
	for _, d := range devices {
		cell = max(cell, min(len(Clean(d.Name)), 24))
	}
	for _, word := range knowledgeWords {
		cell = max(cell, len(word))
	}
	width := v.page()
	room := max((width-2-first)/(cell+2), 1)
	blocks := (len(devices) + room - 1) / room
	room = (len(devices) + blocks - 1) / blocks // the blocks alike
	fmt.Fprintln(w, "\nHow each device knows each network:")
	for lo := 0; lo < len(devices); lo += room {
		hi := min(lo+room, len(devices))
		head := []string{"network"}
		for _, d := range devices[lo:hi] {
			head = append(head, Clean(d.Name))
		}
		rows := [][]string{head}
		for _, n := range s.Networks {
			row := []string{n.Prefix.String()}
			at := 0
			for k := range s.Known(n) {
				if lo <= at && at < hi {
					row = append(row, knowledgeWords[k.How])
				}
				at++
			}
			rows = append(rows, row)
		}
		if lo > 0 {
			fmt.Fprintln(w)
		}
		columns(w, "  ", rows)
	}
}

// maxKnowersShown is how many devices the text puts side by side.
const maxKnowersShown = 60

// knowledgeCounts writes for each network how many devices know it in which way.
func (v View) knowledgeCounts(w io.Writer, s survey.Survey) {
	order := []survey.Knowledge{survey.IsAttached, survey.KnowsExactly, survey.KnowsBySummary, survey.KnowsByDefault,
		survey.KnowsParts, survey.Swallowed, survey.KnowsNot, survey.TableMissing}
	head := []string{"network"}
	for _, k := range order {
		head = append(head, knowledgeWords[k])
	}
	rows := [][]string{head}
	for _, n := range s.Networks {
		counts := s.Count(n)
		row := []string{n.Prefix.String()}
		for _, k := range order {
			row = append(row, grouped(counts[k]))
		}
		rows = append(rows, row)
	}
	fmt.Fprintln(w, "\nHow many devices know each network in which way (-as csv names them):")
	columns(w, "  ", rows)
}

// clashes tells of addresses and lengths that contradict each other.
func (v View) clashes(w io.Writer, s survey.Survey) {
	for _, c := range s.Duplicates {
		fmt.Fprintf(
			w,
			"\n%s is an address of two devices: %s and %s\n",
			c.Prefix.Addr(),
			v.standing(c.A),
			v.standing(c.B),
		)
	}
	for _, c := range s.Masks {
		fmt.Fprintf(
			w,
			"\nTwo lengths on one segment: %s at %s, %s at %s\n",
			c.Prefix,
			v.standing(c.A),
			c.Other,
			v.standing(c.B),
		)
	}
	for _, c := range s.Overlapping {
		fmt.Fprintf(
			w,
			"\n%s at %s lies inside of %s at %s, which is another segment\n",
			c.Prefix,
			v.standing(c.A),
			c.Other,
			v.standing(c.B),
		)
	}
}

// standing words an attachment with its place.
func (v View) standing(a topology.Attachment) string {
	s := Clean(a.Device.Name) + on(a.Interface)
	if p := v.place(a.Mark); p != "" {
		s += " (" + p + ")"
	}
	return s
}

// NetworksCSV writes a line for each network and device.
func NetworksCSV(out io.Writer, s survey.Survey, v View) error {
	w := csv.NewWriter(out)
	if err := w.Write([]string{"network", "device", "known", "route", "captured-at"}); err != nil {
		return err
	}
	for _, n := range s.Networks {
		for k := range s.Known(n) {
			by := ""
			if k.Route.Prefix.IsValid() {
				by = k.Route.Prefix.String()
			}
			if err := w.Write([]string{n.Prefix.String(), defuse(k.Device.Name), knowledgeCodes[k.How], by,
				defuse(v.place(k.Route.Mark))}); err != nil {
				return err
			}
		}
	}
	for _, l := range s.Learned {
		for _, d := range l.Devices {
			if err := w.Write([]string{l.Prefix.String(), defuse(d.Name), "learned", l.Prefix.String(),
				defuse(v.place(l.Route.Mark))}); err != nil {
				return err
			}
		}
	}
	w.Flush()
	return w.Error()
}

type jsonAttached struct {
	Device    string  `json:"device"`
	Interface string  `json:"interface"`
	Address   *string `json:"address"`
	Table     string  `json:"table"`
}

type jsonKnown struct {
	Device string  `json:"device"`
	How    string  `json:"how"`
	Route  *string `json:"route"`
}

type jsonNetwork struct {
	Prefix   string         `json:"prefix"`
	Attached []jsonAttached `json:"attached"`
	Known    []jsonKnown    `json:"known"`
}

type jsonLearned struct {
	Prefix   string      `json:"prefix"`
	Devices  []string    `json:"devices"`
	Evidence []jsonPlace `json:"evidence"`
}

type jsonClash struct {
	Kind     string         `json:"kind"`
	Prefix   string         `json:"prefix"`
	Other    *string        `json:"other-prefix"`
	At       []jsonAttached `json:"at"`
	Evidence []jsonPlace    `json:"evidence"`
}

func markOf(a topology.Attachment) []route.Mark { return []route.Mark{a.Mark} }

func attachedJSON(a topology.Attachment) jsonAttached {
	return jsonAttached{a.Device.Name, a.Interface, address(a.Address), a.Table}
}

// NetworksJSON writes the same as one document.
func NetworksJSON(w io.Writer, s survey.Survey, v View) error {
	doc := struct {
		Networks []jsonNetwork `json:"networks"`
		Learned  []jsonLearned `json:"learned"`
		Count    int           `json:"learned-count"`
		Defaults []string      `json:"devices-with-default"`
		Clashes  []jsonClash   `json:"clashes"`
	}{[]jsonNetwork{}, []jsonLearned{}, s.LearnedCount, []string{}, []jsonClash{}}
	for _, l := range s.Learned {
		j := jsonLearned{l.Prefix.String(), []string{}, v.places([]route.Mark{l.Route.Mark})}
		for _, d := range l.Devices {
			j.Devices = append(j.Devices, d.Name)
		}
		doc.Learned = append(doc.Learned, j)
	}
	for _, k := range s.Defaults {
		if !slices.Contains(doc.Defaults, k.Device.Name) {
			doc.Defaults = append(doc.Defaults, k.Device.Name)
		}
	}
	for _, n := range s.Networks {
		j := jsonNetwork{Prefix: n.Prefix.String()}
		for _, at := range n.Attached {
			j.Attached = append(j.Attached, attachedJSON(at))
		}
		for k := range s.Known(n) {
			j.Known = append(j.Known, jsonKnown{k.Device.Name, knowledgeCodes[k.How], prefix(k.Route.Prefix)})
		}
		doc.Networks = append(doc.Networks, j)
	}
	for _, group := range []struct {
		kind string
		all  []survey.Clash
	}{{"duplicate-address", s.Duplicates}, {"lengths-on-one-segment", s.Masks}, {"overlapping-networks",
		s.Overlapping}} {
		for _, c := range group.all {
			other := prefix(c.Other)
			if c.Other == (netip.Prefix{}) {
				other = nil
			}
			doc.Clashes = append(
				doc.Clashes,
				jsonClash{group.kind, c.Prefix.String(), other, []jsonAttached{attachedJSON(c.A), attachedJSON(c.B)},
					append(v.places(markOf(c.A)), v.places(markOf(c.B))...)},
			)
		}
	}
	return writeJSON(w, doc)
}
