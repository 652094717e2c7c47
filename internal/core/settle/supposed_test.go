package settle

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// onlyConfigured is a device of which a configuration is all that was captured.
func onlyConfigured(statics string) *network.Snapshot {
	f := coretest.Facts("addr 172.16.0.1/30 e0\naddr 172.16.1.1/30 e1\naddr 172.16.2.1/30 e2\nlink e0 up\nlink e1 up\nlink e2 down\n"+statics, 1)
	for i := range f.Addresses {
		f.Addresses[i].Configured = true
	}
	var b network.Builder
	b.Add("a", f, 0)
	b.Suppose("a")
	return Suppose(b.Build())
}

func TestSupposedTables(t *testing.T) {
	for _, tt := range []struct{ name, statics, want string }{
		{"by a neighbour", "conf 10.7.0.0/24 via 172.16.0.2", "static 172.16.0.2%"},
		{"the interface is down", "conf 10.7.0.0/24 via 172.16.2.2", ""},
		{"nothing leads to the next hop", "conf 10.7.0.0/24 via 172.16.9.2", ""},
		{"by another static route", "conf 10.7.0.0/24 via 10.8.0.1\nconf 10.8.0.0/24 via 10.9.0.1\nconf 10.9.0.0/24 via 172.16.1.2",
			"static 10.8.0.1%"},
		{"by the default route alone", "conf 0.0.0.0/0 via 172.16.0.2\nconf 10.7.0.0/24 via 10.8.0.1", "untold"},
		{"a backup waits", "conf 10.7.0.0/24 via 172.16.0.2\nconf 10.7.0.0/24 via 172.16.1.2 pref 200", "static 172.16.0.2%"},
		{"a backup of a route that cannot be used", "conf 10.7.0.0/24 via 172.16.2.2\nconf 10.7.0.0/24 via 172.16.1.2 pref 200",
			"static 172.16.1.2%"},
		{"a preference that may be better than the usual one", "conf 10.7.0.0/24 via 172.16.0.2\nconf 10.7.0.0/24 via 172.16.1.2 pref 20",
			"untold"},
		{"one that hangs on an object", "conf 10.7.0.0/24 via 172.16.0.2 tied 1", "untold"},
		{"on one that is down", "conf 10.7.0.0/24 via 172.16.0.2 tied 1\ntracked 1 down\nconf 10.7.0.0/24 via 172.16.1.2 pref 200",
			"static 172.16.1.2%"},
		{"a next hop of another interface", "conf 10.7.0.0/24 via 172.16.0.2 dev e1", "untold"},
		{"a next hop with its interface", "conf 10.7.0.0/24 via 172.16.0.2 dev e0", "static 172.16.0.2%e0"},
		{"one that takes its own next hop away", "conf 10.7.0.0/16 via 172.16.0.2\nconf 10.7.0.0/24 via 10.7.0.9", "untold"},
		{"discarded", "conf 10.7.0.0/24 blackhole", "blackhole"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			table := onlyConfigured(tt.statics).Device("a").Table("default", route.IPv4)
			require.True(t, table.Supposed)
			got := ""
			for _, x := range table.RoutesTo(netip.MustParsePrefix("10.7.0.0/24")) {
				switch {
				case x.Is(route.Untold):
					got = "untold"
				case x.Is(route.Installed) && x.Special != route.None:
					got = x.Special.String()
				case x.Is(route.Installed):
					got = strings.Join([]string{"static ", x.NextHops[0].Address.String(), "%", x.NextHops[0].Interface}, "")
				}
			}
			require.Equal(t, tt.want, got)
		})
	}
}

func TestSupposedTablesHaveWhatIsAttachedAndUp(t *testing.T) {
	var got []string
	table := onlyConfigured("").Device("a").Table("default", route.IPv4)
	for i := range table.Routes().Len() {
		x := table.Routes().At(i)
		got = append(got, x.Prefix.String()+" "+x.Protocol.String()+" "+x.NextHops[0].Interface)
	}
	require.Equal(t, []string{"172.16.0.0/30 direct e0", "172.16.0.1/32 local e0", "172.16.1.0/30 direct e1",
		"172.16.1.1/32 local e1"}, got)
}

// A next hop in another table leads somewhere that the configuration of this table does not tell.
func TestSupposedTablesDoNotTellWhereOthersLead(t *testing.T) {
	f := coretest.Facts("addr 172.16.0.1/30 e0\nconf 0.0.0.0/0 via 172.16.0.2\nconf 10.7.0.0/24 via 172.16.0.2", 1)
	f.Addresses[0].Configured = true
	f.Statics[1].NextHop = route.NextHop{Table: "red"}
	var b network.Builder
	b.Add("a", f, 0)
	b.Suppose("a")
	rows := Suppose(b.Build()).Device("a").Table("default", route.IPv4).RoutesTo(f.Statics[1].Prefix)
	require.Len(t, rows, 1)
	require.True(t, rows[0].Is(route.Untold))
}

// A captured table of a family is not added to.
func TestNothingIsSupposedBesideACapturedTable(t *testing.T) {
	f := coretest.Facts("addr 172.16.0.1/30 e0\naddr fd00::1/64 e0\ndirect 172.16.5.0/24 dev e5\nconf 10.7.0.0/24 via 172.16.0.2", 1)
	for i := range f.Addresses {
		f.Addresses[i].Configured = true
	}
	var b network.Builder
	b.Add("a", f, 0)
	b.Suppose("a")
	d := Suppose(b.Build()).Device("a")
	require.False(t, d.Table("default", route.IPv4).Supposed)
	require.Equal(t, 1, d.Table("default", route.IPv4).Routes().Len())
	require.True(t, d.Table("default", route.IPv6).Supposed)
}
