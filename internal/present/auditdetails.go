package present

import (
	"fmt"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/selection"
)

// detailSummary words the findings that are told by their detail; "" for the others.
func detailSummary(f *audit.Finding) string {
	d := Clean(f.Device)
	switch x := f.Detail.(type) {
	case audit.BackupDetail:
		return backupSummary(d, f.Kind, x)
	case audit.TrialDetail:
		return fmt.Sprintf("%s: if %s had to go %s, %s", d, prefixList(f.Missing, 3), toWays(x.Trial.Route.Attributes),
			trialWords(&x.Trial, x.To))
	case audit.StaticDetail:
		return fmt.Sprintf("%s: the configured static route %s %s is not in use: %s", d, x.Route.Prefix,
			toWays(x.Route.Attributes), staticShort(x))
	case audit.DifferenceDetail:
		return fmt.Sprintf("%s: %s: %s", d, differenceShort[x.Kind], prefixList(f.Missing, 4))
	case audit.OneSidedDetail:
		return fmt.Sprintf("%s keeps state and sees one direction only of %s, such as %s to %s", d,
			count(x.Pairs, "pair of networks", "pairs of networks"), x.From, x.To)
	case audit.DetectionDetail:
		if f.Kind == audit.NoDetection {
			return fmt.Sprintf("%s sends %s to %s, and nothing captured would notice if that died", d,
				prefixList(f.Missing, 3), to(x.Address, x.Interface))
		}
		one, other := d, orSomebody(f.Reason.Device)
		if x.Liveness.Here == forward.NoDetection {
			one, other = other, one
		}
		return fmt.Sprintf("%s has a liveness session (BFD) with %s, and %s none with %s (%s of %s)", one, other, other,
			one, Clean(x.Interface), d)
	case audit.InterfaceOnlyDetail:
		return fmt.Sprintf("%s sends %s straight out of %s, where many may be: only somebody that answers for others "+
			"makes that work", d, prefixList(f.Missing, 3), Clean(x.Interface))
	case audit.ClashDetail:
		here, there := d+on(x.Here.Interface), Clean(x.There.Device.Name)+on(x.There.Interface)
		switch f.Kind {
		case audit.DuplicateAddress:
			return fmt.Sprintf("%s is an address of two devices: %s and %s", x.Address, here, there)
		case audit.MasksDiffer:
			return fmt.Sprintf("two lengths on one segment: %s at %s, %s at %s", f.Missing[0], here, f.Missing[1],
				there)
		}
		return fmt.Sprintf("%s at %s lies inside of %s at %s, which is another segment", f.Missing[0], here,
			f.Missing[1], there)
	case audit.CostDetail:
		c := x.Cost
		if f.Kind == audit.CostsDisagree {
			return fmt.Sprintf("%s: captured metrics of %s give several costs for the way by %s to %s: several "+
				"areas, routes from outside, or captures of different moments",
				d, c.Protocol, Clean(c.Interface), orSomebody(Clean(c.Neighbour)))
		}
		return fmt.Sprintf("%s counts %s for %s to %s, which counts %s for the way back", d, number(c.Value),
			c.Protocol, Clean(c.Neighbour), number(x.Back.Value))
	case audit.ApartDetail:
		return fmt.Sprintf("the captures of %s are %s older than those of %s", d, span(x.Minutes), Clean(x.Newest))
	case audit.MovedDetail:
		return fmt.Sprintf("the table of %s changed while it was captured: a second answer to %q had %s less and %s "+
			"more", d, Clean(x.Command),
			count(x.Gone, "route", "routes"), count(x.Come, "route", "routes"))
	case audit.UnreadDetail:
		return fmt.Sprintf("%s in the tables of %s could not be read; a route may stand there",
			count(x.Lines, "line", "lines"), orFiles(d))
	}
	return ""
}

// backupSummary words what is wrong with a backup route.
func backupSummary(d string, k audit.Kind, x audit.BackupDetail) string {
	r := x.Route
	switch {
	case k == audit.PreferenceTooGood:
		return fmt.Sprintf(
			"%s: the static route %s (%s) is used although %s knows the prefix (%s)",
			d,
			r.Prefix,
			numbers(r),
			learned(x.Against.Attributes),
			numbers(x.Against),
		)
	case k == audit.BackupInUse:
		return fmt.Sprintf(
			"%s: the static route %s (%s) has the preference of a backup and is in use: nothing better is there",
			d,
			r.Prefix,
			numbers(r),
		)
	case x.NeverUsed > 0:
		return fmt.Sprintf(
			"%s: the backup %s %s has preference %d, with which many devices never use a route",
			d,
			r.Prefix,
			toWays(r.Attributes),
			x.NeverUsed,
		)
	case x.Trap == selection.LongerThanLearned:
		return fmt.Sprintf(
			"%s: the static route %s (%s) is no backup for %s of %s: the longer prefix wins whatever its preference",
			d,
			r.Prefix,
			numbers(r),
			x.Against.Prefix,
			learned(x.Against.Attributes),
		)
	}
	return fmt.Sprintf(
		"%s: the backup %s %s could not take over: its next hop leads nowhere",
		d,
		r.Prefix,
		toWays(r.Attributes),
	)
}
