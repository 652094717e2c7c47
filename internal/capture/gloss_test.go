package capture

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
)

func TestAge(t *testing.T) {
	for in, want := range map[string]string{
		"O 10.1.0.0/16 [110/20] via 10.0.0.1, 00:12:34, e0":             "12 minutes 34 seconds",
		"O>* 10.1.0.0/16 [110/20] via 10.0.0.1, e0, weight 1, 3d07h12m": "3 days 7 hours",
		"*[OSPF/10] 2w3d 04:05:06, metric 20":                           "2 weeks 3 days",
		"via 10.0.0.1, 1w2d, e0":                                        "1 week 2 days",
		"valley 10.61.0.0/16 12d:3h:4m:5s":                              "12 days 3 hours",
		"*[Static/5] 00:00:00":                                          "0 seconds",
		"C 10.1.0.0/16 is directly connected, e0":                       "",
		"10.1.0.0 255.255.0.0 UG 20 0 0 b3":                             "",
	} {
		require.Equal(t, want, age(in), in)
	}
}

const glossed = `valley# show ip route
Codes: C - connected, S - static, O - OSPF

     10.0.0.0/8 is variably subnetted, 2 subnets
O       10.61.32.0/24 [110/20] via 172.28.61.6, 00:12:34, cable1
                      [110/20] via 172.28.61.10, 00:12:34, cable2
--More--
S       10.61.33.0/33 [1/0] via 172.28.61.6
C       10.61.16.0/24 is directly connected, hall
valley#
`

func TestGloss(t *testing.T) {
	c, err := Read("x", []byte(glossed), 1)
	require.NoError(t, err)
	var got []string
	for _, l := range c.Gloss(nil) {
		s := fmt.Sprint(l.Number, " ", l.Kind)
		switch l.Kind {
		case AroundLine:
			s += fmt.Sprint(" around ", l.As)
		case PromptLine:
			s += " " + l.Device + ": " + l.Command
		case UnreadLine:
			s += " " + l.Reason.Error()
		}
		for _, it := range l.Items {
			s += fmt.Sprintf(" %s from %d", it.Route.Prefix, it.First)
			for _, h := range it.Hops {
				s += " " + h.Address.String()
			}
			s += " " + it.HeardOfAgo
		}
		got = append(got, strings.TrimSpace(s))
	}
	require.Equal(
		t,
		[]string{
			"1 2 valley: show ip route",
			fmt.Sprint("2 5 around ", layout.Key),
			"3 0",
			fmt.Sprint("4 5 around ", layout.Parent),
			"5 1 10.61.32.0/24 from 5 172.28.61.6 12 minutes 34 seconds",
			"6 1 10.61.32.0/24 from 5 172.28.61.10 12 minutes 34 seconds",
			"7 3",
			`8 4 prefix length out of range: "10.61.33.0/33"`,
			"9 1 10.61.16.0/24 from 9 invalid IP",
			"10 2 valley:",
		},
		got,
	)
	require.Len(t, c.Gloss([]int{6, 99}), 1)
	require.Equal(t, 5, c.Gloss([]int{6})[0].Items[0].First)
}
