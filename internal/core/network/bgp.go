package network

import (
	"net/netip"

	"zarvek/internal/core/route"
)

// A BGPStatement is what one line of a configuration says of how the device speaks BGP (RFC 4271) in its main instance:
// of the device as a whole, of one neighbour, or of a group of them.
type BGPStatement struct {
	Local  uint32       // the number of the device's own autonomous system, where the line tells it; else 0
	Family route.Family // 0: both
	Peer   netip.Addr   // the neighbour that the line is about; invalid: none
	Group  string       // the group of neighbours that it is about, "": none
	Within string       // the group that the neighbour is in
	Remote uint32       // the number of the neighbour's autonomous system; 0: the line does not tell
	Kin    BGPKin       // told in place of a number
	Speaks Toggle       // whether routes of the family are exchanged; of no neighbour: with those that say nothing
	Self   bool         // it announces itself as the next hop of what it tells that neighbour (next-hop-self)
	Client bool         // a client that it reflects routes to (RFC 4456)
	// Keeps tells whether, of equal paths from other autonomous systems, the one in use stays (RFC 5004).
	Keeps Toggle
	// Paths is the most equal paths that are used at once, Preference that of what is heard from other autonomous
	// systems: as the line tells, or as the documentation of the system has it where no line does. 0, and not known:
	// neither does.
	Paths      uint64
	Preference route.Number
	// Strict tells that of another protocol's prefixes it takes all those, and no others, that its table uses by that one:
	// some systems take the attached networks as well on which that protocol runs, or leave out what comes from outside.
	Strict  bool
	Unruled bool         // what is exchanged with other autonomous systems needs no rules that let it (RFC 8212)
	Network netip.Prefix // it announces this prefix where its table has it
	// In and Out tell that something that is not told here changes what is taken from the neighbour, or what is
	// announced to it.
	In, Out bool
	Other   bool // the line changes the choice, or what is announced, in a way that is not told here
	Mark    route.Mark
}

// BGPKin tells whether a neighbour is in the same autonomous system. The zero BGPKin is not known.
type BGPKin uint8

const (
	SameAS BGPKin = 1 + iota
	OtherAS
)

// A Toggle is switched on or off, or not told, the zero Toggle.
type Toggle uint8

const (
	TurnedOn Toggle = 1 + iota
	TurnedOff
)
