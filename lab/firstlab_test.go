// Package lab judges the whole path from captures to verdicts by what packets really did.
package lab

import (
	"encoding/json"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

const firstLab = "../../shared/captures/first-lab"

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
	if _, err := os.Stat(firstLab); err != nil {
		t.Skip("the first lab's captures are not here")
	}
	raw, err := os.ReadFile(filepath.Join(firstLab, "truth.json"))
	require.NoError(t, err)
	var tr truth
	require.NoError(t, json.Unmarshal(raw, &tr))
	require.NotEmpty(t, tr.Entries)

	// Without the kernel's neighbour entries nothing tells whether anybody answers for quay's default next hop: an
	// uncaptured device could. Those entries, and no others, may be unknown, for that reason.
	defaultHops := []netip.Addr{netip.MustParseAddr("10.213.32.254"), netip.MustParseAddr("fd41:c0a5:20::fe")}
	for _, form := range []struct {
		name      string
		files     []string // patterns in a device's folder; none: all
		undecided []netip.Addr
	}{
		{name: "everything"},
		{"daemons' text", []string{"route?.txt", "interface-brief.txt", "ip-forwarding.txt", "ip-addr.json"}, defaultHops},
		{name: "kernel's JSON", files: []string{"ip-*.json"}},
	} {
		t.Run(form.name, func(t *testing.T) {
			dir := filepath.Join(firstLab, "captures")
			if form.files != nil {
				dir = pick(t, dir, form.files)
			}
			c, err := casefile.Load(dir)
			require.NoError(t, err)
			w := forward.NewWalker(topology.Build(c.Network))
			agreed, unknown := 0, 0
			for _, e := range tr.Entries {
				rt := w.Trace(e.Source.Address, e.Destination)
				isUnknown, wrong := compare(e, rt, c, form.undecided)
				if wrong != "" {
					t.Errorf("%s -> %s: %s", e.Source.Address, e.Destination, wrong)
				} else if isUnknown {
					unknown++
				} else {
					agreed++
				}
			}
			t.Logf("%d of %d entries agreed, %d unknown", agreed, len(tr.Entries), unknown)
		})
	}
}

// compare returns what disagrees, or whether the entry is unknown for an allowed reason.
func compare(e entry, rt forward.RoundTrip, c *casefile.Case, undecided []netip.Addr) (unknown bool, wrong string) {
	owned := func(a netip.Addr) bool {
		for _, d := range c.Network.Devices {
			if len(d.Own(a)) > 0 {
				return true
			}
		}
		return false
	}
	u1, wrong := compareWay(e.Forward, rt.Forward, hostAt(e.Forward, c), e.Destination, owned(e.Destination), undecided)
	if wrong != "" {
		return false, "forward: " + wrong
	}
	if e.Return == nil {
		// Nothing arrived. Where routing did its work but no host answered, a reply may still be shown.
		onlyNetwork := rt.Forward.Verdict == forward.Arrives && rt.Forward.Branches[0].Delivery == forward.ToAttachedNetwork
		if rt.Verdict == forward.TwoWay && !onlyNetwork {
			return false, "two-way, though nothing arrived"
		}
		return u1, ""
	}
	if rt.Return == nil {
		return false, "no return was walked"
	}
	u2, wrong := compareWay(*e.Return, *rt.Return, hostAt(*e.Return, c), e.Source.Address, owned(e.Source.Address), undecided)
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

// hostAt returns the name of the host that sends, "" where a captured device does.
func hostAt(w way, c *casefile.Case) string {
	if c.Network.Device(w.Hops[0]) == nil {
		return w.Hops[0]
	}
	return ""
}

func compareWay(want way, got forward.Direction, host string, dst netip.Addr, dstOwned bool, undecided []netip.Addr) (unknown bool, wrong string) {
	if len(got.Branches) != 1 {
		return false, "branches where there is one way"
	}
	b := got.Branches[0]
	var hops []string
	for _, h := range b.Hops {
		hops = append(hops, h.Device)
	}
	wantHops := want.Hops
	if host != "" {
		wantHops = wantHops[1:]
	}
	if want.Outcome == "arrives" && !dstOwned {
		wantHops = wantHops[:len(wantHops)-1]
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
	matched := want.Matched
	if host != "" {
		matched = matched[1:]
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
		found, err := filepath.Glob(filepath.Join(from, "*", p))
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
