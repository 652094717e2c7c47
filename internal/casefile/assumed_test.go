package casefile

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestWhatALossTakesForGranted: that a kernel which has no route for a packet has none in its last table either, and
// does not have the address itself, where no capture shows that.
func TestWhatALossTakesForGranted(t *testing.T) {
	const (
		near  = "10.61.1.0/24 dev lan0 proto kernel scope link src 10.61.1.1\n10.61.64.0/18 via 172.28.61.2 dev up0\n172.28.61.0/30 dev up0 proto kernel scope link src 172.28.61.1\n"
		far   = "10.61.80.0/24 dev hall0 proto kernel scope link src 10.61.80.1\n172.28.61.0/30 dev up0 proto kernel scope link src 172.28.61.2\n"
		rules = "0:\tfrom all lookup local\n32766:\tfrom all lookup main\n32767:\tfrom all lookup default\n"
		short = "0:\tfrom all lookup local\n32766:\tfrom 10.0.0.0/8 lookup main\n"
		all   = "local 127.0.0.1 dev lo table local proto kernel scope host src 127.0.0.1\nlocal 172.28.61.2 dev up0 table local proto kernel scope host src 172.28.61.2\n"
		list  = "lo               UNKNOWN        127.0.0.1/8 ::1/128\nup0@if3          UP             172.28.61.2/30\nhall0@if4        UP             10.61.80.1/24\n"
	)
	for name, tt := range map[string]struct {
		far map[string]string
		to  string
		own []Untold
	}{
		"nothing beside the routes":  {map[string]string{"r": far}, "10.61.99.1", []Untold{UntoldRouting, UntoldOwn}},
		"its rules":                  {map[string]string{"r": far, "u": rules}, "10.61.99.1", []Untold{UntoldRouting, UntoldOwn}},
		"rules without a last table": {map[string]string{"r": far, "u": short}, "10.61.99.1", []Untold{UntoldOwn}},
		"its addresses":              {map[string]string{"r": far, "u": rules, "a": list}, "10.61.99.1", []Untold{UntoldRouting}},
		"all its tables":             {map[string]string{"r": far + all, "u": rules}, "10.61.99.1", nil},
		"what discards":              {map[string]string{"r": far + "blackhole 10.61.99.0/24\n", "u": rules}, "10.61.99.1", []Untold{UntoldOwn}},
		"its last table":             {map[string]string{"r": far + "10.61.50.0/24 via 172.28.61.1 dev up0 table 253\n", "u": rules}, "10.61.99.1", []Untold{UntoldOwn}},
		"somebody else has it":       {map[string]string{"r": far, "u": short}, "10.61.1.1", nil},
	} {
		files := map[string]string{"near/r.txt": near, "near/u.txt": short, "near/a.txt": "lo               UNKNOWN        127.0.0.1/8 ::1/128\nup0@if3          UP             172.28.61.1/30\nlan0@if4        UP             10.61.1.1/24\n"}
		for f, text := range tt.far {
			files["far/"+f+".txt"] = text
		}
		c, err := Load(write(t, files))
		require.NoError(t, err)
		src := "10.61.1.9"
		if tt.to == "10.61.1.1" {
			src = "10.61.80.9"
		}
		rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr(src), netip.MustParseAddr(tt.to))
		require.Equal(t, forward.Broken, rt.Verdict, name)
		var own []Untold
		for _, a := range c.Assumed(&rt) {
			if a.Devices[0] == "far" || len(a.Devices) > 1 {
				own = a.What
			}
		}
		require.Equal(t, tt.own, own, name)
	}
}

// TestALossOnTheWrongLink takes for granted that nobody there answers for the address.
func TestALossOnTheWrongLink(t *testing.T) {
	c, err := Load(write(t, map[string]string{
		"till/a.txt": "lo               UNKNOWN        127.0.0.1/8\nen0@if3          UP             10.61.8.30/8\n",
		"till/r.txt": "10.0.0.0/8 dev en0 proto kernel scope link src 10.61.8.30\n",
		"room/a.txt": "lo               UNKNOWN        127.0.0.1/8\neth0@if3          UP             10.61.1.9/24\n",
		"room/r.txt": "10.61.1.0/24 dev eth0 proto kernel scope link src 10.61.1.9\n",
	}))
	require.NoError(t, err)
	rt := forward.NewWalker(topology.Build(c.Network)).Trace(netip.MustParseAddr("10.61.8.30"), netip.MustParseAddr("10.61.1.9"))
	require.Equal(t, forward.OwnerElsewhere, rt.Forward.Branches[0].Reason.Code)
	require.Contains(t, c.Assumed(&rt), Assumption{[]string{"10.61.1.9"}, []Untold{UntoldProxy}})
}
