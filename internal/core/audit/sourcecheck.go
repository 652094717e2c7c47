package audit

import (
	"net/netip"

	"zarvek/internal/core/forward"
)

// SourceCheck means that a reverse-path check (RFC 3704) drops packets of an existing path.
const SourceCheck Kind = "source-check"

// takeSourceCheck takes what a check of source addresses drops (RFC 3704), or a device that sees its own address as the
// source.
func takeSourceCheck(a *auditor, f *Finding, g *byCause) bool {
	if f.Verdict != forward.SourceCheck {
		return false
	}
	x := SourceCheckDetail{Interface: f.Reason.Interface}
	if f.Reason.Code == forward.OwnSource { // somebody else has its address
		x.Own = a.groups[a.lostFrom(g.first())].rep
		f.Detail = x
		f.Repair = []Repair{{Kind: ChangeAddress, Device: f.Device, Other: a.otherOwner(x.Own, f.Device)}}
		return true
	}
	f.Detail = x
	f.Repair = []Repair{
		{Kind: LoosenCheck, Device: f.Device, Interface: f.Reason.Interface,
			Prefix: a.groups[a.lostFrom(g.first())].net},
	}
	return true
}

// otherOwner names another device with an address, "" for none.
func (a *auditor) otherOwner(x netip.Addr, device string) string {
	for _, o := range a.walker.Topology().Owners(x) {
		if o.Device.Name != device {
			return o.Device.Name
		}
	}
	return ""
}
