// Package lab judges the whole path from captures to verdicts by what packets really did.
package lab

import (
	"encoding/json"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

const firstLab = "testdata/first-lab"

type truth struct {
	Entries []entry `json:"entries"`
}

type entry struct {
	Source struct {
		Address netip.Addr `json:"address"`
	} `json:"source"`
	Destination netip.Addr `json:"destination"`
	Ping        bool       `json:"ping"`
	Forward     way        `json:"forward"`
	Return      *way       `json:"return"`
}

type way struct {
	Hops    []string `json:"hops"`
	Outcome string   `json:"outcome"`
	Where   string   `json:"where"`
	Matched []string `json:"matched"`
	Why     string   `json:"why"`
}

// outcomes maps the truth's words to verdicts; "discarded" also covers forwarding that is switched off.
var outcomes = map[string]string{"arrives": "arrives", "no-route": "no-route", "discarded": "discarded",
	"rejected": "refused", "loops": "loops", "next-hop-lost": "next-hop-lost"}

func TestFirstLab(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join(firstLab, "truth.json"))
	require.NoError(t, err)
	var tr truth
	require.NoError(t, json.Unmarshal(raw, &tr))
	require.NotEmpty(t, tr.Entries)

	// Without the kernel's neighbour entries nothing tells whether anybody answers for quay's default next hop: an
	// uncaptured device could. Those entries, and no others, may be unknown, for that reason.
	// In a log without the list of addresses some of a device's own addresses do not show. Of entries with such an end
	// only one thing is asked: that nothing arrives which did not.
	defaultHops := []netip.Addr{netip.MustParseAddr("10.213.32.254"), netip.MustParseAddr("fd41:c0a5:20::fe")}
	notShown := []netip.Addr{netip.MustParseAddr("10.213.255.5"), netip.MustParseAddr("fd41:c0a5:48::1")}
	for _, form := range []struct {
		name      string
		files     []string // patterns in a device's folder; none: all
		undecided []netip.Addr
	}{
		{name: "everything"},
		{"daemons' text", []string{"route?.txt", "interface-brief.txt", "ip-forwarding.txt", "ip-addr.json"}, defaultHops},
		{name: "kernel's JSON", files: []string{"ip-*.json"}},
		{name: "kernel's text", files: []string{"ip-route.txt", "ip-route6.txt", "ip-addr.txt", "ip-neigh.json", "forwarding.txt"}},
		{"daemons' JSON", []string{"route?.json", "ip-addr.txt"}, defaultHops},
		{"daemons' JSON and their list of interfaces", []string{"route4.json", "route6.json", "interface-brief.txt"}, defaultHops},
		{"session logs, the others as text", []string{"quay/session.log", "shoal/session.log", "cove/session.log", "beacon/*.txt", "spit/*.txt"},
			append(defaultHops, notShown...)},
		{"walks of quay and shoal, the others as text", []string{"quay/snmp/*.numeric.txt", "shoal/snmp/*.iso.txt", "cove/*.txt", "beacon/*.txt", "spit/*.txt"}, defaultHops},
		{"walks by name", []string{"quay/snmp/*.named.txt", "shoal/snmp/*.named.txt", "cove/*.txt", "beacon/*.txt", "spit/*.txt"}, defaultHops},
	} {
		t.Run(form.name, func(t *testing.T) {
			dir := filepath.Join(firstLab, "captures")
			if form.files != nil {
				dir = pick(t, dir, form.files)
			}
			c, err := casefile.Load(dir)
			require.NoError(t, err)
			w := forward.NewWalker(topology.Build(c.Network))
			agreed, unknown, weak := 0, 0, 0
			for _, e := range tr.Entries {
				rt := w.Trace(e.Source.Address, e.Destination)
				isUnknown, wrong := compare(e, rt, c, form.undecided)
				if wrong != "" && rt.Weak() && rt.Forward.Verdict != forward.Arrives && e.Forward.Outcome != "arrives" {
					weak++ // a walk leaves routes out; nothing arrives that did not
				} else if wrong != "" {
					t.Errorf("%s -> %s: %s", e.Source.Address, e.Destination, wrong)
				} else if isUnknown {
					unknown++
				} else {
					agreed++
				}
			}
			t.Logf(
				"%d of %d entries agreed, %d unknown, %d lost elsewhere on weak evidence",
				agreed,
				len(tr.Entries),
				unknown,
				weak,
			)
		})
	}
}

// compare returns what disagrees, or whether the entry is unknown for an allowed reason.
func compare(e entry, rt forward.RoundTrip, c *casefile.Case, undecided []netip.Addr) (unknown bool, wrong string) {
	owned := func(a netip.Addr) bool {
		for _, d := range c.Network.Devices().All() {
			if len(d.Own(a)) > 0 {
				return true
			}
		}
		return false
	}
	if slices.Contains(undecided, e.Source.Address) || slices.Contains(undecided, e.Destination) {
		switch {
		case rt.Forward.Verdict == forward.Arrives && e.Forward.Outcome != "arrives" && rt.Forward.Branches[0].Delivery != forward.ToAttachedNetwork,
			rt.Verdict == forward.TwoWay && !e.Ping && rt.Forward.Branches[0].Delivery != forward.ToAttachedNetwork:
			return false, "arrives, though really it did not"
		}
		return rt.Verdict == forward.BothUnknown, ""
	}
	captured := func(name string) bool { return c.Network.Device(name) != nil }
	u1, wrong := compareWay(e.Forward, rt.Forward, captured, e.Destination, owned(e.Destination), undecided)
	if wrong != "" {
		return false, "forward: " + wrong
	}
	if e.Return == nil {
		// Nothing arrived. Where routing did its work but no host answered, a reply may still be shown.
		onlyNetwork := rt.Forward.Verdict == forward.Arrives &&
			rt.Forward.Branches[0].Delivery == forward.ToAttachedNetwork
		if rt.Verdict == forward.TwoWay && !onlyNetwork {
			return false, "two-way, though nothing arrived"
		}
		return u1, ""
	}
	if rt.Return == nil {
		return false, "no return was walked"
	}
	u2, wrong := compareWay(*e.Return, *rt.Return, captured, e.Source.Address, owned(e.Source.Address), undecided)
	if wrong != "" {
		return false, "return: " + wrong
	}
	if got := rt.Verdict == forward.TwoWay; got != e.Ping {
		if !(u1 || u2) || got {
			return false, "round trip is " + rt.Verdict.String()
		}
	}
	return u1 || u2, ""
}

func compareWay(
	want way,
	got forward.Direction,
	captured func(string) bool,
	dst netip.Addr,
	dstOwned bool,
	undecided []netip.Addr,
) (unknown bool, wrong string) {
	if len(got.Branches) != 1 {
		return false, "branches where there is one way"
	}
	b := got.Branches[0]
	var hops []string
	for _, h := range b.Hops {
		hops = append(hops, h.Device)
	}
	wantHops, matched, host := want.Hops, want.Matched, ""
	if !captured(wantHops[0]) { // the host that sends
		host, wantHops, matched = wantHops[0], wantHops[1:], matched[1:]
	}
	if n := len(wantHops); n > 0 && !captured(wantHops[n-1]) { // the host that gets it
		wantHops = wantHops[:n-1]
	}
	if strings.Join(hops, " ") != strings.Join(wantHops, " ") {
		return false, "path " + strings.Join(hops, " ") + ", really " + strings.Join(wantHops, " ")
	}
	if got.Verdict == forward.Unknown {
		for _, a := range undecided {
			if b.Reason.Code == forward.OwnerNotKnown && b.Reason.Address == a && want.Outcome == "next-hop-lost" {
				return true, ""
			}
		}
		return false, "unknown, really " + want.Outcome
	}
	if v := got.Verdict.String(); v != outcomes[want.Outcome] {
		silent := want.Outcome == "next-hop-lost" && want.Why == "nobody answers for "+dst.String()
		if silent && !dstOwned && got.Verdict == forward.Arrives && b.Delivery == forward.ToAttachedNetwork {
			return false, ""
		}
		return false, v + ", really " + want.Outcome
	}
	fails := got.Verdict != forward.Arrives
	if fails && b.Where != want.Where && !(len(hops) == 0 && host == want.Where) {
		return false, "fails at " + b.Where + ", really at " + want.Where
	}
	if b.Delivery == forward.ToAttachedNetwork && !dstOwned { // that it is a device's own address was not captured
		matched = matched[:min(len(matched), len(hops)-1)]
	}
	for i, m := range matched {
		if i < len(b.Hops) && b.Hops[i].Prefix.String() != m {
			return false, "matched " + b.Hops[i].Prefix.String() + ", really " + m
		}
	}
	return false, ""
}

// pick copies the files that match the patterns, folder by folder, into a case of their own.
func pick(t *testing.T, from string, patterns []string) string {
	t.Helper()
	to := t.TempDir()
	for _, p := range patterns {
		if !strings.Contains(p, "/") {
			p = "*/" + p
		}
		found, err := filepath.Glob(filepath.Join(from, p))
		require.NoError(t, err)
		for _, f := range found {
			raw, err := os.ReadFile(f)
			require.NoError(t, err)
			rel, _ := filepath.Rel(from, f)
			require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(to, rel)), 0o755))
			require.NoError(t, os.WriteFile(filepath.Join(to, rel), raw, 0o644))
		}
	}
	return to
}
