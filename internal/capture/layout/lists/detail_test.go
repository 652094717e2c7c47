package lists

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

const details = `cable0/1 is up, line protocol is up
  Hardware is Cable, address is 0200.6b6a.0001 (bia 0200.6b6a.0001)
  Internet address is 172.28.61.2/30
  MTU 1500 bytes
Interface hall16 is up, line protocol is down
  HWaddr: 02:00:6b:6a:00:16
  inet 10.61.16.1/24
  inet6 fd6b:16::1/64
cable0/2 is administratively down, line protocol is down
  Internet address is 172.28.61.300/30
stray line
`

func TestReadDetail(t *testing.T) {
	r := layouttest.Laws(t, ReadDetail, []byte(details))
	var got []string
	for _, i := range r.Facts.Interfaces {
		got = append(got, fmt.Sprint(i.Name, " ", i.State, " ", i.MAC))
	}
	for _, a := range r.Facts.Addresses {
		got = append(got, fmt.Sprint(a.Prefix, " ", a.Interface))
	}
	require.Equal(
		t,
		[]string{
			"cable0/1 1 02:00:6b:6a:00:01",
			"hall16 2 02:00:6b:6a:00:16",
			"cable0/2 2 ",
			"172.28.61.2/30 cable0/1",
			"10.61.16.1/24 hall16",
			"fd6b:16::1/64 hall16",
		},
		got,
	)
	require.Equal(
		t,
		[]string{`10 not an address: "172.28.61.300/30"`, "11 not in the form of this layout"},
		layouttest.Unread([]byte(details), r),
	)
	layouttest.Variants(t, ReadDetail, details)
	require.Positive(t, recogniseDetail([]byte(details)))
	require.Zero(t, recogniseDetail([]byte("C    10.0.0.0/8 is directly connected, e0\nthe door is up\n")))
}

// TestWhatAParagraphSaysIsApplied to its interface: lists by name, source checks, policy routing and translation.
func TestWhatAParagraphSaysIsApplied(t *testing.T) {
	const text = `up0 is up, line protocol is up
  Internet address is 172.28.61.2/30
  Outgoing access list is not set
  Inbound  access list is FROM-UP
  IP verify source reachable-via RX, allow default
  Policy routing is disabled
  Network address translation is disabled
hall0 is up, line protocol is up
  IPv6 is enabled, link-local address is FE80::1
  Outgoing access list is TO-HALL
  IPv6 verify source reachable-via any
way0 is up, line protocol is up
  Policy routing is enabled, using route map AWAY
`
	r := layouttest.Laws(t, ReadDetail, []byte(text))
	var got []string
	for _, a := range r.Facts.Applied {
		got = append(got, fmt.Sprint(a.List, " ", a.Rule.Family, " in ", a.Rule.In, " out ", a.Rule.Out))
	}
	for _, c := range r.Facts.Checks {
		got = append(got, fmt.Sprint(c.Interface, " ", c.Family, " strict ", c.Mode == network.CheckStrict))
	}
	for _, f := range r.Facts.Policy.Flows {
		if f.Undecided {
			got = append(got, fmt.Sprint("not read in ", f.In, " out ", f.Out))
		}
	}
	require.Equal(t, []string{
		"FROM-UP ipv4 in up0 out ", "TO-HALL ipv6 in  out hall0", "up0 ipv4 strict true", "hall0 ipv6 strict false",
		"not read in way0 out ", "not read in  out way0",
	}, got)
	layouttest.Variants(t, ReadDetail, text)
}

func FuzzReadDetail(f *testing.F) {
	f.Add([]byte(details))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadDetail, in) })
}

// TestAddressesAloneBelowAnInterface holds the short form, in which addresses show no length.
func TestAddressesAloneBelowAnInterface(t *testing.T) {
	const text = "hall 16     [up/up]\n    FE80::1\n    FD6B:16::1\ncable0/1 [administratively down/down]\n    unassigned\n"
	r := layouttest.Laws(t, ReadDetail, []byte(text))
	require.Equal(t, []string{"hall 16", "cable0/1"}, []string{r.Facts.Interfaces[0].Name, r.Facts.Interfaces[1].Name})
	require.Equal(t, network.LinkUp, r.Facts.Interfaces[0].State)
	require.Equal(t, network.LinkDown, r.Facts.Interfaces[1].State)
	require.Equal(t, "[fe80::1/128 fd6b:16::1/128]", fmt.Sprint([]any{r.Facts.Addresses[0].Prefix, r.Facts.Addresses[1].Prefix}))
	require.Equal(t, "hall 16", r.Facts.Addresses[1].Interface)
	require.Empty(t, r.Unread)
}

// TestParagraphsWithTheNameInQuotes: routes call the interface by the name in quotes; one that has none is called by
// what it is.
func TestParagraphsWithTheNameInQuotes(t *testing.T) {
	in := []byte("Interface E0/0 \"hall\", is up, line protocol is up\n  Hardware is i82546GB, BW 1000 Mbps\n\tMAC address 0200.0000.0001, MTU 1500\n\tIP address 172.28.61.2, subnet mask 255.255.255.252\n" +
		"Interface E0/1 \"tills\", is administratively down, line protocol is down\n\tIP address 10.61.64.1, subnet mask 255.0.255.0\nInterface E0/2 \"\", is down, line protocol is down\n")
	r := layouttest.Laws(t, ReadDetail, in)
	var got []string
	for _, i := range r.Facts.Interfaces {
		got = append(got, fmt.Sprint(i.Name, " ", i.State, " ", i.Off))
	}
	require.Equal(t, []string{"hall 1 false", "tills 2 true", "E0/2 2 false"}, got)
	require.Len(t, r.Facts.Addresses, 1)
	require.Equal(t, "172.28.61.2/30", r.Facts.Addresses[0].Prefix.String())
	require.Equal(t, []string{"6 mask is not contiguous: 255.0.255.0"}, layouttest.Unread(in, r))
	require.Positive(t, recogniseDetail(in))
}
