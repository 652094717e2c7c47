package present

import (
	"fmt"
	"strings"

	"zarvek/internal/core/network"
)

// bgpWords says what a line of a configuration tells of how the device speaks BGP.
func bgpWords(x network.BGPStatement) string {
	about := "BGP"
	switch {
	case x.Peer.IsValid():
		about += " with " + x.Peer.String()
	case x.Group != "":
		about += " with the group " + Clean(x.Group)
	}
	if x.Family != 0 {
		about += ", " + x.Family.String()
	}
	var says []string
	add := func(on bool, format string, args ...any) {
		if on {
			says = append(says, fmt.Sprintf(format, args...))
		}
	}
	add(x.Local != 0, "the device is of the autonomous system %d", x.Local)
	add(x.Within != "", "it is one of the group %s", Clean(x.Within))
	add(x.Remote != 0, "it is of the autonomous system %d", x.Remote)
	add(x.Kin == network.SameAS, "it is of the same autonomous system")
	add(x.Kin == network.OtherAS, "it is of another autonomous system")
	add(x.Speaks == network.TurnedOn, "routes are exchanged")
	add(x.Speaks == network.TurnedOff, "no routes are exchanged")
	add(x.Self, "it hears the device itself as the next hop")
	add(x.Client, "what is heard within is reflected to it")
	add(x.Network.IsValid(), "%s is announced where the table has it", x.Network)
	add(x.In, "what is taken from it is filtered or changed, which is not worked out")
	add(x.Out, "what it is told is filtered or changed, which is not worked out")
	add(x.Local == 0 && x.Keeps == network.TurnedOff, "of equal paths the one in use need not stay")
	byDefault := ""
	if x.Local != 0 {
		byDefault = "by FRR's default "
	}
	add(x.Paths > 0, "%sup to %d equal paths are used at once", byDefault, x.Paths)
	add(x.Preference.Known, "%swhat other autonomous systems tell it has the preference %d", byDefault, x.Preference.Value)
	add(x.Strict, "of another protocol it takes what the table uses by that one")
	add(x.Unruled, "what is exchanged with other autonomous systems needs no rules")
	add(x.Other, "the line changes what is chosen or announced, which is not worked out")
	return about + ": " + strings.Join(says, "; ")
}
