package selection

// failureWords are the failures' words for machines: stable, and only added to.
var failureWords = [...]string{
	Resolved:     "",
	NoRoute:      "no-route",
	Cycle:        "cycle",
	ThroughSelf:  "through-self",
	DiscardedHop: "discarded-hop",
	NoNextHop:    "no-next-hop",
	Contradicted: "contradicted",
	NotReadable:  "not-readable",
	InOtherTable: "in-other-table",
	Untold:       "untold",
	TooLong:      "too-long",
}

// String returns the failure's word in output for machines, "" for Resolved.
func (f Failure) String() string { return failureWords[f] }
