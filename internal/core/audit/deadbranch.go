package audit

import "zarvek/internal/core/forward"

// DeadBranch means that of several equal next hops one leads to an end, so that some of the packets get lost.
const DeadBranch Kind = "dead-branch"

func takeDeadBranch(_ *auditor, f *Finding, g *byCause) bool {
	if g.split < 0 || f.Verdict <= forward.Unknown || f.Verdict == forward.StateMissing { // which no next hop mends
		return false
	}
	f.End, f.Device = f.Device, f.Split
	f.Repair = []Repair{{Kind: ChangeNextHop, Device: f.Split}}
	return true
}
