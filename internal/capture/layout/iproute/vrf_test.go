package iproute

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

// TestInterfacesOfVRFs: what a VRF has is told from what a bridge or a bond has, by details or by the flags.
func TestInterfacesOfVRFs(t *testing.T) {
	const (
		slave  = "2: up0: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc fq master night state UP\n    link/ether 02:00:00:00:00:01 brd ff:ff:ff:ff:ff:ff\n"
		vrf    = "4: night: <NOARP,MASTER,UP,LOWER_UP> mtu 65575 qdisc noqueue state UP\n    link/ether 02:00:00:00:00:09 brd ff:ff:ff:ff:ff:ff\n"
		bridge = "4: night: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc noqueue state UP\n    link/ether 02:00:00:00:00:09 brd ff:ff:ff:ff:ff:ff\n"
		bond   = "4: night: <BROADCAST,MULTICAST,MASTER,UP,LOWER_UP> mtu 1500 qdisc noqueue state UP\n    link/ether 02:00:00:00:00:09 brd ff:ff:ff:ff:ff:ff\n"
		inet   = "    inet 172.28.61.2/30 scope global up0\n"
	)
	for what, tt := range map[string]struct {
		read func([]byte) layout.Reading
		text string
		want string
	}{
		"by flags":                 {ReadText, slave + inet + vrf, "up0 in night "},
		"by the VRF's details":     {ReadText, slave + inet + vrf + "    vrf table 10 addrgenmode eui64\n", "up0 in night 10"},
		"by the slave's details":   {ReadText, slave + "    vrf_slave table 10 addrgenmode eui64\n" + inet, "up0 in night 10"},
		"a bridge":                 {ReadText, slave + "    bridge_slave state forwarding\n" + inet + bridge, ""},
		"a bond":                   {ReadText, slave + inet + bond, ""},
		"nobody tells what it is":  {ReadText, slave + inet, ""},
		"JSON":                     {Read, `[{"ifname":"up0","flags":["UP"],"master":"night","linkinfo":{"info_slave_kind":"vrf","info_slave_data":{"table":10}},"addr_info":[{"local":"172.28.61.2","prefixlen":30}]}]`, "up0 in night 10"},
		"JSON of the VRF":          {Read, `[{"ifname":"up0","flags":["UP"],"master":"night","addr_info":[{"local":"172.28.61.2","prefixlen":30}]},{"ifname":"night","flags":["UP"],"linkinfo":{"info_kind":"vrf","info_data":{"table":10}},"addr_info":[]}]`, "up0 in night 10"},
		"JSON of a bridge's slave": {Read, `[{"ifname":"up0","flags":["UP"],"master":"night","linkinfo":{"info_slave_kind":"bridge"},"addr_info":[{"local":"172.28.61.2","prefixlen":30}]}]`, ""},
	} {
		r := layouttest.Laws(t, tt.read, []byte(tt.text))
		require.Empty(t, layouttest.Unread([]byte(tt.text), r), what)
		got := ""
		for _, i := range r.Facts.Interfaces {
			if i.VRF != "" {
				got += fmt.Sprint(i.Name, " in ", i.VRF, " ", i.VRFTable)
			}
		}
		require.Equal(t, tt.want, got, what)
		require.Len(t, r.Facts.Addresses, 1, "%s: details lose no address", what)
	}
}
