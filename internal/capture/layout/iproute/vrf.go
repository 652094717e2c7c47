package iproute

import (
	"cmp"
	"slices"

	"zarvek/internal/capture/layout"
)

// linkInfo is what the details of a link say of its kind, and of the kind of what has it.
type linkInfo struct {
	Kind      string  `json:"info_kind"`
	SlaveKind string  `json:"info_slave_kind"`
	Data      vrfInfo `json:"info_data"`
	SlaveData vrfInfo `json:"info_slave_data"`
}

// vrfInfo is what it says of a VRF: the number of its table, which other kinds of links do not have.
type vrfInfo struct {
	Table word `json:"table"`
}

// linkKinds are the words that a line of details begins with, below an interface.
var linkKinds = layout.WordSet("vrf vlan bridge bond veth vxlan tun gre gretap ip6gre ip6tnl ipip sit vti geneve " +
	"macsec macvlan macvtap ipvlan dummy ifb team openvswitch xfrm wireguard")

// tableWord is the table's number in "vrf table 10 …".
func tableWord(w []string) word {
	if i := slices.Index(w, "table"); i > 0 && i+1 < len(w) {
		return word(w[i+1])
	}
	return ""
}

// enslaved keeps what an interface is to another one. A VRF has no address of a link, so it broadcasts nothing and
// asks nobody, where a bond or a bridge does.
func (r *reader) enslaved(o *object, ifname string) {
	if r.vrfs == nil {
		r.vrfs, r.slaves = map[string]string{}, map[string]string{}
	}
	has := func(flag string) bool { return slices.Contains(o.Flags, flag) }
	if o.Info.Kind == "vrf" || o.Info.Kind == "" && has("MASTER") && has("NOARP") && !has("BROADCAST") {
		r.vrfs[ifname] = cmp.Or(string(o.Info.Data.Table), r.vrfs[ifname])
	}
	if o.Master != "" {
		r.slaves[ifname] = o.Master
		if o.Info.SlaveKind == "vrf" {
			r.vrfs[o.Master] = cmp.Or(string(o.Info.SlaveData.Table), r.vrfs[o.Master])
		}
	}
}

// namesVRFs tells of each interface the VRF that has it, where the listing shows that it is one.
func (r *reader) namesVRFs() {
	for i := range r.Facts.Interfaces {
		x := &r.Facts.Interfaces[i]
		if m := r.slaves[x.Name]; m != "" {
			if n, is := r.vrfs[m]; is {
				x.VRF, x.VRFTable = m, n
			}
		}
	}
}
