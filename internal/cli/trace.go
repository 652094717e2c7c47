package cli

import (
	"flag"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/network"
	"zarvek/internal/notes"
	"zarvek/internal/present"
)

// traceCommand is zarvek trace.
func traceCommand() command {
	return command{
		name: "trace", args: "SOURCE DESTINATION",
		short: "follow a packet hop by hop, and its reply back",
		long: `Follows a packet from one end to another over every equal-cost branch (ECMP), and then
the reply, and says whether it works both ways; if not, at which device, in which direction
and why. Where the captures lack what is needed the answer is unknown, with what to
capture. An end is an address, a device, DEVICE:INTERFACE, or a host of notes.yaml.

Verdicts of a direction: arrives, leaves, no-route, discarded, refused, filtered, loops,
next-hop-lost, not-forwarding, source-check, state-missing, unknown; of both together:
two-way, one-way (the reply is lost), broken (the packet is lost), unknown.

-flow PROTOCOL:SOURCE-PORT:DESTINATION-PORT tells the flow, for the rules and translations
that ask for it. By which of several equal ways a flow goes each maker decides in its own
way, which no capture shows: it takes one of the branches.

Where a filter or rule on the way was not read or not understood the answer is unknown, with
its line. -assume-permitted follows the packets as if such filters let them pass, and says so.

Of a device of which no table was captured nothing is known. -assume-configured lets it have
the table that its configuration makes, attached networks and static routes, unless it says
that the device learns routes; where that table has no route the answer stays unknown.

-many FILE answers a list of pairs, a line SOURCE,DESTINATION or SOURCE,DESTINATION,FLOW
each (- for standard input), with one line each; with -as json -hops both ways hop by hop.

Exit code 1: anything but two-way.`,
		setup: func(fs *flag.FlagSet) action {
			flowText := fs.String("flow", "", "the `flow`, such as tcp:40000:443")
			assume := fs.Bool("assume-permitted", false, "follow packets past filters that cannot be judged")
			suppose := supposing(fs)
			many := fs.String("many", "", "a `file` with pairs, - for standard input")
			hops := fs.Bool("hops", false, "with -many and -as json: both ways hop by hop for each pair")
			return func(e *env, args []string) error {
				if *hops && (*many == "" || e.as != "json") {
					return usagef("-hops goes with -many and -as json; one pair always shows its hops")
				}
				if *many == "" && len(args) != 2 || *many != "" && len(args) > 0 {
					return usagef("trace takes SOURCE and DESTINATION, or -many FILE; not %d arguments", len(args))
				}
				if e.suppose = *suppose; *suppose && *many != "" {
					return usagef("-assume-configured goes with one pair, whose answer says what was assumed")
				}
				var flow network.Flow
				if *flowText != "" {
					var err error
					if flow, err = notes.ParseFlow(*flowText); err != nil {
						return usagef("-flow: %v", err)
					}
				}
				l, err := e.load()
				if err != nil {
					return err
				}
				if l.Network.Devices().Len() == 0 {
					return &noDevices{l.Dir}
				}
				if *many != "" {
					return e.many(l, *many, flow, *assume, *hops)
				}
				src, dst, err := l.ends(args[0], args[1])
				if err != nil {
					return err
				}
				t := present.TraceView{RoundTrip: l.walking(*assume).TraceFlow(src, dst, flow),
					Topo: l.walk().Topology()}
				t.Assumed, t.Supposable = l.Assumed(&t.RoundTrip), l.Supposable(&t.RoundTrip)
				if t.Verdict != forward.TwoWay && l.small() && flow == (network.Flow{}) && !*assume && !*suppose {
					t.Cure = mend.New(l.walk(),
						mend.Options{Proofs: fewProofs}).Find(mend.Wrong{Trips: []mend.Trip{{Source: src,
						Destination: dst}}})
				}
				if e.as == "json" {
					err = present.TraceJSON(e.out, t, e.view(l))
				} else {
					err = present.TraceText(e.out, t, e.view(l))
				}
				if err == nil && t.Verdict != forward.TwoWay {
					return errBadNews
				}
				return err
			}
		},
	}
}
