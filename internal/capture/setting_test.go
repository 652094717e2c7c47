package capture

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestValuesWithoutNames holds that the command gives them theirs, and that as many values as settings must be there.
func TestValuesWithoutNames(t *testing.T) {
	for _, c := range []struct{ command, answer, want string }{
		{"cat /proc/sys/net/ipv4/ip_forward", "0\n", "ipv4  false"},
		{"cat /proc/sys/net/ipv4/conf/dn0.5/forwarding", "0\n", "ipv4 dn0.5 false"},
		{"sudo sysctl -n net.ipv4.ip_forward net.ipv6.conf.all.forwarding", "1\n0\n", "ipv4  true, ipv6  false"},
		{"cat /proc/sys/net/ipv4/conf/all/rp_filter", "1\n", "check strict"},
		{"cat /proc/sys/net/ipv4/ip_forward /proc/sys/net/ipv4/tcp_ecn", "0\n", ""},
		{"cat /proc/sys/net/ipv4/ip_forward", "no\n", ""},
		{"cat /etc/motd", "0\n", ""},
		{"ethtool dn0", "Settings for dn0:\n\tSpeed: 1000Mb/s\n\tLink detected: no\n", "dn0 2"},
		{"cat /sys/class/net/dn0/operstate", "up\n", "dn0 1"},
		{"cat /sys/class/net/dn0/carrier", "0\n", "dn0 2"},
		{"cat /sys/class/net/dn0/mtu", "0\n", ""},
	} {
		t.Run(c.command, func(t *testing.T) {
			got, err := Read("x", []byte("ridge$ "+c.command+"\n"+c.answer+"ridge$ exit\n"), 1)
			require.NoError(t, err)
			text := ""
			add := func(args ...any) {
				if text != "" {
					text += ", "
				}
				text += fmt.Sprint(args...)
			}
			for _, p := range got.Parts {
				for _, s := range p.Facts.Forwarding {
					add(s.Family, " ", s.Interface, " ", s.On)
				}
				for _, s := range p.Facts.Checks {
					add("check ", s.Mode)
				}
				for _, i := range p.Facts.Interfaces {
					add(i.Name, " ", i.State)
				}
			}
			require.Equal(t, c.want, text)
		})
	}
}
