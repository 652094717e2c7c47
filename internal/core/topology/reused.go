package topology

import (
	"net/netip"
	"slices"
)

// VRFs (RFC 4364) may use the same networks: then several links have a network, and an interface in it is on one of
// them. Which one, no address tells. It exists because the other end would be taken for one of another VRF otherwise.

// mainTable is the table of the main instance, which every device has.
const mainTable = "default"

// findReused notes the networks that several links have: a device attaches to it in several tables by different
// interfaces, more devices than a link for two has room for attach to it, in several tables, or two have the same
// address there, in different tables.
func (t *Topology) findReused() {
	for p, number := range t.byPrefix.All() {
		here := t.attached[number]
		oneTable := !slices.ContainsFunc(here, func(i int) bool {
			return t.attachments[i].Table != t.attachments[here[0]].Table
		})
		if oneTable || p.IsSingleIP() || p.Addr().IsLinkLocalUnicast() {
			continue
		}
		tables := map[string]bool{}
		devices := map[int]Attachment{}
		owns := map[netip.Addr]Attachment{}
		again := false
		for _, i := range here {
			at := t.at(i)
			if byRuleOnly(at.Device, at) {
				continue
			}
			tables[at.Table] = true
			if first, ok := devices[at.number]; !ok {
				devices[at.number] = at
			} else {
				again = again || first.Table != at.Table && first.Interface != at.Interface
			}
			if first, ok := owns[at.Address]; ok {
				again = again || first.Table != at.Table && first.number != at.number
			} else if at.Address.IsValid() {
				owns[at.Address] = at
			}
		}
		if again || ForTwo(p) && len(devices) > 2 && len(tables) > 1 {
			t.reused[p] = true
		}
	}
}

// tableAt returns the table in which an interface attaches to a network, "" where it does not.
func (t *Topology) tableAt(p port, net netip.Prefix) string {
	for _, i := range t.byInterface[p] {
		if t.attachments[i].Prefix == net {
			return t.attachments[i].Table
		}
	}
	return ""
}

// repeats reports whether a device attaches to a network in several tables.
func (t *Topology) repeats(device int, net netip.Prefix) bool {
	at, _ := t.exact(net)
	tables := map[string]bool{}
	for _, i := range at {
		if t.attachments[i].number == device {
			tables[t.attachments[i].Table] = true
		}
	}
	return len(tables) > 1
}

// unclearLink reports whether nobody knows which of several links with the same network an interface is on, so that the
// owners found of an address on it may be those of another link. VRFs of one name are taken for one; the main tables
// are where both devices have the network in several.
func (t *Topology) unclearLink(here port, a netip.Addr, owners []Attachment) bool {
	net := t.networkOf(here, a)
	if !net.IsValid() {
		return false
	}
	table := t.tableAt(here, net)
	named := table != mainTable
	mayHave := func(q port, ofVRF bool) bool { // one of the same table, or of a VRF of any name
		other := t.tableAt(q, net)
		return (other == table || ofVRF && other != mainTable) && !t.knowsOwn(q, a) && !t.uses(q, a)
	}
	if !t.reused[net] {
		return len(owners) == 1 && owners[0].Table != table &&
			slices.ContainsFunc(t.others(here), func(q port) bool { return mayHave(q, true) })
	}
	switch {
	case !named && !t.repeats(here.device, net):
		return true
	case len(owners) == 0:
		return !slices.ContainsFunc(t.others(here), func(q port) bool { return mayHave(q, false) })
	}
	return len(owners) == 1 && !named && !t.repeats(owners[0].number, net)
}

// elsewhereInVRF reports whether the owner of an address on no known link of here is one of another table: tables may
// use the same addresses.
func (t *Topology) elsewhereInVRF(here port, a netip.Addr, o Attachment) bool {
	table := t.tableAt(here, t.networkOf(here, a))
	return table != "" && o.Table != "" && table != o.Table
}

// withLink returns the one of several owners whose interface has a link-layer address, which a neighbour entry shows.
func withLink(mac string, owners ...[]Attachment) (Attachment, bool) {
	var found []Attachment
	for _, o := range slices.Concat(owners...) {
		if mac != "" && o.Device.Interface(o.Interface).MAC == mac {
			found = append(found, o)
		}
	}
	if len(found) != 1 {
		return Attachment{}, false
	}
	return found[0], true
}
