package present

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/chart"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// findingWords is how the first finding of each fault reads that is not just a missing route beside it.
var findingWords = []struct {
	fault, summary, effect string
	repairs                []string
}{
	{"a backup onto a path that does not know the network",
		"a: if 10.61.2.0/24 had to go to 172.28.2.2 by side, packets would be lost: c has no route to 10.61.2.2, which is at b",
		"",
		nil},
	{"a backup onto a path whose router lacks the way back",
		"a: if 10.61.2.0/24 had to go to 172.28.2.2 by side, replies to 10.61.1.0/24 would be lost: c has no route to 10.61.1.1, which is at a",
		"",
		nil},
	{"a backup with a longer prefix",
		"a: the static route 10.61.7.0/25 (preference 200) is no backup for 10.61.7.0/24 of ospf: the longer prefix wins whatever its preference",
		"",
		[]string{"as a backup on a it needs the prefix 10.61.7.0/24 itself, so that the preference decides"}},
	{"a backup with an unreachable next hop",
		"a: the backup 10.61.7.0/24 to 172.28.9.9 could not take over: its next hop leads nowhere",
		"",
		[]string{"no change of routes is known that mends that"}},
	{"a configured static whose next hop nothing leads to",
		"a: the configured static route 10.61.8.0/24 to 172.28.9.9 is not in use: nothing leads to its next hop",
		"",
		[]string{"no change of routes is known that mends that"}},
	{"a discard swallows what is attached",
		"a discards 10.61.2.64/26 by a static route; without it 10.61.2.0/24 would carry those addresses",
		"10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and gets no reply; packets that start at that end are lost too; not all addresses there are concerned",
		[]string{"take the route to 10.61.2.64/26 out of a"}},
	{"a discard swallows what the default would carry",
		"a discards 10.61.64.0/18 by a static route; without it the default route 0.0.0.0/0 would carry those addresses",
		"",
		[]string{"no change of routes passed the proof"}},
	{"replies are delivered to another network of the same addresses",
		"replies to 10.61.1.0/25 are delivered at a, which is not where the packets came from",
		"10.61.1.0/25 reaches 10.61.2.0/24, 172.28.3.0/30 and gets no reply",
		nil},
	{"several discards in front of one default",
		"a discards 10.61.64.0/18, 10.63.0.0/16, 192.168.0.0/16 by routes of their own; without them the default route 0.0.0.0/0 would carry those addresses",
		"",
		[]string{"no change of routes passed the proof"}},
	{"a loop of a network that is attached",
		"packets go round between a and b",
		"10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and gets no reply; packets that start at that end are lost too; not all addresses there are concerned",
		[]string{"take the route to 10.61.2.128/25 by 172.28.1.1 out of b"}},
	{"a network inside another one",
		"b hands packets to 10.61.2.129 by lan, but that address is on lan of c, which is not on that link",
		"packets from 10.61.1.0/24, 10.61.2.0/24, 172.28.1.0/30 to 10.61.2.128/25 are lost; not all addresses there are concerned",
		nil},
	{"a network whose only interface is down",
		"10.61.2.0/24 is down, since lan of b is and no other interface leads there",
		"packets from 10.61.1.0/24, 172.28.1.0/30 to 10.61.2.0/24 are lost",
		[]string{"bring up lan on b"}},
	{"a next hop that nobody has",
		"a sends 10.61.2.0/24 to 10.61.1.77 by lan, and nobody answered for that next hop",
		"10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and gets no reply; packets that start at that end are lost too; not all addresses there are concerned",
		[]string{"let a send 10.61.2.0/24 via 172.28.1.2 instead, which is b"}},
	{"a next hop that nothing leads to",
		"a's route 10.61.2.0/24 points to 172.28.9.9, which cannot be resolved: no route covers 172.28.9.9",
		"10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and gets no reply; packets that start at that end are lost too",
		[]string{"let a send 10.61.2.0/24 via 172.28.1.2 instead, which is b"}},
	{"a reply leaves by the default route on the wrong side",
		"b sends packets to 10.61.1.0/24 out by its default route to 10.61.2.254 by lan, which is no captured device",
		"packets from 10.61.2.0/24, 172.28.1.0/30 to 10.61.1.0/24 leave the captured devices; 10.61.1.0/24 reaches 10.61.2.0/24, 172.28.1.0/30 and whether a reply comes back is not known",
		[]string{"give b a route to 10.61.1.0/24 via 172.28.1.1, which is a"}},
	{"a stateful device sees one direction only",
		"a keeps state and sees one direction only",
		"in 2 pairs of networks, such as 10.61.2.0/24 and 10.61.1.0/24, packets arrive and get a reply to some packets only",
		[]string{"lead both directions through a, or neither"}},
	{"a static over a shared segment without liveness detection",
		"a sends 10.61.7.0/24 to 10.61.1.9 by lan, and nothing captured would notice if that died",
		"",
		[]string{"let a and its next hop watch each other with liveness sessions"}},
	{"a static route replaces a learned one",
		"a: the static route 10.61.7.0/24 (preference 1) is used although ospf knows the prefix (preference 110)",
		"",
		[]string{"as a backup 10.61.7.0/24 on a needs a preference worse than 110; else it can stay", "let a send 10.61.7.0/24 via 172.28.1.2 with preference 120 instead, which is b"}},
	{"a strict check drops what comes by another way",
		"the strict source check of b on up drops packets from 10.61.1.0/24, 172.28.2.0/30",
		"10.61.2.0/24, 172.28.1.0/30 reach 10.61.1.0/24, 172.28.2.0/30 and get no reply; packets that start at that end are lost too; not all addresses there are concerned",
		[]string{"look at the check of b on up: it lacks a route to 10.61.1.0/24 by it"}},
	{"an address on two devices",
		"b drops packets that come in with its own address 10.62.0.1 as their source",
		"packets from 10.62.0.1/32 to 10.61.2.0/24, 172.28.1.0/30 are lost",
		[]string{"renumber one of b and a"}},
	{"an interface alone on a shared segment",
		"a sends 10.61.7.0/24 straight out of lan, where many may be: only somebody that answers for others makes that work",
		"",
		[]string{"name the next hop that is meant there; no capture shows which device that is"}},
	{"chosen and not installed",
		"a: chosen, but not in what forwards: 10.61.7.0/24",
		"",
		[]string{"find out why, or capture a anew"}},
	{"default routes at each other",
		"packets go round between a and b by their default routes",
		"",
		[]string{"no change of routes is known that mends that"}},
	{"forwarding is off on the path",
		"b does not forward IPv4 at all",
		"packets of 4 pairs of networks, such as from 172.28.1.0/30 to 10.61.2.0/24, are lost",
		[]string{"switch forwarding on at b"}},
	{"liveness detection on one end of a shared segment",
		"a has a liveness session (BFD) with b, and b none with a (seg of a)",
		"",
		[]string{"let a and b watch each other with liveness sessions"}},
	{"no route although the network is attached elsewhere",
		"b has no route to 10.61.1.0/24, which is at a",
		"10.61.1.0/24 reaches 10.61.2.0/24, 172.28.1.0/30 and gets no reply; packets that start at that end are lost too",
		[]string{"give b a route to 10.61.1.0/24 via 172.28.1.1, which is a"}},
	{"nobody answers for one host",
		"nobody answers for 10.61.2.7 on lan of b",
		"10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and gets no reply; packets that start at that end are lost too; not all addresses there are concerned",
		nil},
	{"of two equal next hops one is a dead end",
		"some of the equal ways from a fail: c has no route to 10.61.2.1, which is at b",
		"some of the packets from 10.61.1.0/24, 172.28.1.0/30, 172.28.2.0/30 to 10.61.2.0/24 are lost; 10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and gets a reply to some packets only",
		[]string{"no change of routes: no captured neighbour leads there; what is missing lies outside of the captures"}},
	{"paths lead to a device that is not there",
		"a hands packets to 10.61.1.9 by lan, and no capture shows who has that address",
		"packets from 10.61.1.0/24, 172.28.1.0/30 to 10.61.2.0/24 cannot be followed further; 10.61.2.0/24 reaches 10.61.1.0/24, 172.28.1.0/30 and whether a reply comes back is not known",
		[]string{"capture the device that has 10.61.1.9, or the neighbour entries of a"}},
	{"the next hop's interface is down",
		"a sends 10.61.2.0/24 to 172.28.1.2 by up, which is b, whose interface up is down",
		"packets from 10.61.1.0/24, 172.28.1.0/30 to 10.61.2.0/24 are lost",
		[]string{"bring up up on b"}},
	{"two lengths on one segment",
		"two lengths on one segment: 10.61.5.0/25 at b on seg, 10.61.5.0/24 at a on seg",
		"",
		[]string{"set one length on b and a"}},
	{"two static routes at each other",
		"packets go round between a and b",
		"",
		[]string{"take the route to 10.61.9.0/24 out of a"}},
}

func TestFindingsInWords(t *testing.T) {
	for _, tt := range findingWords {
		t.Run(tt.fault, func(t *testing.T) {
			w := forward.NewWalker(topology.Build(coretest.Build(coretest.Faults[tt.fault])))
			for _, f := range audit.Run(w, audit.Options{}).Findings {
				if f.Kind == audit.NoRoute && !strings.HasPrefix(tt.fault, "no") {
					continue
				}
				require.Equal(t, tt.summary, summary(&f))
				require.Equal(t, tt.effect, effect(&f))
				words := repairs(&f)
				c := Cures{Found: map[string]*mend.Result{f.ID: mend.New(w, mend.Options{}).Find(mend.WrongOf(&f))}, Topo: w.Topology()}
				for _, s := range c.of(&f, "") {
					s, _, _ = strings.Cut(s, " (proved")
					s, _, _ = strings.Cut(s, "; zarvek mend ")
					words = append(words, s)
				}
				require.Equal(t, tt.repairs, words)
				return
			}
			t.Error("nothing was found")
		})
	}
}

func TestEveryKindHasHelp(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, AuditKinds(&out, View{}))
	for _, k := range audit.Kinds() {
		require.NotEmpty(t, k.What(), k)
		require.Contains(t, out.String(), string(k))
	}
}

// TestAuditForms: the forms say the same, and nothing raw from a capture reaches any of them.
func TestAuditForms(t *testing.T) {
	n := coretest.Build(
		strings.ReplaceAll(
			coretest.Faults["no route although the network is attached elsewhere"],
			"b: ",
			"b|=<i>\x1b[31m: ",
		),
	)
	r := audit.Run(forward.NewWalker(topology.Build(n)), audit.Options{})
	v := View{Evidence: fixed{}, Lines: true}
	a := AuditView{
		Result:   r,
		Findings: r.Findings,
		Hidden:   2,
		Gone:     []string{"gone\x07"},
		Accepted: []Accepted{{r.Findings[0], "why\x1b"}},
	}
	var text, doc, table, md bytes.Buffer
	require.NoError(t, AuditText(&text, a, v))
	require.NoError(t, AuditJSON(&doc, a, v))
	require.NoError(t, AuditCSV(&table, a, v))
	require.NoError(t, AuditMarkdown(&md, a, v))
	for _, s := range []string{text.String(), doc.String(), md.String()} {
		require.NotContains(t, s, "\x1b")
		require.NotContains(t, s, "\x07")
	}
	require.NotContains(t, md.String(), "<i>")
	require.Contains(t, text.String(), "1 fault (2 more with -severity note); 1 accepted\n")

	var back struct {
		Findings []struct {
			ID, Kind, Severity, Device, Summary string
			Addresses                           []string
			OneWay                              bool `json:"one-way"`
			Affected                            []struct{ Sources, Destinations []string }
			Evidence                            []any
		}
		Accepted []struct {
			Because string `json:"accepted-because"`
		}
	}
	require.NoError(t, json.Unmarshal(doc.Bytes(), &back))
	require.Len(t, back.Findings, 1)
	f := back.Findings[0]
	require.Equal(t, "no-route", f.Kind)
	require.Equal(t, []string{"10.61.1.0/24"}, f.Addresses)
	require.True(t, f.OneWay)
	require.Len(t, f.Affected, 2)
	require.Equal(t, "why\x1b", back.Accepted[0].Because)
	rows, err := csv.NewReader(&table).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 2)
	require.Equal(t, f.ID, rows[1][0])
}

// TestManyNetworksFitTheWidth: the matrix in blocks, no line longer than the terminal.
func TestMatrixFitsTheWidth(t *testing.T) {
	text := coretest.OutAndBack
	for i := range 60 {
		text += fmt.Sprintf("\na: addr 10.62.%d.1/24 lan%d\na: direct 10.62.%d.0/24 dev lan%d", i, i, i, i)
	}
	m := audit.MakeMatrix(forward.NewWalker(topology.Build(coretest.Build(text))), route.IPv4, false)
	for _, width := range []int{80, 120, 200} {
		var out bytes.Buffer
		require.NoError(t, MatrixText(&out, []*audit.Matrix{m}, View{Width: width}))
		for line := range strings.Lines(out.String()) {
			require.LessOrEqual(t, len([]rune(line)), width+1, line)
		}
		require.Contains(t, out.String(), "10.62.59.0/24")
	}
	var pic bytes.Buffer
	require.NoError(t, MatrixPicture(&pic, m, "svg"))
	require.Equal(t, 2, strings.Count(pic.String(), "10.62.59.0/24</text>"), "once at its row, once at its column")
}

// TestMapShowsWhereAPathEnds: out and back, and the device at which the reply is lost.
func TestMapShowsWhereAPathEnds(t *testing.T) {
	w := forward.NewWalker(
		topology.Build(coretest.Build(coretest.Faults["no route although the network is attached elsewhere"])),
	)
	rt := w.Trace(w.Topology().Networks()[0].Addr().Next().Next(), w.Topology().Networks()[1].Addr().Next().Next())
	m := MapView{Chart: chart.Make(w.Topology(), route.IPv4), Trip: &rt}
	p := m.picture()
	require.Len(t, p.Ways, 2)
	require.Len(t, p.Ways[0].Steps, 1)
	require.Empty(t, p.Ways[1].Steps, "the reply does not get away")
	lines := map[string]bool{}
	for _, n := range p.Nodes {
		for _, l := range n.Lines {
			lines[n.Title+": "+l.Text] = true
		}
	}
	require.True(t, lines["a: from 10.61.1.2"], lines)
	require.True(t, lines["b: packet arrives for 10.61.2.2"], lines)
	require.True(t, lines["b: reply ends here: no-route"], lines)
	var dot, svg bytes.Buffer
	require.NoError(t, MapDOT(&dot, m))
	require.Contains(
		t,
		dot.String(),
		`n0 -- n1 [label="172.28.1.0/30", taillabel="up .1", headlabel="up .2", style=solid];`,
	)
	require.NoError(t, MapPicture(&svg, m, "svg"))
	require.Contains(t, svg.String(), ">reply ends here: no-route</text>")
}
