package present

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/topology"
)

// RehearseText writes what a change on paper does.
func RehearseText(w io.Writer, r *rehearse.Result, keep []netip.Addr, c CompareView, v View) error {
	d := v.rehearseDocument(r, keep, c)
	d.writeText(w, v)
	return nil
}

// RehearseMarkdown writes it for a ticket.
func RehearseMarkdown(w io.Writer, r *rehearse.Result, keep []netip.Addr, c CompareView, v View) error {
	d := v.rehearseDocument(r, keep, c)
	d.writeMarkdown(w, v)
	return nil
}

// rehearseDocument tells of a change on paper. That the engineer would lose her own way in comes before everything
// else.
func (v View) rehearseDocument(r *rehearse.Result, keep []netip.Addr, c CompareView) document {
	var d document
	good := !r.Whole.Harm()
	words := compareHeadline(r.Whole)
	for i := range r.Steps {
		if l := r.Steps[i].Lost; len(l) > 0 {
			good = false
			where := ""
			if len(r.Steps) > 1 {
				where = " at step " + fmt.Sprint(i+1)
			}
			words = fmt.Sprintf("you would cut yourself off%s: %s; %s", where, lostWords(l), words)
			break
		}
	}
	d.add(answer{words, good})
	last := &r.Steps[len(r.Steps)-1]
	for i := range r.Steps {
		v.rehearsedStep(&d, &r.Steps[i], i+1, len(r.Steps))
	}
	if len(r.Steps) > 1 {
		d.add(paragraph{words: "After all steps, against the network as it was captured:"})
	}
	c.moves = movesByPlace(last.Moves)
	body := v.compareDocument(c)
	d.parts = append(d.parts, body.parts[1:]...)
	if len(keep) > 0 && len(last.Lost) == 0 {
		d.add(paragraph{words: "Kept: " + addressList(keep) + " from every network that reaches it now"})
	}
	if n := untoldOf(last.Moves); n > 0 {
		why := "Neither metrics nor configurations settle which way the routing protocol takes: capture the configurations " +
			"of its routers, which tell areas and costs (zarvek networks -costs shows what is known)."
		if len(last.Lacks) > 0 {
			why = "What is not known of them stands above (zarvek networks -costs shows what is known of costs)."
		}
		words := fmt.Sprintf("Cannot be told: what is used for %s. %s", count(n, "route", "routes"), why)
		d.add(paragraph{words: words, hang: 2})
	}
	if c.Saved != "" {
		d.add(paragraph{words: "Saved as a case: " + Clean(c.Saved)})
	}
	return d
}

func untoldOf(moves []settle.Move) int {
	n := 0
	for _, m := range moves {
		if m.Kind == settle.Untold {
			n++
		}
	}
	return n
}

// lostWords names the addresses to be kept that would be lost, with how many networks lose them.
func lostWords(list []rehearse.Loss) string {
	seen := map[netip.Addr]int{}
	var order []netip.Addr
	for _, l := range list {
		if seen[l.Address] == 0 {
			order = append(order, l.Address)
		}
		seen[l.Address]++
	}
	var parts []string
	for _, a := range order {
		parts = append(parts, fmt.Sprintf("%s from %s", a, count(seen[a], "network", "networks")))
	}
	return strings.Join(parts, ", ")
}

func addressList(list []netip.Addr) string {
	var parts []string
	for _, a := range list {
		parts = append(parts, a.String())
	}
	return strings.Join(parts, ", ")
}

// rehearsedStep tells what a step is, what was assumed and, of several, what it does to the network before it.
func (v View) rehearsedStep(d *document, s *rehearse.StepResult, number, of int) {
	var orders []string
	for _, o := range s.Step.Orders {
		orders = append(orders, o.Verb.String()+" "+Clean(o.Text))
	}
	if of > 1 {
		e := entry{number: number, strong: "step", words: Clean(s.Step.Name)}
		if s.Step.Name == "" {
			e.words = strings.Join(orders, "; ")
		} else {
			e.row("orders", orders...)
		}
		e.row("does", compareHeadline(s.Result))
		for _, l := range s.Lost {
			e.row("cuts off", fmt.Sprintf("%s, which %s reaches now: %s then", l.Address, l.From, l.Is))
		}
		e.row("assumed", append(remarkWords(s.Remarks), v.notedWords(s.Noted)...)...)
		e.row("not known", lackWords(s.Lacks)...)
		d.add(e)
		return
	}
	d.listed("Assumed, and what became of the orders", append(remarkWords(s.Remarks), v.notedWords(s.Noted)...), 1<<30)
	d.listed("Not known, and what would settle it", lackWords(s.Lacks), 1<<30)
	var lost []string
	for _, l := range s.Lost {
		lost = append(lost, fmt.Sprintf("%s, which %s reaches now: %s then", l.Address, l.From, l.Is))
	}
	d.listed("Cut off", lost, maxChanges)
}

// remarkWords says what was assumed of an order, and what became of it beside what was asked.
func remarkWords(list []rehearse.Remark) []string {
	var out []string
	for _, r := range list {
		dev := Clean(r.Order.Device)
		if r.Order.Interface != "" {
			dev += ":" + Clean(r.Order.Interface)
		}
		added := fmt.Sprintf("%s: the route %s", Clean(r.Order.Device), r.Order.Static.Prefix)
		switch r.Kind {
		case rehearse.BothEnds:
			out = append(out, fmt.Sprintf("%s is a link for two, so %s goes %s with it", dev, farWords(r.Others),
				r.Order.Verb))
		case rehearse.OneEnd:
			out = append(out, fmt.Sprintf("%s goes %s alone: over a shared segment %s does not notice", dev,
				r.Order.Verb, farWords(r.Others)))
		case rehearse.NotUsed:
			out = append(out, fmt.Sprintf("%s could not be used: %s", added, fateWords(r.Fare.Configured)))
		case rehearse.StandsBy:
			out = append(out, fmt.Sprintf("%s %s", added, fateWords(r.Fare.Configured)))
		case rehearse.Undecided:
			out = append(out, added+" and one that is there are alike by the rules: the device's own order decides")
		case rehearse.Oscillation:
			out = append(out, "some routes do not come to rest: they leave and come back for ever")
		case rehearse.MayNotice:
			out = append(out, fmt.Sprintf("whether %s, which is down, comes up with %s cannot be told",
				farWords(r.Others), dev))
		case rehearse.FarEndOff:
			out = append(out, fmt.Sprintf("%s does not come up: the other end of the link, %s, is switched off", dev,
				farWords(r.Others)))
		case rehearse.NoAddress:
			out = append(out, fmt.Sprintf("%s has no %s address in the captures while it is down, so what comes with "+
				"it "+
				"cannot be told: capture its configuration", dev, familyName(r.Family)))
		}
	}
	return out
}

func farWords(list []topology.Attachment) string {
	var parts []string
	for _, a := range list {
		parts = append(parts, Clean(a.Device.Name)+":"+Clean(a.Interface))
	}
	return strings.Join(parts, " and ")
}

// onlyInUse are the routes of a move that forward now.
func onlyInUse(m settle.Move) []route.Route {
	return slices.DeleteFunc(slices.Clone(m.Is), func(r route.Route) bool { return !inUse(r) })
}

// moveKey names a prefix of a table.
type moveKey struct {
	device, table string
	prefix        netip.Prefix
}

// movesByPlace says of each prefix what followed.
func movesByPlace(moves []settle.Move) map[moveKey]settle.Kind {
	out := map[moveKey]settle.Kind{}
	for _, m := range moves {
		out[moveKey{m.Device, m.Table, m.Prefix}] = m.Kind
	}
	return out
}

type jsonStepRemark struct {
	Kind   string   `json:"kind"`
	Order  string   `json:"order"`
	Others []string `json:"far-ends"`
	Text   string   `json:"text"`
}

type jsonMoved struct {
	Kind   string      `json:"kind"`
	Device string      `json:"device"`
	Table  string      `json:"table"`
	Prefix string      `json:"destination-prefix"`
	Was    []jsonRoute `json:"before"`
	Is     []jsonRoute `json:"after"`
}

type jsonLoss struct {
	Address string `json:"address"`
	From    string `json:"from"`
	Source  string `json:"source"`
	Was     string `json:"before"`
	Is      string `json:"after"`
}

type jsonStepResult struct {
	Name    string           `json:"name"`
	Orders  []string         `json:"orders"`
	Remarks []jsonStepRemark `json:"remarks"`
	Lost    []jsonLoss       `json:"cut-off"`
	Moves   []jsonMoved      `json:"follows"`
	Lacks   []jsonLack       `json:"would-settle"`
	OneArea []jsonNoted      `json:"one-area"`
	Result  jsonComparison   `json:"comparison"`
}

var remarkKinds = map[rehearse.RemarkKind]string{
	rehearse.BothEnds: "both-ends", rehearse.OneEnd: "one-end", rehearse.NotUsed: "not-used",
	rehearse.StandsBy: "stands-by", rehearse.Undecided: "undecided", rehearse.Oscillation: "oscillation",
	rehearse.NoAddress: "no-address", rehearse.FarEndOff: "far-end-off",
	rehearse.MayNotice: "may-notice",
}

// RehearseJSON writes a rehearsal as one document.
func RehearseJSON(w io.Writer, r *rehearse.Result, keep []netip.Addr, c CompareView, v View) error {
	doc := struct {
		Steps []jsonStepResult `json:"steps"`
		Whole jsonComparison   `json:"whole"`
		Keep  []string         `json:"keep"`
	}{[]jsonStepResult{}, v.comparison(c), []string{}}
	for _, a := range keep {
		doc.Keep = append(doc.Keep, a.String())
	}
	for i := range r.Steps {
		s := &r.Steps[i]
		one := c
		one.Result = s.Result
		j := jsonStepResult{Name: s.Step.Name, Orders: []string{}, Remarks: []jsonStepRemark{}, Lost: []jsonLoss{},
			Moves: []jsonMoved{}, Result: v.comparison(one)}
		for _, o := range s.Step.Orders {
			j.Orders = append(j.Orders, o.Verb.String()+" "+o.Text)
		}
		for _, x := range s.Remarks {
			k := jsonStepRemark{Kind: remarkKinds[x.Kind], Order: x.Order.Text, Others: []string{},
				Text: strings.Join(remarkWords([]rehearse.Remark{x}), "")}
			for _, a := range x.Others {
				k.Others = append(k.Others, a.Device.Name+":"+a.Interface)
			}
			j.Remarks = append(j.Remarks, k)
		}
		for _, l := range s.Lost {
			j.Lost = append(j.Lost, jsonLoss{l.Address.String(), l.From.String(), l.Source.String(), l.Was.String(),
				l.Is.String()})
		}
		j.Moves, j.Lacks, j.OneArea = v.jsonMoves(s.Moves), jsonLacks(s.Lacks), v.jsonNotes(s.Noted)
		doc.Steps = append(doc.Steps, j)
	}
	return writeJSON(w, doc)
}
