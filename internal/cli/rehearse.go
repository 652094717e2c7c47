package cli

import (
	"errors"
	"flag"
	"fmt"
	"slices"

	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
	"zarvek/internal/notes"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// rehearseCommand is zarvek rehearse.
func rehearseCommand() command {
	return command{
		name: "rehearse", forms: "text, json or md",
		short: "a change on paper: what it would do to every pair of addresses",
		long: `Puts a change on the captured network, on paper alone, settles what follows from it, and
compares the network before and after exhaustively, as zarvek compare does:

  zarvek rehearse -add "valley: 10.61.72.0/24 via 172.28.61.18 preference 200"
  zarvek rehearse -remove "midway: 10.61.96.0/20" -down summit:radio0
  zarvek rehearse -change tonight.yaml -save future

-add takes "DEVICE: PREFIX via ADDRESS", "… dev INTERFACE" or "… discard", with "preference N"
and "in TABLE" behind it; -remove takes "DEVICE: PREFIX", with "via ADDRESS" for one of
several; -down takes DEVICE:INTERFACE or DEVICE; -up takes DEVICE:INTERFACE. They may stand
several times and are done together, in the order in which they stand.

What follows: attached networks of a dead interface leave, static routes leave with their
next hops and their liveness sessions, backups come in, and what routing protocols would find
instead is predicted from the captured metrics (networks -costs shows what they tell), of BGP
from the configurations of all its speakers, and from its own list where neighbours were not
captured. Where those do not settle it, it cannot be told: packets over such a route are unknown,
and what would settle it is said. Tables alone mostly do not show whether OSPF has several areas,
or IS-IS levels: configurations do, OSPF's lists of its interfaces, or a note (one-area, see
zarvek help notes).
A link for two goes down at both ends, and comes up at both unless the other one is switched off;
on a shared segment the far ends notice nothing.

A change file has steps, each judged after the one before it:

  steps:
    - name: open the new way
      add: "valley: 10.61.72.0/24 via 172.28.61.18 preference 200"
    - down: [summit:radio0, valley:line2]

Addresses under keep: in notes.yaml are watched at every step. -save FOLDER writes a case of
the network as it would be: the captures with the change beside them (change.yaml), on which
every other command works.

Exit code 1: something gets worse, or may.`,
		setup: func(fs *flag.FlagSet) action {
			var written []writtenOrder
			for verb, usage := range map[rehearse.Verb]string{
				rehearse.Add:    "add a `route`: \"DEVICE: PREFIX via ADDRESS preference N\"",
				rehearse.Remove: "take a `route` out: \"DEVICE: PREFIX\"",
				rehearse.Down:   "take an `interface` or a device down: DEVICE:INTERFACE or DEVICE",
				rehearse.Up:     "bring an `interface` up: DEVICE:INTERFACE",
			} {
				fs.Func(verb.String(), usage, func(s string) error {
					written = append(written, writtenOrder{verb, s})
					return nil
				})
			}
			file := fs.String("change", "", "a `file` with the steps of a change")
			save := fs.String("save", "", "write the network as it would be to this `folder`, as a case")
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			severity := fs.String("severity", "risk", "the least `severity` of findings to show: fault, risk or note")
			all := fs.Bool("all", false, "show every group and every change, not the first ones")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("rehearse takes no arguments, only options; a change stands behind -add, -remove, " +
						"-down, -up or -change")
				}
				if (len(written) > 0) == (*file != "") {
					return usagef("give the change either by -add, -remove, -down and -up or by -change FILE")
				}
				least, fam, err := parseLeast(*severity, *family)
				if err != nil {
					return err
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				steps, err := l.steps(written, *file)
				if err != nil {
					return err
				}
				return e.rehearse(l, steps, *save, fam, present.CompareView{All: *all, Least: least})
			}
		},
	}
}

// writtenOrder is an option of a change as it was given.
type writtenOrder struct {
	verb rehearse.Verb
	text string
}

// steps reads a change from options, which are one step, or from a file.
func (l *loaded) steps(written []writtenOrder, file string) ([]rehearse.Step, error) {
	if file != "" {
		text, err := source.ReadFile(file, source.MaxRecord)
		if err != nil {
			return nil, usagef("%s: cannot be read: %v", file, pathCause(err))
		}
		steps, err := notes.ParseChange(file, text, 0, l)
		if err != nil {
			return nil, usagef("%v", err)
		}
		return steps, nil
	}
	var s rehearse.Step
	for _, w := range written {
		o, err := notes.ParseOrder(w.verb, w.text, "-"+w.verb.String(), l)
		if err != nil {
			return nil, usagef("-%s %q: %v", w.verb, w.text, err)
		}
		s.Orders = append(s.Orders, o)
	}
	return []rehearse.Step{s}, nil
}

// DeviceName finds a device by its name or an unambiguous beginning of it.
func (l *loaded) DeviceName(name string) (string, error) {
	d, err := l.device(name)
	if err != nil {
		return "", err
	}
	return d.Name, nil
}

// InterfaceName finds an interface of a device likewise.
func (l *loaded) InterfaceName(device, name string) (string, error) {
	return l.interfaceOf(l.Network.Device(device), name)
}

// rehearse reads the orders from options and a file, and shows what they would do.
func (e *env) rehearse(l *loaded, steps []rehearse.Step, save string, fam route.Family, c present.CompareView) error {
	collectLess()
	var p progress
	r, err := rehearse.Run(l.walk(), steps, slices.Clone(l.Keep), comparing(fam, &p))
	p.done()
	var order *rehearse.OrderError
	if errors.As(err, &order) {
		return usagef("%s %q: %v", order.Order.Where, order.Order.Text, order.Err)
	}
	if err != nil {
		return err
	}
	if save != "" {
		if err := l.SaveWith(steps, save); err != nil {
			return err
		}
		c.Saved = save
	}
	c.Sides = [2]present.Side{{Evidence: l, Option: "-case " + l.Dir}, {Evidence: l}}
	if save != "" {
		c.Sides[1].Option = "-case " + save
	}
	c.Result = r.Whole
	switch e.as {
	case "json":
		err = present.RehearseJSON(e.out, r, l.Keep, c, e.view(l))
	case "md":
		err = present.RehearseMarkdown(e.out, r, l.Keep, c, e.view(l))
	default:
		err = present.RehearseText(e.out, r, l.Keep, c, e.view(l))
	}
	if err != nil {
		return fmt.Errorf("the rehearsal cannot be shown: %w", err)
	}
	if r.Whole.Harm() || slices.ContainsFunc(r.Steps,
		func(s rehearse.StepResult) bool { return s.Result.Harm() || len(s.Lost) > 0 }) {
		return errBadNews
	}
	return nil
}
