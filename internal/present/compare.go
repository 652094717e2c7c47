package present

import (
	"fmt"
	"io"
	"net/netip"
	"path"
	"slices"
	"strings"

	"zarvek/internal/casefile"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
)

// A CompareView is what differs between two networks, as it is to be shown.
type CompareView struct {
	Result *compare.Result
	Sides  [2]Side // before and after
	All    bool    // list every change, not the first ones
	Least  audit.Severity
	Saved  string // the folder in which the second network was saved

	moves map[moveKey]settle.Kind // of a rehearsal: what was not ordered but follows
}

// A Side is one of two networks that are compared.
type Side struct {
	Name     string // as the user gave it; "" for a network that is only thought of
	Evidence Evidence
	Option   string // that makes a command ask this one, such as "-case night1"; "": none can
}

// labelled names the files of one side by the folder that the user gave, so that the lines of two cases are told apart.
type labelled struct {
	Evidence
	folder string
}

func (l labelled) Position(m route.Mark) casefile.Position {
	p := l.Evidence.Position(m)
	if p.File != "" {
		p.File = path.Join(l.folder, p.File)
	}
	return p
}

// Labelled returns evidence whose files are named as they lie below a folder.
func Labelled(e Evidence, folder string) Evidence { return labelled{e, folder} }

// on is the view of one side.
func (v View) on(s Side) View {
	v.Evidence = s.Evidence
	return v
}

// Limits of what text lists without -all.
const (
	maxGroups  = 12
	fewGroups  = 5 // where none concerns two networks with hosts
	maxChanges = 20
)

// CompareText writes what differs, what got worse first.
func CompareText(w io.Writer, c CompareView, v View) error {
	d := v.compareDocument(c)
	d.writeText(w, v)
	return nil
}

// CompareMarkdown writes what differs for a ticket.
func CompareMarkdown(w io.Writer, c CompareView, v View) error {
	d := v.compareDocument(c)
	d.writeMarkdown(w, v)
	return nil
}

// compareDocument puts a comparison in the order in which it is read: the answer, what cannot be compared, what happens
// to packets, and only then the routes behind it.
func (v View) compareDocument(c CompareView) document {
	var d document
	d.add(answer{compareHeadline(c.Result), !c.Result.Harm()})
	d.listed("Only in one of the two, so that what hangs on it cannot be compared", inOneOnly(c), c.most(maxChanges))
	groups := c.shown()
	for i := range groups {
		d.add(v.group(i+1, &groups[i], c))
	}
	if n := len(c.Result.Groups) - len(groups); n > 0 {
		d.add(paragraph{words: fmt.Sprintf("And %s, of networks between devices or of addresses that nobody has "+
			"among them (-all shows them).", count(n, "more group", "more groups"))})
	}
	fresh, gone := v.findingChanges(c)
	d.listed("New findings", fresh, c.most(maxChanges))
	d.listed("Findings that are gone", gone, c.most(maxChanges))
	d.listed("Routes", v.routeChanges(c), c.most(maxChanges))
	d.listed("Beside routes", v.factChanges(c), c.most(maxChanges))
	return d
}

// shown are the groups that are listed: of those without a pair of networks with hosts only as many as it takes to show
// some.
func (c CompareView) shown() []compare.Group {
	most := c.most(maxGroups)
	var out []compare.Group
	for _, g := range c.Result.Groups {
		if len(out) < most && (c.All || g.Hosts > 0) {
			out = append(out, g)
		}
	}
	if len(out) == 0 {
		out = c.Result.Groups[:min(fewGroups, len(c.Result.Groups))]
	}
	return out
}

// most is how many of a list are shown.
func (c CompareView) most(n int) int {
	if c.All {
		return 1 << 30
	}
	return n
}

// listed adds a titled list, cut to what is shown; nothing for an empty one.
func (d *document) listed(title string, lines []string, most int) {
	if len(lines) == 0 {
		return
	}
	if n := len(lines); n > most {
		lines = append(lines[:most:most], fmt.Sprintf("and %d more (-all shows them)", n-most))
	}
	d.add(listing{title, lines})
}

var kindWords = map[compare.Kind]string{
	compare.Worse:    "worse",
	compare.Unclear:  "not clear",
	compare.Better:   "better",
	compare.OtherWay: "another way",
	compare.OtherEnd: "no better",
}

// compareHeadline is the verdict in one line: what concerns hosts first, networks between devices in numbers behind it.
func compareHeadline(r *compare.Result) string {
	var parts, between []string
	for _, k := range []compare.Kind{compare.Worse, compare.Unclear, compare.Better, compare.OtherWay,
		compare.OtherEnd} {
		var all []compare.Pair
		links := map[compare.Pair]bool{}
		for _, g := range r.Groups {
			for _, p := range g.Pairs {
				switch {
				case g.Kind != k:
				case p.Link:
					links[undirected(p)] = true
				default:
					all = append(all, p)
				}
			}
		}
		if len(all) > 0 {
			parts = append(parts, kindWords[k]+": "+pairsWords(all, 0))
		}
		if len(links) > 0 {
			between = append(between, fmt.Sprintf("%d %s", len(links), kindWords[k]))
		}
	}
	if len(between) > 0 {
		parts = append(parts, "pairs with networks between devices: "+strings.Join(between, ", "))
	}
	switch {
	case len(parts) > 0:
		return strings.Join(parts, "; ") + "; all else as before"
	case len(r.Missing) > 0:
		return "as before, as far as both were captured: every packet fares alike"
	case r.Nothing():
		return "no difference"
	}
	return "as before: every packet fares alike, by the same ways"
}

// undirected names a pair by its networks in order.
func undirected(p compare.Pair) compare.Pair {
	if !p.Beyond && p.To.Compare(p.From) < 0 {
		p.From, p.To = p.To, p.From
	}
	return p
}

// pairsWords tells between which networks, with so many names of each side; each pair once, whatever its direction.
func pairsWords(all []compare.Pair, names int) string {
	seen := map[compare.Pair]bool{}
	var pairs, beyond, links []compare.Pair
	for _, p := range all {
		if p = undirected(p); seen[p] {
			continue
		}
		seen[p] = true
		switch {
		case p.Beyond:
			beyond = append(beyond, p)
		case p.Link:
			links = append(links, p)
		default:
			pairs = append(pairs, p)
		}
	}
	var parts []string
	if len(pairs) > 0 {
		parts = append(parts, betweenWords(pairs, names))
	}
	if len(links) > 0 && len(pairs) > 0 {
		parts = append(parts, count(len(links), "pair", "pairs")+" with networks between devices")
	} else if len(links) > 0 {
		parts = append(parts, betweenWords(links, names)+", networks between devices among them")
	}
	if len(beyond) > 0 {
		var from, to []netip.Prefix
		for _, p := range beyond {
			from, to = append(from, p.From), append(to, p.To)
		}
		from, to = eachOnce(from), eachOnce(to)
		s := "from " + networksWords(from, names) + " to addresses that no captured network has"
		if names > 0 {
			s += inParens(prefixList(to, names))
		}
		parts = append(parts, s)
	}
	return strings.Join(parts, ", and ")
}

// maxHubs is how many networks on one side are told apart from all others.
const maxHubs = 4

// betweenWords names the networks of pairs: a few against others where one of the few is in each pair.
func betweenWords(pairs []compare.Pair, names int) string {
	if len(pairs) == 1 {
		return fmt.Sprintf("between %s and %s", pairs[0].From, pairs[0].To)
	}
	hubs := hubsOf(pairs)
	if len(hubs) > maxHubs {
		return count(len(pairs), "pair of networks", "pairs of networks")
	}
	var others []netip.Prefix
	for _, p := range pairs {
		for _, end := range []netip.Prefix{p.From, p.To} {
			if !slices.Contains(hubs, end) {
				others = append(others, end)
			}
		}
	}
	shown := prefixList(hubs, 2)
	switch others = eachOnce(others); {
	case len(others) == 0:
		return "among " + shown
	case len(hubs) == 1:
		return fmt.Sprintf("between %s and %s", shown, networksWords(others, names))
	}
	return fmt.Sprintf("between %s on one side and %s", shown, networksWords(others, names))
}

// hubsOf picks networks of which one is in each pair, those in most pairs first; of very many pairs more than are told.
func hubsOf(pairs []compare.Pair) []netip.Prefix {
	var hubs []netip.Prefix
	for left := slices.Clone(pairs); len(left) > 0 && len(hubs) <= maxHubs; {
		in := map[netip.Prefix]int{}
		var best netip.Prefix
		for _, p := range left {
			in[p.From]++
			in[p.To]++
		}
		for _, p := range left {
			for _, end := range []netip.Prefix{p.From, p.To} {
				if in[end] > in[best] || in[end] == in[best] && end.Compare(best) < 0 {
					best = end
				}
			}
		}
		hubs = append(hubs, best)
		left = slices.DeleteFunc(left, func(p compare.Pair) bool { return p.From == best || p.To == best })
	}
	return hubs
}

// eachOnce sorts prefixes and takes out what stands there twice.
func eachOnce(list []netip.Prefix) []netip.Prefix {
	slices.SortFunc(list, netip.Prefix.Compare)
	return slices.Compact(list)
}

func networksWords(s []netip.Prefix, names int) string {
	switch {
	case len(s) == 1:
		return s[0].String()
	case names == 0:
		return fmt.Sprintf("%d networks", len(s))
	}
	return fmt.Sprintf("%d networks (%s)", len(s), prefixList(s, names))
}

// group words pairs whose ways part at one decision.
func (v View) group(number int, g *compare.Group, c CompareView) entry {
	e := entry{number: number, strong: kindWords[g.Kind], words: pairsWords(g.Pairs, 3) + verdictWords(g)}
	switch {
	case g.After.Down && !g.Before.Down:
		e.row("cause", "the network is attached by interfaces that are down alone")
	case g.Was.Start || g.Is.Start:
		e.row("cause", startWords(g))
	case g.Was.Device != "":
		dst := g.To
		if g.Reply {
			dst = g.From
		}
		e.row("before", v.on(c.Sides[0]).decision(g.Was, dst)...)
		e.row("after", v.on(c.Sides[1]).decision(g.Is, dst)...)
	default:
		e.row("cause", "no device on the way decides otherwise by its routes; a rule or a filter does")
	}
	if g.Partings > 1 {
		e.row("also", count(g.Partings-1, "other decision", "other decisions")+
			" changed on the ways of these pairs (-as json has the routes)")
	}
	e.row("ends", endingWords(g))
	e.row("see", traceWords(g, c)...)
	return e
}

// verdictWords says what the pairs were and are.
func verdictWords(g *compare.Group) string {
	var parts []string
	for _, t := range g.Turns {
		one := t.Before.OneDirection && t.After.OneDirection
		was, is := fateWord(t.Before, one), fateWord(t.After, one)
		s := fmt.Sprintf("%s before, %s now", was, is)
		if was == is {
			s = is + " as before"
		}
		if !slices.Contains(parts, s) {
			parts = append(parts, s)
		}
	}
	return ": " + strings.Join(parts, "; ")
}

func fateWord(f audit.Fate, oneDirection bool) string {
	if !oneDirection {
		return f.Both.String()
	}
	switch f.Forward {
	case forward.Arrives, forward.Leaves, forward.Unknown:
		return f.Forward.String()
	}
	return "lost"
}

// endingWords says how the deciding direction of the example ends now, "" where it arrives.
func endingWords(g *compare.Group) string {
	f := g.After
	if f.Ending == forward.Arrives || f.Ending == forward.GoesOn || f.Device == "" {
		return ""
	}
	what := "packets"
	if f.Reply {
		what = "replies"
	}
	return fmt.Sprintf("%s: %s at %s", what, f.Ending, Clean(f.Device))
}

// startWords says that packets enter the network elsewhere, or nowhere.
func startWords(g *compare.Group) string {
	src := g.From
	if g.Reply {
		src = g.To
	}
	at := func(s audit.Step) string {
		if len(s.Starts) == 0 {
			return "nowhere that was captured"
		}
		return "at " + Clean(strings.Join(s.Starts, " and "))
	}
	if len(g.Was.Starts)+len(g.Is.Starts) == 0 {
		return ""
	}
	return fmt.Sprintf("packets from %s entered the network %s before, and now %s", src, at(g.Was), at(g.Is))
}

// traceWords are the commands that show the example.
func traceWords(g *compare.Group, c CompareView) []string {
	var out []string
	for _, s := range c.Sides {
		if s.Option != "" {
			out = append(out, fmt.Sprintf("zarvek trace %s %s %s", g.From, g.To, Clean(s.Option)))
		}
	}
	return out
}

// decision words what a device does at a step, one statement for each way on, with the line that says so.
func (v View) decision(s audit.Step, dst netip.Addr) []string {
	if len(s.Moves) == 0 {
		return []string{Clean(s.Device) + " is not there, or has no such table"}
	}
	var out []string
	for _, m := range s.Moves {
		out = append(out, v.move(s, m, dst))
	}
	return out
}

// move words what a device does with a packet, with the route by which it does and the captured line.
func (v View) move(s audit.Step, m forward.Move, dst netip.Addr) string {
	marks := m.Hop.Evidence
	var words string
	if m.Verdict == forward.GoesOn {
		words = fmt.Sprintf("%s sends %s to %s", Clean(s.Device), dst, onward(m.Hop))
	} else {
		b := forward.Branch{Verdict: m.Verdict, Where: s.Device, Delivery: m.Delivery, Hops: []forward.Hop{m.Hop},
			Reason: m.Reason}
		words = reasonClause(b, dst, Clean(s.Device), allPackets)
		if len(m.Reason.Marks) > 0 && len(marks) == 0 {
			marks = m.Reason.Marks
		}
	}
	if m.Hop.Prefix.IsValid() && m.Hop.Route.Attributes != nil && !strings.Contains(words, m.Hop.Prefix.String()) {
		words += fmt.Sprintf(", by its route %s (%s)", m.Hop.Prefix, learned(m.Hop.Route.Attributes))
	}
	if p := v.placeOf(marks); p != "" {
		words += "  " + p
	}
	for _, c := range v.captured(marks) {
		words += "  | " + strings.Join(c.lines, " / ")
	}
	return words
}

// inOneOnly lists what was captured on one side only, since its absence on the other is no difference of the network.
func inOneOnly(c CompareView) []string {
	var out []string
	for _, m := range c.Result.Missing {
		at := "before"
		if !m.After {
			at = "after"
		}
		what := "device " + Clean(m.Device)
		switch {
		case m.Neighbours:
			what = "neighbour entries of " + Clean(m.Device)
		case m.Table != "":
			what = fmt.Sprintf("%s table %s of %s", familyName(m.Family), Clean(m.Table), Clean(m.Device))
		}
		if m.Part {
			what += ", all of it"
		}
		out = append(out, fmt.Sprintf("%s: only %s", what, at))
	}
	return out
}

// findingChanges parts the findings that are new from those that are gone, without those below the severity asked for.
func (v View) findingChanges(c CompareView) (fresh, gone []string) {
	for i := range c.Result.Findings {
		f := &c.Result.Findings[i]
		if f.Finding.Severity < c.Least {
			continue
		}
		words := fmt.Sprintf("%s: %s (%s)", f.Finding.Severity, summary(&f.Finding), f.Finding.ID)
		if f.Gone {
			gone = append(gone, words)
		} else {
			fresh = append(fresh, words)
		}
	}
	return fresh, gone
}

// routeChanges words each prefix of which a device's routes differ; what follows from a change says so.
func (v View) routeChanges(c CompareView) []string {
	var out []string
	for _, r := range c.Result.Routes {
		table := ""
		if r.Table != "default" {
			table = " in table " + Clean(r.Table)
		}
		words := fmt.Sprintf("%s %s%s: ", Clean(r.Device), r.Prefix, table)
		switch {
		case untoldNow(r) && len(r.Was) == 0:
			words += "cannot be told whether it comes"
		case len(r.Was) == 0:
			words += "came, " + v.on(c.Sides[1]).routeList(r.Is)
		case !slices.ContainsFunc(r.Is, inUse) && slices.ContainsFunc(r.Was, inUse) && !untoldNow(r):
			words += "went, was " + v.on(c.Sides[0]).routeList(r.Was)
		case untoldNow(r):
			words += "cannot be told, was " + v.on(c.Sides[0]).routeList(r.Was)
		default:
			words += "was " + v.on(c.Sides[0]).routeList(r.Was) + "; is " + v.on(c.Sides[1]).routeList(r.Is)
		}
		if k, ok := c.moves[moveKey{r.Device, r.Table, r.Prefix}]; ok {
			words += inParens(followWords[k])
		}
		out = append(out, words)
	}
	return out
}

// untoldNow reports whether it cannot be told what is used for a prefix after the change.
func untoldNow(r compare.RouteChange) bool {
	return slices.ContainsFunc(r.Is, func(x route.Route) bool { return x.Is(route.Untold) })
}

func inUse(r route.Route) bool { return r.Is(route.Installed) }

// followWords say how a route of a rehearsal came about, where nobody ordered it.
var followWords = map[settle.Kind]string{
	settle.Left:      "follows",
	settle.CameIn:    "follows: it stood by",
	settle.Predicted: "predicted",
	settle.Untold:    "the captures do not settle it",
}

// routeList words the routes of one prefix, those that forward first.
func (v View) routeList(list []route.Route) string {
	var parts []string
	for _, installed := range []bool{true, false} {
		for _, r := range list {
			if r.Is(route.Installed) != installed {
				continue
			}
			s := learned(r.Attributes) + " " + strings.Join(ways(r.Attributes), " and ")
			if n := numbers(r); n != "" {
				s += ", " + n
			}
			if !installed {
				s += ", not used"
			}
			if p := v.place(r.Mark); p != "" {
				s += "  " + p
			}
			parts = append(parts, s)
		}
	}
	return strings.Join(parts, "; ")
}

// factChanges words what differs beside routes: addresses, interfaces, neighbours, switches.
func (v View) factChanges(c CompareView) []string {
	var out []string
	for _, f := range c.Result.Facts {
		dev, ifname := Clean(f.Device), Clean(f.Interface)
		var s string
		switch f.Kind {
		case compare.OwnAddress:
			s = fmt.Sprintf("%s: address %s%s ", dev, f.Prefix, on(f.Interface))
			if f.Was != "" {
				s += "went"
			} else {
				s += "came"
			}
		case compare.InterfaceState:
			s = fmt.Sprintf("%s: interface %s was %s, is %s", dev, ifname, f.Was, f.Is)
		case compare.NeighbourEntry:
			s = fmt.Sprintf("%s: neighbour %s%s was %s, is %s", dev, f.Prefix.Addr(), on(f.Interface), Clean(f.Was),
				Clean(f.Is))
		case compare.ForwardingSwitch:
			s = fmt.Sprintf("%s: forwarding of %s was %s, is %s", dev, familyName(f.Family), f.Was, f.Is)
		case compare.SourceCheck:
			s = fmt.Sprintf("%s: source check of %s%s was %s, is %s", dev, familyName(f.Family), on(f.Interface), f.Was,
				f.Is)
		}
		var places []string
		for i, m := range []route.Mark{f.Before, f.After} {
			if p := v.on(c.Sides[i]).place(m); p != "" && !slices.Contains(places, p) {
				places = append(places, p)
			}
		}
		if len(places) > 0 {
			s += "  " + strings.Join(places, ", ")
		}
		out = append(out, s)
	}
	return out
}
