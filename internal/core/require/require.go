// Package require judges what must hold of a network: who reaches whom and who never does, by which way, and what a
// device's table must have. It exists because after a change somebody asks whether all that mattered still holds.
//
// A requirement is judged over all addresses that it names, from the classes of the audit, not by samples. It holds,
// fails, with one example that shows it, or cannot be told. The language is that of parse.go.
//
// No I/O: what names stand for is asked of the caller.
package require

import (
	"net/netip"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Kind says what is required. The zero Kind: packets arrive, and their replies do.
type Kind uint8

const (
	Reaches      Kind = iota // both ways
	Only                     // packets arrive there and nowhere else
	Never                    // no packet arrives
	NothingLoops             // no packet to whatever address goes round
	Knows                    // a device has a prefix in use
	Discards                 // a device has a prefix in use that it discards or refuses
)

// Without says what may fail while the requirement still holds. The zero Without is nothing.
type Without uint8

const (
	AnyLink Without = 1 + iota
	AnyDevice
)

// An End is one side of a requirement.
type End struct {
	Name     string // as it was written
	Prefixes []netip.Prefix
	EveryLAN bool // every network with hosts
	Internet bool // every address that no captured network has and that is routed publicly
}

// A Requirement is one thing that must hold.
type Requirement struct {
	Line       int
	Text       string
	Kind       Kind
	From, To   []End
	Way        []string // devices that every packet must pass on its way out
	Within     int      // the most devices that a packet may pass; 0: as many as it likes
	Without    Without
	Flow       network.Flow
	HasFlow    bool
	Device     string // Knows, Discards
	Prefix     netip.Prefix
	Protocol   route.Protocol
	ByProtocol bool
}

// State is what became of a requirement. The zero State is that it holds.
type State uint8

const (
	Holds State = iota
	Untold
	Fails
)

var stateNames = [...]string{"holds", "cannot-be-told", "fails"}

// String returns the state's word in output for machines.
func (s State) String() string { return stateNames[s] }

// Fault says why a requirement does not hold. The zero Fault is that packets or replies do not arrive.
type Fault uint8

const (
	NotReached Fault = iota
	Reached          // something is reached that must not be
	OtherWay         // by a way without a device that must be on it
	TooLong          // by too many devices
	Looping          // Finding tells the loop
	NoSuchRoute
	OtherSource  // of the route
	NotDiscarded // the route leads on
	NobodyThere  // no captured network has the source
	NoTable
	NobodyAsked // there is no pair of addresses of which a captured device decides
)

var faultNames = [...]string{"not-reached", "reached", "other-way", "too-many-hops", "loops", "no-such-route",
	"other-source", "not-discarded", "source-not-captured", "table-missing", "nothing-to-judge"}

// String returns the fault's word in output for machines.
func (f Fault) String() string { return faultNames[f] }

// A Verdict is a requirement with what became of it.
type Verdict struct {
	Requirement Requirement
	State       State
	Fault       Fault
	Pairs       int        // of ends that were judged
	From, To    netip.Addr // of the example
	Trip        *forward.RoundTrip
	Finding     *audit.Finding
	Route       route.Route // Knows, Discards: what the device has
	Device      string      // NoTable, NothingLoops: whose table is in the way
	Failed      string      // the link or device without which it does not hold
}

// A Failure is a network without one of its parts, for requirements that must hold without it.
type Failure struct {
	Name   string
	Walker *forward.Walker
}

// Failures makes networks without one link, or without one device.
type Failures func(Without) []Failure

// Judge judges requirements, in order.
func Judge(w *forward.Walker, all []Requirement, failures Failures) []Verdict {
	j := newJudge(w)
	failed := map[Without][]*judge{}
	names := map[Without][]string{}
	out := make([]Verdict, len(all))
	for i, r := range all {
		v := j.verdict(r)
		if r.Without != 0 && v.State != Fails {
			if failed[r.Without] == nil {
				for _, f := range failures(r.Without) {
					failed[r.Without] = append(failed[r.Without], newJudge(f.Walker))
					names[r.Without] = append(names[r.Without], f.Name)
				}
			}
			for k, without := range failed[r.Without] {
				one := without.verdict(r)
				if one.Fault == NobodyThere && r.Without == AnyDevice {
					continue // the device is the only one at that end
				}
				if one.State > v.State {
					v = one
					v.Failed = names[r.Without][k]
				}
			}
		}
		out[i] = v
	}
	return out
}

// Worst returns the worst state of verdicts.
func Worst(all []Verdict) State {
	worst := Holds
	for _, v := range all {
		worst = max(worst, v.State)
	}
	return worst
}
