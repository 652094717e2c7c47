package capture

import (
	"flag"
	"fmt"
	"hash/fnv"
	"iter"
	"math/rand/v2"
	"regexp"
	"slices"
	"sort"
	"strings"
	"sync/atomic"
	"testing"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

var (
	disturbances     = flag.Int("disturb", 10, "how often each sample is disturbed")
	firstDisturbance = flag.Int("disturb-from", 0, "the number of the first of these")
)

// disturbed is a text with something done to it that happens to real captures.
type disturbed struct {
	what, text string
	lines      []int // that were taken out, doubled or changed, counted from 1
}

// intruders are what stands between the lines of a table in real logs.
var intruders = []string{
	"Mar  3 02:11:09.112: %LINK-3-UPDOWN: Interface hall7, changed state to down",
	"<189>Mar  3 02:11:09 mast9 link: hall7 10.99.9.9 lost",
	"PING 10.99.9.9 (10.99.9.9) 56(84) bytes of data.",
	"64 bytes from 10.99.9.9: icmp_seq=1 ttl=64 time=0.41 ms",
	" 1  10.99.9.1 (10.99.9.1)  0.3 ms  0.2 ms  0.2 ms",
	"[night@control ~]$ uptime",
	"control:/home/night> show clock",
	"*02:11:09.112 UTC Tue Mar 3 2026",
	"depot-c9k(night)%% show version",
	"Connection to 10.99.9.9 closed by remote host.",
	"10.99.9.9 hall7 is not what it was",
	"Software, version 10.99.9",
	"--More--",
}

// disturb does one thing to a text. Whole tells, for each line that begins a route of several, how many lines that
// takes: a line is deleted with those that go on with it, since nothing tells afterwards which row they went on with.
func disturb(rnd *rand.Rand, text string, whole map[int]int) disturbed {
	lines := strings.SplitAfter(text, "\n")
	at := rnd.IntN(len(lines))
	put := func(lines ...string) string { return strings.Join(lines, "") }
	switch rnd.IntN(10) {
	case 0:
		n := rnd.IntN(len(text) + 1)
		return disturbed{"cut", text[:n], nil}
	case 1:
		n := whole[at+1]
		return disturbed{"deleted", put(slices.Concat(lines[:at], lines[min(at+n, len(lines)):])...), []int{at + 1}}
	case 2:
		return disturbed{"doubled", put(slices.Concat(lines[:at], lines[at:min(at+1, len(lines))], lines[at:])...), []int{at + 1}}
	case 3:
		x := intruders[rnd.IntN(len(intruders))]
		return disturbed{"inserted " + x, put(slices.Concat(lines[:at], []string{x + "\n"}, lines[at:])...), []int{at + 1}}
	case 4, 5:
		width := 40 + rnd.IntN(60)
		var out strings.Builder
		for _, l := range lines {
			end := ""
			if strings.HasSuffix(l, "\n") {
				l, end = l[:len(l)-1], "\n"
			}
			if strings.HasSuffix(l, "\r") {
				l, end = l[:len(l)-1], "\r"+end
			}
			home := strings.LastIndexByte(l, '\r') + 1 // a terminal begins anew there
			out.WriteString(l[:home])
			for l = l[home:]; len(l) > width; {
				out.WriteString(l[:width] + "\n")
				l = l[width:]
			}
			out.WriteString(l + end)
		}
		return disturbed{fmt.Sprint("wrapped at ", width), out.String(), nil}
	case 6:
		return disturbed{"CRLF", strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\n", "\r\n"), nil}
	case 7:
		if document([]byte(text)) { // a blank in a document's string is a part of a value
			return disturbed{"nothing", text, nil}
		}
		gaps := regexp.MustCompile(`\S( +)\S`).FindAllStringSubmatchIndex(text, -1)
		if len(gaps) == 0 {
			return disturbed{"nothing", text, nil}
		}
		g := gaps[rnd.IntN(len(gaps))]
		return disturbed{"joined", text[:g[2]] + text[g[3]:], []int{1 + strings.Count(text[:g[2]], "\n")}}
	case 8:
		keep := rnd.IntN(4)
		var out []string
		var gone []int
		for i, skip := 0, 0; i < len(lines); i++ {
			if skip = max(skip-1, 0); skip == 0 && rnd.IntN(4) > keep {
				skip = whole[i+1]
			}
			if skip > 0 {
				gone = append(gone, i+1)
			} else {
				out = append(out, lines[i])
			}
		}
		return disturbed{"filtered", put(out...), gone}
	}
	word := regexp.MustCompile(`[0-9A-Za-z.:/-]+`).FindAllStringIndex(text, -1)
	if len(word) == 0 {
		return disturbed{"nothing", text, nil}
	}
	w := word[rnd.IntN(len(word))]
	c := w[0] + rnd.IntN(w[1]-w[0])
	return disturbed{"NUL in a word", text[:c] + "\x00" + text[c:], []int{1 + strings.Count(text[:c], "\n")}}
}

// told are the routes of a capture: for each table and prefix the next hops that some route has.
type toldRoute struct {
	hops     map[string]bool
	specials map[route.Special]bool
}

func hopKey(h route.NextHop) string { return h.Address.String() + " " + h.Interface }

// wholeRoutes tells how many lines are to be deleted together, by the first of them: a route's; none where a heading
// names the table, or the device, of what stands below; and none of a document, which is no lines.
func wholeRoutes(c *Capture) map[int]int {
	out := map[int]int{}
	if document(c.Source.text) {
		return out
	}
	for _, l := range c.Gloss(nil) {
		if l.Kind == PromptLine || l.Kind == AroundLine && (l.As == layout.Title || l.As == layout.Count || l.As == layout.Names || l.As == layout.Key || l.As == layout.PrefixHeading) {
			continue
		}
		out[l.Number] = 1
	}
	for i := range c.Parts {
		for j := range c.Parts[i].Facts.Tables {
			l := &c.Parts[i].Facts.Tables[j].Routes
			for k := range l.Len() {
				m := l.At(k).Mark
				first := c.Source.Line(m.Off)
				out[first] = max(out[first], c.Source.Line(max(m.End, m.Off+1)-1)-first+1)
			}
		}
	}
	return out
}

// toldRoutes yields every route that a capture tells, with its table.
func toldRoutes(c *Capture) iter.Seq2[*network.TableFacts, route.Route] {
	return func(yield func(*network.TableFacts, route.Route) bool) {
		for i := range c.Parts {
			for j := range c.Parts[i].Facts.Tables {
				t := &c.Parts[i].Facts.Tables[j]
				for k := range t.Routes.Len() {
					if !yield(t, t.Routes.At(k)) {
						return
					}
				}
			}
		}
	}
}

func toldBy(c *Capture) map[string]*toldRoute {
	out := map[string]*toldRoute{}
	for t, r := range toldRoutes(c) {
		key := t.Name + " " + r.Prefix.String()
		x := out[key]
		if x == nil {
			x = &toldRoute{map[string]bool{}, map[route.Special]bool{}}
			out[key] = x
		}
		x.specials[r.Special] = true
		for _, h := range r.NextHops {
			x.hops[hopKey(h)] = true
			if h.Interface != "" { // a continuation that is gone may take the address away, or the interface
				x.hops[hopKey(route.NextHop{Interface: h.Interface})] = true
			}
			x.hops[hopKey(route.NextHop{Address: h.Address})] = true
		}
	}
	return out
}

// invented lists what a disturbed capture tells that the undisturbed one does not.
func invented(was map[string]*toldRoute, c *Capture) []string {
	var out []string
	for t, r := range toldRoutes(c) {
		x := was[t.Name+" "+r.Prefix.String()]
		line := fmt.Sprintf("%s %s", t.Name, r.Prefix)
		if x == nil {
			out = append(out, "a new route: "+line+": "+string(c.Source.Text(r.Mark)))
			continue
		}
		if !x.specials[r.Special] && r.Protocol != route.Other { // a legend that is not whole takes the protocol away
			out = append(out, fmt.Sprintf("%s is %q now: %s", line, r.Special, c.Source.Text(r.Mark)))
		}
		for _, h := range r.NextHops {
			if !x.hops[hopKey(h)] && h != (route.NextHop{}) && h.Interface != network.UnnamedPort(r.Prefix) {
				out = append(out, fmt.Sprintf("%s leads to %s now: %s", line, hopKey(h), c.Source.Text(r.Mark)))
			}
		}
	}
	return out
}

// seedOf is a seed of a sample's own, which no other sample shifts.
func seedOf(name string) uint64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte(name))
	return h.Sum64()
}

// missing lists the routes of a capture that a disturbed one does not tell, without telling that it may lack them.
func missing(was, is *Capture) []string {
	var out []string
	for i := range was.Parts {
		p := &was.Parts[i]
		for j := range p.Facts.Tables {
			t := &p.Facts.Tables[j]
			for k := range t.Routes.Len() {
				if r := t.Routes.At(k); !r.Prefix.IsSingleIP() && !showsOrHides(is, p, t.Name, r.Prefix) {
					out = append(out, fmt.Sprintf("%s %s is missed silently: %s", t.Name, r.Prefix, was.Source.Text(r.Mark)))
				}
			}
		}
	}
	return out
}

// TestDisturbance: whatever happens to a capture on its way, each route that is then read is one that the capture had
// before, with the same next hops and in the same table; and where no line was lost, no table seems to lack a route.
func TestDisturbance(t *testing.T) {
	all := samples(t)
	names := make([]string, 0, len(all))
	for name := range all {
		names = append(names, name)
	}
	sort.Strings(names)
	var tried atomic.Int64
	t.Cleanup(func() { t.Logf("%d disturbances", tried.Load()) })
	for _, name := range names {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			raw := all[name]
			if len(raw) > 30000 || len(raw) == 0 {
				return
			}
			c, err := Read(name, raw, 1)
			if err != nil || c.Source.binary {
				return
			}
			if was := toldBy(c); len(was) > 0 {
				tried.Add(disturbSample(t, name, string(raw), c, was))
			}
		})
	}
}

// wholeLines are the disturbances after which each row still stands there, if in pieces.
var wholeLines = []string{"doubled", "wrapped", "CRLF", "joined", "NUL"}

// disturbSample harms one sample as often as asked and complains of what is then read; it returns how often it was.
func disturbSample(t *testing.T, name, raw string, before *Capture, was map[string]*toldRoute) (tried int64) {
	whole := wholeRoutes(before)
	wrong := map[string][]string{}
	for n := *firstDisturbance; n < *firstDisturbance+*disturbances; n++ {
		d := disturb(rand.New(rand.NewPCG(seedOf(name), uint64(n))), raw, whole)
		c, err := Read(name, []byte(d.text), 1)
		if err != nil {
			continue
		}
		tried++
		what, _, _ := strings.Cut(d.what, " ")
		odd := invented(was, c)
		if slices.Contains(wholeLines, what) && !document(before.Source.text) &&
			(len(d.lines) != 1 || whole[d.lines[0]] > 0) { // no prompt or title
			odd = append(odd, missing(before, c)...)
		}
		for _, x := range odd {
			wrong[what] = append(wrong[what], fmt.Sprintf("%s, seed %d, %s %v: %s", name, n, d.what, d.lines, x))
		}
	}
	for what, list := range wrong {
		t.Errorf("%s: %d", what, len(list))
		for _, x := range list[:min(len(list), 12)] {
			t.Error(x)
		}
	}
	return tried
}
