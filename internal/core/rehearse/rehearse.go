// Package rehearse puts a change on a network that is only thought of, step by step: each order becomes edits (package
// change), what follows from them is settled (package settle), and the network of each step is compared with the one
// before it (package compare). It exists because an engineer on a live network has one chance.
//
// Orders are what she writes; what she leaves open is decided here and said: whether the other end of a link notices.
package rehearse

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"

	"zarvek/internal/core/change"
	"zarvek/internal/core/compare"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/topology"
)

// Verb is what an order does. The zero Verb adds a route.
type Verb uint8

const (
	Add Verb = iota
	Remove
	Down
	Up
)

var verbNames = [...]string{"add", "remove", "down", "up"}

// String returns the verb as it is written.
func (v Verb) String() string { return verbNames[v] }

// An Order is one thing that is to be done.
type Order struct {
	Verb      Verb
	Device    string
	Interface string         // Down, Up: ""; the whole device
	Static    network.Static // Add
	Table     string         // Remove: "" is the default one
	Prefix    netip.Prefix   // Remove
	NextHop   netip.Addr     // Remove: only routes by it; invalid: all
	Where     string         // the option, or the file and line, that gives it
	Text      string         // as it was written
}

// A Step is orders that are done together.
type Step struct {
	Name   string
	Orders []Order
}

// RemarkKind says what a Remark is about. The zero RemarkKind is that both ends of a link notice.
type RemarkKind uint8

const (
	BothEnds    RemarkKind = iota // assumed, since the link has room for two ends only
	OneEnd                        // the far ends keep what they have
	NotUsed                       // a route that is added could not be used
	StandsBy                      // a route that is added waits: something else comes first
	Undecided                     // the rules do not part an added route from another one
	Oscillation                   // some routes do not come to rest
	FarEndOff                     // the other end of the link is switched off: nothing comes up
	MayNotice                     // whether other ends come up too, which are down as well, is not known
	NoAddress                     // what an interface that comes up has as addresses was not captured
)

// A Remark is something that was assumed, or that became of an order otherwise than she may think.
type Remark struct {
	Kind   RemarkKind
	Order  Order
	Others []topology.Attachment // the far ends
	Fare   change.Fare           // of an added route
	Family route.Family          // NoAddress
}

// A Loss is an address to keep that a network reached before and does not reach for sure any more.
type Loss struct {
	Address netip.Addr
	From    netip.Prefix
	Source  netip.Addr
	Was, Is forward.Both
}

// A StepResult is what a step does to the network as it is before it.
type StepResult struct {
	Step    Step
	Remarks []Remark
	Moves   []settle.Move // what followed, of all that was done so far
	Result  *compare.Result
	Lost    []Loss         // of the addresses to keep, against the network before all steps
	Lacks   []settle.Lack  // for which moves cannot be told
	Noted   []settle.Noted // that moves rest on
}

// A Result is a change, rehearsed.
type Result struct {
	Steps []StepResult
	Whole *compare.Result // against the network before all steps
	After *forward.Walker
}

// An OrderError is an order that the network cannot take.
type OrderError struct {
	Order Order
	Err   error
}

func (e *OrderError) Error() string { return fmt.Sprintf("%s: %v", e.Order.Where, e.Err) }

// Run rehearses steps in order. Keep are addresses of which it is said whether they stay reachable.
func Run(w *forward.Walker, steps []Step, keep []netip.Addr, opt compare.Options) (*Result, error) {
	opt.OneNetwork = true
	settler := settle.New(w.Topology())
	base := w.Topology().Network
	out := &Result{After: w}
	edited, now := base, w
	before := reached(w, keep)
	for _, s := range steps {
		r := StepResult{Step: s}
		for _, o := range s.Orders {
			edits, remarks, err := plan(now.Topology(), edited, o)
			if err == nil {
				edited, err = on(edited, edits)
			}
			if err != nil {
				return nil, &OrderError{o, err}
			}
			r.Remarks = append(r.Remarks, remarks...)
		}
		settled := settler.Run(edited)
		r.Moves = settled.Moves
		r.Lacks, r.Noted = settler.Lacks(r.Moves, settled.Rose...), settler.Noted(r.Moves)
		if settled.Oscillates {
			r.Remarks = append(r.Remarks, Remark{Kind: Oscillation})
		}
		next := w.On(settled.Network)
		r.Result = compare.Run(now, next, opt)
		r.Lost = lost(before, reached(next, keep))
		out.Steps, now = append(out.Steps, r), next
	}
	out.After = now
	out.Whole = out.Steps[len(out.Steps)-1].Result
	if len(steps) > 1 {
		out.Whole = compare.Run(w, now, opt)
	}
	return out, nil
}

// Predict returns the network after all steps, without comparing anything.
func Predict(t *topology.Topology, steps []Step) (*settle.Result, error) {
	edited := t.Network
	for _, s := range steps {
		var err error
		if edited, err = Edit(t, edited, s.Orders); err != nil {
			return nil, err
		}
	}
	return settle.New(t).Run(edited), nil
}

// Edit puts orders on a network, t's or an overlay of it, without what follows from them. The error is an OrderError.
func Edit(t *topology.Topology, n *network.Snapshot, orders []Order) (*network.Snapshot, error) {
	for _, o := range orders {
		edits, _, err := plan(t, n, o)
		if err == nil {
			n, err = on(n, edits)
		}
		if err != nil {
			return nil, &OrderError{o, err}
		}
	}
	return n, nil
}

// on puts the edits of one order on a network. That an order is several edits is not the reader's business.
func on(n *network.Snapshot, edits change.Change) (*network.Snapshot, error) {
	after, err := edits.On(n)
	if inner := errors.Unwrap(err); inner != nil {
		return nil, inner
	}
	return after, err
}

// plan makes edits of an order.
func plan(t *topology.Topology, n *network.Snapshot, o Order) (change.Change, []Remark, error) {
	d := n.Device(o.Device)
	if d == nil {
		return nil, nil, fmt.Errorf("%s is not there any more", o.Device)
	}
	switch o.Verb {
	case Add:
		return add(n, o)
	case Remove:
		return change.Change{change.RemoveRoute{Device: o.Device, Table: o.Table, Prefix: o.Prefix,
			NextHop: o.NextHop}}, nil, nil
	case Down:
		if o.Interface == "" {
			return wholeDown(t, n, o)
		}
		return ends(t, n, o, change.InterfaceDown{Device: o.Device, Interface: o.Interface},
			func(d, ifname string) change.Edit {
				return change.CarrierLost{Device: d, Interface: ifname}
			})
	}
	edits, remarks := comesUp(n, o)
	return edits, append(bare(d, o), remarks...), nil
}

// comesUp brings an interface up. On a link for two the other end lost its carrier with it, and comes up too, unless
// somebody switched it off: then the link stays down.
func comesUp(n *network.Snapshot, o Order) (change.Change, []Remark) {
	d := n.Device(o.Device)
	out := change.Change{change.InterfaceUp{Device: o.Device, Interface: o.Interface}}
	alone, both := Remark{Kind: OneEnd, Order: o}, Remark{Kind: BothEnds, Order: o}
	off, open := Remark{Kind: FarEndOff, Order: o}, Remark{Kind: MayNotice, Order: o}
	for _, far := range sharers(n, d, o.Interface) {
		i := far.Device.Interface(far.Interface)
		switch {
		case !topology.ForTwo(far.Prefix) && i.State == network.LinkDown && !i.Off && !i.Configured:
			open.Others = append(open.Others, far)
			out = append(out, change.MayComeUp{Device: far.Device.Name, Interface: far.Interface})
		case !topology.ForTwo(far.Prefix):
			alone.Others = append(alone.Others, far)
		case i.State != network.LinkDown: // it is up already
		case i.Off || i.Configured:
			off.Others = append(off.Others, far)
		default:
			both.Others = append(both.Others, far)
			out = append(out, change.InterfaceUp{Device: far.Device.Name, Interface: far.Interface})
		}
	}
	switch {
	case len(off.Others) > 0:
		return nil, []Remark{off}
	case len(open.Others) > 0:
		return out, []Remark{open}
	case len(both.Others) > 0:
		return out, []Remark{both}
	case len(alone.Others) > 0:
		return out, []Remark{alone}
	}
	return out, nil
}

// sharers are the other ends in the networks of an interface, whether up or down, by the addresses that were captured.
// The prefix of each is the network that both are in.
func sharers(n *network.Snapshot, d *network.Device, ifname string) (out []topology.Attachment) {
	addresses := func(d *network.Device) []network.Address {
		return slices.Concat(d.Addresses().Copy(), d.Idle().Copy())
	}
	var nets []netip.Prefix
	for _, a := range addresses(d) {
		if a.Interface == ifname && !a.Prefix.IsSingleIP() && !a.Prefix.Addr().IsLinkLocalUnicast() {
			nets = append(nets, a.Prefix.Masked())
		}
	}
	for _, far := range n.Devices().All() {
		if far.Name == d.Name {
			continue
		}
		for _, a := range addresses(far) {
			known := slices.ContainsFunc(out,
				func(x topology.Attachment) bool { return x.Device == far && x.Interface == a.Interface })
			if !known && slices.Contains(nets, a.Prefix.Masked()) {
				out = append(out, topology.Attachment{Device: far, Interface: a.Interface, Prefix: a.Prefix.Masked()})
			}
		}
	}
	return out
}

// bare remarks on each family of which the addresses that come with an interface were not captured.
func bare(d *network.Device, o Order) (out []Remark) {
	if d.Interface(o.Interface).State != network.LinkDown {
		return nil
	}
	for _, f := range []route.Family{route.IPv4, route.IPv6} {
		if t := d.Table("default", f); t != nil && t.Routes().Len() > 0 && d.Bare(o.Interface, f) {
			out = append(out, Remark{Kind: NoAddress, Order: o, Family: f})
		}
	}
	return out
}

// add adds a static route, and says how it fares.
func add(n *network.Snapshot, o Order) (change.Change, []Remark, error) {
	e := change.AddRoute{Device: o.Device, Static: o.Static}
	fare, err := change.Try(n, e)
	if err != nil {
		return nil, nil, err
	}
	var remarks []Remark
	switch fare.Outcome {
	case change.CouldNotBeUsed:
		remarks = []Remark{{Kind: NotUsed, Order: o, Fare: fare}}
	case change.WouldWait:
		remarks = []Remark{{Kind: StandsBy, Order: o, Fare: fare}}
	case change.WouldTie:
		remarks = []Remark{{Kind: Undecided, Order: o, Fare: fare}}
	}
	return change.Change{e}, remarks, nil
}

// Ties reports whether the rules do not part the route of an order from one that n has.
func Ties(n *network.Snapshot, o Order) bool {
	fare, err := change.Try(n, change.AddRoute{Device: o.Device, Static: o.Static})
	return err == nil && fare.Outcome == change.WouldTie
}

// ends edits an interface, and the other end too where the link has room for two: there the other one notices.
func ends(
	t *topology.Topology, n *network.Snapshot, o Order, own change.Edit, far func(device, ifname string) change.Edit,
) (change.Change, []Remark, error) {
	others, two := t.FarEnds(t.Network.Device(o.Device), o.Interface)
	others = slices.DeleteFunc(others,
		func(a topology.Attachment) bool { return a.Device == nil || n.Device(a.Device.Name) == nil })
	out := change.Change{own}
	r := Remark{Kind: OneEnd, Order: o, Others: others}
	if two && len(others) == 1 {
		r.Kind = BothEnds
		out = append(out, far(others[0].Device.Name, others[0].Interface))
	}
	if len(others) == 0 {
		return out, nil, nil
	}
	return out, []Remark{r}, nil
}

// wholeDown takes a device out; the other ends of its links for two notice.
func wholeDown(t *topology.Topology, n *network.Snapshot, o Order) (change.Change, []Remark, error) {
	var out change.Change
	notice := Remark{Kind: BothEnds, Order: o}
	keep := Remark{Kind: OneEnd, Order: o}
	d := t.Network.Device(o.Device)
	for _, name := range t.Interfaces(d) {
		others, two := t.FarEnds(d, name)
		for _, a := range others {
			if a.Device == nil || n.Device(a.Device.Name) == nil {
				continue
			}
			if two && len(others) == 1 {
				notice.Others = append(notice.Others, a)
				out = append(out, change.CarrierLost{Device: a.Device.Name, Interface: a.Interface})
			} else {
				keep.Others = append(keep.Others, a)
			}
		}
	}
	var remarks []Remark
	for _, r := range []Remark{notice, keep} {
		if len(r.Others) > 0 {
			remarks = append(remarks, r)
		}
	}
	return append(out, change.DeviceDown{Device: o.Device}), remarks, nil
}

// way is a network with hosts, or a device's own network, and an address to keep.
type way struct {
	from netip.Prefix
	src  netip.Addr
	to   netip.Addr
}

// reached asks from which networks addresses are reached.
func reached(w *forward.Walker, keep []netip.Addr) map[way]forward.Both {
	out := map[way]forward.Both{}
	t := w.Topology()
	for _, to := range keep {
		for _, n := range t.Networks() {
			src, ok := someone(t, n, to)
			if !ok {
				continue
			}
			out[way{n, src, to}] = w.Trace(src, to).Verdict
		}
	}
	return out
}

// someone is an address in a network other than one: a host's where there is room for any.
func someone(t *topology.Topology, n netip.Prefix, other netip.Addr) (netip.Addr, bool) {
	if route.FamilyOf(n.Addr()) != route.FamilyOf(other) || n.Contains(other) || !t.HasHosts(n) {
		return netip.Addr{}, false
	}
	for a := n.Addr().Next(); n.Contains(a); a = a.Next() {
		if len(t.Owners(a)) == 0 {
			return a, true
		}
	}
	return netip.Addr{}, false
}

// lost lists the ways that were two-way and are not.
func lost(before, after map[way]forward.Both) []Loss {
	var out []Loss
	for w, was := range before {
		is, ok := after[w]
		if was != forward.TwoWay || ok && is == forward.TwoWay {
			continue
		}
		if !ok {
			is = forward.Broken // the network itself is gone
		}
		out = append(out, Loss{Address: w.to, From: w.from, Source: w.src, Was: was, Is: is})
	}
	slices.SortFunc(out, func(a, b Loss) int {
		if c := a.Address.Compare(b.Address); c != 0 {
			return c
		}
		return a.From.Compare(b.From)
	})
	return out
}
