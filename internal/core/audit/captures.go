package audit

const (
	// CapturesApart means that the devices were captured at times so far apart that their tables need not fit together.
	CapturesApart Kind = "captures-apart"
	// TableMoved means that a device's table was another one at the end of its capture than at the beginning.
	TableMoved Kind = "table-moved"
	// LinesUnread means that lines in a table or list could not be read; a route may stand in them.
	LinesUnread Kind = "lines-unread"
)

// farApart is from how many minutes on captures are said to be apart: what one device learned an hour ago another may
// have lost since.
const farApart = 60

// findApart tells of captures so far apart in time, in minutes, that they may not show one state of the network.
func findApart(s *caseView) []Finding {
	if len(s.opt.Ages) < 2 {
		return nil
	}
	oldest, newest := s.opt.Ages[0], s.opt.Ages[0]
	for _, a := range s.opt.Ages {
		if a.Minutes < oldest.Minutes {
			oldest = a
		}
		if a.Minutes > newest.Minutes {
			newest = a
		}
	}
	apart := newest.Minutes - oldest.Minutes
	if apart < farApart {
		return nil
	}
	f := Finding{
		Kind:     CapturesApart,
		Severity: Note,
		Device:   oldest.Device,
		Detail:   ApartDetail{int(apart), newest.Device},
		Repair:   []Repair{{Kind: CaptureAnew, Device: oldest.Device, Other: newest.Device}},
	}
	f.identify()
	return []Finding{f}
}

func findMoved(s *caseView) []Finding {
	var out []Finding
	for _, m := range s.opt.Moved {
		f := Finding{
			Kind: TableMoved, Severity: Note, Device: m.Device, Detail: MovedDetail(m),
			Repair: []Repair{{Kind: CaptureAnew, Device: m.Device, Other: m.Device}},
		}
		f.identify()
		out = append(out, f)
	}
	return out
}

// findUnread tells of lines that no reader understood, one finding for each device.
func findUnread(s *caseView) []Finding {
	var out []Finding
	for _, u := range s.opt.Unread {
		if len(u.Marks) == 0 {
			continue
		}
		f := Finding{
			Kind:     LinesUnread,
			Severity: Risk,
			Device:   u.Device,
			Detail:   UnreadDetail{len(u.Marks)},
			Marks:    u.Marks,
		}
		f.identify()
		out = append(out, f)
	}
	return out
}
