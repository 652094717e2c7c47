package present

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// maxItems is how many things on one line are told.
const maxItems = 20

// GlossText writes a capture line by line with what each line says.
func GlossText(out io.Writer, file string, lines []capture.GlossedLine, v View) error {
	w := bufio.NewWriterSize(out, 1<<16)
	told, unread := 0, 0
	for _, l := range lines {
		switch l.Kind {
		case capture.DataLine:
			told++
		case capture.UnreadLine:
			unread++
		}
	}
	v.headline(
		w,
		unread == 0,
		"%s: %s: %d tell something, %s",
		Clean(file),
		count(len(lines), "line", "lines"),
		told,
		notRead(unread),
	)
	for _, l := range lines {
		if l.Kind == capture.BlankLine {
			continue
		}
		text := l.Text
		if len(text) > maxShown {
			text = text[:maxShown] + fmt.Sprintf("… (%d bytes more)", len(text)-maxShown)
		}
		fmt.Fprintf(w, "\n%6d | %s\n", l.Number, Clean(strings.TrimRight(text, " \r")))
		says := glossWords(l)
		for i, s := range says {
			if i == maxItems {
				fmt.Fprintf(w, "         and %s more on this line\n", grouped(len(says)-maxItems))
				break
			}
			v.wrapped(w, "         ", s)
		}
	}
	return w.Flush()
}

func notRead(n int) string {
	if n == 0 {
		return "none is unread"
	}
	return count(n, "is unread", "are unread")
}

var passedWords = map[layout.As]string{
	layout.Other:      "says nothing about routes",
	layout.Key:        "part of the key: what the letters and signs in the rows mean",
	layout.Parent:     "heads the rows below that lie in this network; it is no route itself",
	layout.LastResort: "repeats where the default route leads; the row of that route is what counts",
	layout.Title:      "names what stands below", layout.Ruler: "a ruler",
	layout.Names:         "the names of the columns below",
	layout.Count:         "counts what the table holds",
	layout.PrefixHeading: "a prefix; its routes stand on the lines below",
	layout.Part:          "a part of what another line tells",
	layout.Text:          "a part of a text that says nothing about routes",
	layout.Remark:        "says that the listing shows a part of the table only",
}

var lineCodes = map[capture.LineKind]string{
	capture.BlankLine:  "blank",
	capture.DataLine:   "data",
	capture.PromptLine: "prompt",
	capture.NoiseLine:  "noise",
	capture.UnreadLine: "unread",
	capture.AroundLine: "around",
}

// glossWords says what a line tells, one text for each thing.
func glossWords(l capture.GlossedLine) []string {
	switch l.Kind {
	case capture.PromptLine:
		s := "a prompt"
		if l.Device != "" {
			s = "the prompt of " + Clean(l.Device)
		}
		if l.Command != "" {
			s += "; what it was asked stands behind it, what it answered below"
		}
		return []string{s}
	case capture.NoiseLine:
		return []string{"a message of the terminal or the log; no table's"}
	case capture.UnreadLine:
		return []string{"not read: " + Clean(l.Reason.Error())}
	case capture.AroundLine:
		return []string{passedWords[l.As]}
	}
	var out []string
	for _, it := range l.Items {
		if w := itemWords(it, l.Number); !slices.Contains(out, w) { // a rule that may permit and may deny is two
			out = append(out, w)
		}
	}
	return out
}

func itemWords(it capture.Item, line int) string {
	switch {
	case it.Route != nil && it.First != line:
		return moreWords(it)
	case it.Route != nil:
		return routeWords(it)
	case it.Fact != nil:
		return factWords(*it.Fact)
	}
	return ""
}

// routeWords says what the first line of a route tells.
func routeWords(it capture.Item) string {
	r, t := it.Route, it.Table
	var parts []string
	switch {
	case r.Protocol == route.Local || r.Special == route.Receive:
		parts = append(parts, fmt.Sprintf("the device's own address %s%s", r.Prefix, on(firstInterface(r.Attributes))))
	case r.Protocol == route.Direct && r.Prefix.IsSingleIP():
		parts = append(
			parts,
			fmt.Sprintf("an address by itself, attached: %s%s", r.Prefix, on(firstInterface(r.Attributes))),
		)
	case r.Protocol == route.Direct:
		parts = append(parts, fmt.Sprintf("an attached network: %s%s", r.Prefix, on(firstInterface(r.Attributes))))
	case r.Prefix.Bits() == 0:
		parts = append(
			parts,
			fmt.Sprintf(
				"the default route, %s, for all that no longer prefix covers: learned by %s",
				r.Prefix,
				learned(r.Attributes),
			),
		)
	default:
		parts = append(parts, fmt.Sprintf("a route to %s, learned by %s", r.Prefix, learned(r.Attributes)))
	}
	if t.Name != "default" {
		parts = append(parts, "in table "+Clean(t.Name))
	}
	parts = append(parts, stateWords(*r, t.Kind))
	if r.Preference.Known {
		first := "lower ones come first"
		switch {
		case t.HighestWins:
			first = "higher ones come first"
		case r.Preference.Value == 0:
			first = "nothing comes before it"
		}
		parts = append(parts, fmt.Sprintf("preference %s (%s)", number(r.Preference), first))
	}
	if r.Metric.Known && r.Protocol != route.Direct && r.Protocol != route.Local {
		parts = append(parts, fmt.Sprintf("metric %s (among %s routes)", number(r.Metric), r.Protocol))
	}
	switch {
	case r.Special != route.None && r.Special != route.Receive:
		parts = append(parts, ways(r.Attributes)...)
	case r.Protocol != route.Direct && r.Protocol != route.Local && r.Special == route.None:
		if hops := hopWords(it); hops != "" {
			parts = append(parts, "reached through "+hops)
		} else if len(r.NextHops) > 0 {
			parts = append(parts, "its next hops stand on the lines below")
		}
	}
	if it.HeardOfAgo != "" {
		verb := "known for "
		if r.Protocol.Dynamic() {
			verb = "heard of "
		}
		s := verb + it.HeardOfAgo
		if r.Protocol.Dynamic() {
			s += " ago"
		}
		parts = append(parts, s)
	}
	return strings.Join(parts, "; ")
}

// stateWords says what the capture tells of a route's use.
func stateWords(r route.Route, k network.Kind) string {
	switch k {
	case network.ForwardingTable:
		if r.Is(route.Unusable) {
			return "not usable now"
		}
		return "part of what forwards"
	case network.Database:
		return "known to the protocol; whether it is used the routing table tells"
	case network.Walk:
		return "as a management walk shows it"
	}
	switch {
	case r.Is(route.Unusable):
		return "inactive: it cannot be used"
	case r.Is(route.Active | route.Installed):
		return "in use"
	case r.Is(route.Rejected):
		return "chosen, but what forwards did not take it"
	case r.Is(route.Active):
		return "chosen, but not in what forwards"
	case r.Is(route.Installed):
		return "in what forwards, though not marked as chosen"
	}
	return "a candidate that is not in use"
}

// hopWords words the next hops of a captured line with what the line marks them as.
func hopWords(it capture.Item) string {
	var out []string
	for _, h := range it.Hops {
		s := to(h.Address, h.Interface)
		if !h.Address.IsValid() {
			s = "interface " + Clean(h.Interface)
		}
		for _, x := range []struct {
			on   bool
			word string
		}{{h.Recursive, "itself found through another route"}, {h.Inactive, "inactive"}, {h.Backup,
			"kept as a backup"}, {h.Down, "its link is down"},
			{h.OnLink, "taken as attached though no prefix says so"}, {h.Encapsulated,
				"inside of something else, labels or a tunnel"}} {
			if x.on {
				s += " (" + x.word + ")"
			}
		}
		if !it.Used[h] && !h.Recursive && !h.Inactive && !h.Backup {
			s += " (another next hop is selected)"
		}
		if h.Weight > 1 {
			s += fmt.Sprintf(" (weight %d)", h.Weight)
		}
		out = append(out, s)
	}
	return strings.Join(out, " and ")
}

// moreWords says what a further line of a route tells.
func moreWords(it capture.Item) string {
	begin := fmt.Sprintf("goes on with %s of line %d", it.Route.Prefix, it.First)
	if len(it.Hops) == 0 {
		return begin
	}
	word := "also through "
	if it.Hops[0].Resolves {
		word = "that next hop is found through "
	} else if len(it.Route.NextHops) == len(it.Hops) {
		word = "through "
	}
	return begin + ": " + word + hopWords(it)
}

// GlossJSON writes the same as one document.
func GlossJSON(w io.Writer, file string, lines []capture.GlossedLine) error {
	type jsonLine struct {
		Line   int         `json:"line"`
		Text   string      `json:"text"`
		Kind   string      `json:"kind"`
		Layout *string     `json:"layout"`
		Says   []string    `json:"says"`
		Words  []jsonToken `json:"words"`
	}
	doc := struct {
		File  string     `json:"file"`
		Lines []jsonLine `json:"lines"`
	}{file, []jsonLine{}}
	for _, l := range lines {
		if l.Kind != capture.BlankLine {
			doc.Lines = append(
				doc.Lines,
				jsonLine{l.Number, l.Text, lineCodes[l.Kind], text(l.Layout), glossWords(l), jsonTokens(l)},
			)
		}
	}
	return writeJSON(w, doc)
}

// jsonToken is a word of a line that is more than a word: its text, and what it is.
type jsonToken struct {
	Text string `json:"text"`
	Is   string `json:"is"`
}

func jsonTokens(l capture.GlossedLine) []jsonToken {
	out := []jsonToken{}
	for _, t := range l.Tokens {
		if t.Kind == capture.WordToken {
			continue
		}
		out = append(out, jsonToken{l.Text[t.Lo:t.Hi], string(t.Kind)})
	}
	return out
}
