package present

import (
	"fmt"
	"io"

	"zarvek/internal/core/settle"
)

// CostsText writes what each device counts for the way to each neighbour by a routing protocol.
func CostsText(w io.Writer, all []settle.Cost, v View) error {
	known, disagree := 0, 0
	for _, c := range all {
		if c.Value.Known {
			known++
		}
		if c.Disagree {
			disagree++
		}
	}
	words := "no adjacency of a protocol whose metrics add up is seen in a captured route"
	if len(all) > 0 {
		words = fmt.Sprintf("%s of routing protocols, the cost of %s known",
			count(len(all), "adjacency", "adjacencies"),
			fmt.Sprintf("%d of them", known))
	}
	if disagree > 0 {
		words += fmt.Sprintf("; for %d the captured metrics disagree", disagree)
	}
	v.headline(w, disagree == 0, "%s", words)
	if len(all) == 0 {
		return nil
	}
	rows := [][]string{{"device", "interface", "to", "by", "cost", "rests on"}}
	for _, c := range all {
		to := Clean(c.Neighbour)
		if to == "" {
			to = "a device that was not captured"
		}
		rests := v.somePlaces(c.Marks, 2)
		if len(rests) == 0 {
			rests = []string{"-"}
		}
		table := ""
		if c.Table != "default" {
			table = ", table " + Clean(c.Table)
		}
		rows = append(rows, []string{Clean(c.Device) + table, Clean(c.Interface), to,
			fmt.Sprintf("%s, %s", c.Protocol, familyName(c.Family)), costWords(c), joinPlaces(rests)})
	}
	fmt.Fprintln(w)
	columns(w, "  ", rows)
	return nil
}

func joinPlaces(list []string) string {
	s := list[0]
	for _, p := range list[1:] {
		s += ", " + p
	}
	return s
}

// costWords words a cost as far as it is known.
func costWords(c settle.Cost) string {
	switch {
	case c.Value.Known && c.Configured:
		return number(c.Value) + ", configured"
	case c.Value.Known && c.Listed:
		return number(c.Value) + ", listed"
	case c.Value.Known:
		return number(c.Value) + ", deduced"
	case c.Disagree:
		return "metrics disagree: several areas, redistribution or moments"
	case c.Least > 1:
		return fmt.Sprintf("at least %d", c.Least)
	}
	return "not known"
}

type jsonCost struct {
	Protocol  string      `json:"protocol"`
	Family    string      `json:"family"`
	Device    string      `json:"device"`
	Table     string      `json:"table"`
	Interface *string     `json:"interface"`
	Neighbour *string     `json:"neighbour"`
	Cost      *uint64     `json:"cost"`
	AtLeast   uint64      `json:"at-least"`
	Source    string      `json:"source"` // configured, listed, deduced, disagree or unknown
	Evidence  []jsonPlace `json:"evidence"`
}

// CostsJSON writes the costs as one document.
func CostsJSON(w io.Writer, all []settle.Cost, v View) error {
	doc := struct {
		Costs []jsonCost `json:"costs"`
	}{[]jsonCost{}}
	for _, c := range all {
		j := jsonCost{c.Protocol.String(), c.Family.String(), c.Device, c.Table, text(c.Interface), text(c.Neighbour),
			value(c.Value), c.Least, "unknown", v.marked(c.Marks)}
		switch {
		case c.Value.Known && c.Configured:
			j.Source = "configured"
		case c.Value.Known && c.Listed:
			j.Source = "listed"
		case c.Value.Known:
			j.Source = "deduced"
		case c.Disagree:
			j.Source = "disagree"
		}
		doc.Costs = append(doc.Costs, j)
	}
	return writeJSON(w, doc)
}
