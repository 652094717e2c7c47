package audit

// repairWords are the repairs' words for machines: stable, and only added to.
var repairWords = [...]string{
	AddRoute:        "add-route",
	RemoveRoute:     "remove-route",
	ChangeNextHop:   "change-next-hop",
	SwitchOn:        "switch-on",
	LoosenCheck:     "loosen-check",
	RaisePreference: "raise-preference",
	CaptureDevice:   "capture-device",
	CaptureTable:    "capture-table",
	LookAtLink:      "look-at-link",
	ChangeAddress:   "change-address",
	ChangeMask:      "change-mask",
	AddDetection:    "add-detection",
	LeadBothWays:    "lead-both-ways",
	PermitFlow:      "permit-flow",
	CaptureAnew:     "capture-anew",
	NameNextHop:     "name-next-hop",
	BreakLoop:       "break-loop",
	MatchPrefix:     "match-prefix",
	LowerPreference: "lower-preference",
	CorrectHost:     "correct-host",
	FindFarEnd:      "find-far-end",
	FindHolder:      "find-holder",
	CompareTunnel:   "compare-tunnel",
}

// String returns the repair's word in output for machines.
func (k RepairKind) String() string { return repairWords[k] }
