package audit

import (
	"cmp"
	"slices"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

type mark = route.Mark

// caseView is all that the kinds look at.
type caseView struct {
	walker *forward.Walker
	topo   *topology.Topology
	net    *network.Snapshot
	opt    Options
	audits []*auditor
	trials trials
}

// Options are what an audit may be told. The zero Options audit everything.
type Options struct {
	Family   route.Family                   // 0: both
	Progress func(p Phase, done, total int) // told now and then, by several goroutines; nil for nobody
	Only     []Kind                         // kinds to look for; none: all
	Except   []Kind                         // kinds to leave out
	Ages     []Age                          // when captures were taken, as far as that is known
	Unread   []Unread                       // lines that could not be read
	Moved    []Moved                        // tables that changed while they were captured
}

// A Phase is what an audit is at.
type Phase uint8

const (
	Searching Phase = iota // tables for all classes of addresses; counted in routes
	Judging                // pairs of networks; counted in pairs of one family
)

// String words a phase.
func (p Phase) String() string { return [...]string{"searching", "judging pairs"}[p] }

// An Age is when one device's captures were taken, in minutes on some common clock.
type Age struct {
	Device  string
	Minutes int64
}

// Moved is a table that changed while its device was captured: a second answer to a command had other routes.
type Moved struct {
	Device, Command string
	Gone, Come      int // routes
}

// Unread is the lines of one device that could not be read although they stand in a table or list that was.
type Unread struct {
	Device string
	Marks  []route.Mark
}

// A Result is what an audit found.
type Result struct {
	Findings []Finding // the worst first
	Families []Coverage
	audits   []*auditor
}

// Coverage is how much of one family's space was looked at.
type Coverage struct {
	Family  route.Family
	Ranges  int      // in which no device's decision changes
	Classes int      // of ranges in which every device does the same
	Ends    int      // groups of addresses that somebody may have
	Weak    []string // devices of which a management walk alone shows a table
	// pairs that were followed one by one, since a device on their way looks at more than the destination
	Followed int
}

// Run audits a network.
func Run(w *forward.Walker, opt Options) *Result {
	s := &caseView{walker: w, topo: w.Topology(), net: w.Topology().Network, opt: opt}
	r := &Result{}
	progress := s.progress()
	for _, fam := range []route.Family{route.IPv4, route.IPv6} {
		if opt.Family != 0 && fam != opt.Family || !s.captured(fam) {
			continue
		}
		a := newAuditor(w, fam)
		a.run(progress, s.judging)
		s.audits = append(s.audits, a)
		r.Families = append(
			r.Families,
			Coverage{
				Family:   fam,
				Ranges:   a.ranges,
				Classes:  a.classes,
				Ends:     len(a.groups),
				Weak:     a.weak(),
				Followed: int(a.followed.Load()),
			},
		)
	}
	for _, a := range s.audits {
		r.Findings = append(r.Findings, a.lostFindings()...)
	}
	for _, k := range kinds() {
		find := k.find
		if find == nil {
			continue
		}
		r.Findings = append(r.Findings, find(s)...)
	}
	r.Findings = slices.DeleteFunc(r.Findings, func(f Finding) bool {
		if opt.Family != 0 && f.Family != 0 && f.Family != opt.Family {
			return true
		}
		return !opt.wants(f)
	})
	slices.SortStableFunc(r.Findings, order)
	r.audits = s.audits
	return r
}

// weak names the devices of which a management walk alone shows a table.
func (a *auditor) weak() []string {
	var out []string
	for _, d := range a.devices {
		if slices.ContainsFunc(familyTables(d, a.fam), func(t *network.Table) bool { return t.Weak }) {
			out = append(out, d.Name)
		}
	}
	return out
}

// captured reports whether any table of a family was.
func (s *caseView) captured(fam route.Family) bool {
	return s.net.Devices().Any(func(d *network.Device) bool { return len(familyTables(d, fam)) > 0 })
}

// wants applies Only and Except. A finding of which only replies are lost is one-way whatever its kind.
func (o *Options) wants(f Finding) bool {
	in := func(list []Kind) bool {
		return slices.Contains(list, f.Kind) || f.OneWay && slices.Contains(list, OneWay)
	}
	return (len(o.Only) == 0 || in(o.Only)) && !slices.Contains(o.Except, f.Kind)
}

// rank is the place of each kind in the order in which an engineer would work through them.
var rank = func() map[Kind]int {
	out := map[Kind]int{}
	for i, k := range Kinds() {
		out[k] = i
	}
	return out
}()

// order puts the worst finding first: by severity, by how many pairs it breaks, by how many addresses.
func order(x, y Finding) int {
	return cmp.Or(
		cmp.Compare(y.Severity, x.Severity),
		cmp.Compare(y.Pairs, x.Pairs),
		y.Addresses().Cmp(x.Addresses()),
		cmp.Compare(
			rank[x.Kind],
			rank[y.Kind],
		),
		cmp.Compare(x.Device, y.Device),
		cmp.Compare(x.ID, y.ID),
	)
}

// progress sums up what workers tell.
func (s *caseView) progress() func(int) {
	if s.opt.Progress == nil {
		return func(int) {}
	}
	total := 0
	for _, d := range s.net.Devices().All() {
		for _, t := range d.Tables().All() {
			if s.opt.Family == 0 || t.Family == s.opt.Family {
				total += t.Routes().Len()
			}
		}
	}
	return counter(total, func(done, total int) { s.opt.Progress(Searching, done, total) })
}

// judging sums up the pairs that workers judged, of so many.
func (s *caseView) judging(total int) func(int) {
	if s.opt.Progress == nil {
		return func(int) {}
	}
	return counter(total, func(done, total int) { s.opt.Progress(Judging, done, total) })
}
