package cli

import (
	"flag"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

func traceCommand() command {
	return command{
		name: "trace", args: "SOURCE DESTINATION",
		short: "follow a packet hop by hop, and its reply back",
		long: `Follows a packet from one address to another over every equal-cost branch, and then
the reply, and says whether it works both ways; if not, at which device, in which
direction and why. Where the captures lack what is needed the answer is unknown, with
what to capture. Verdicts of a direction: arrives, leaves, no-route, discarded,
refused, loops, next-hop-lost, not-forwarding, unknown; of both together: two-way,
one-way (the reply is lost), broken (the packet is lost), unknown.
Exit code 1: anything but two-way.`,
		setup: func(*flag.FlagSet) action {
			return func(e *env, args []string) error {
				if len(args) != 2 {
					return usagef("trace takes SOURCE and DESTINATION, not %d arguments", len(args))
				}
				l, err := e.load()
				if err != nil {
					return err
				}
				if len(l.Network.Devices) == 0 {
					return &noDevices{l.Dir}
				}
				src, err := l.address("source", args[0])
				if err != nil {
					return err
				}
				dst, err := l.address("destination", args[1])
				if err != nil {
					return err
				}
				if route.FamilyOf(src) != route.FamilyOf(dst) {
					return usagef("source and destination must be of one family, not %s and %s", src, dst)
				}
				rt := l.walk().Trace(src, dst)
				if e.as == "json" {
					err = present.TraceJSON(e.out, rt, e.view(l))
				} else {
					err = present.TraceText(e.out, rt, e.view(l))
				}
				if err == nil && rt.Verdict != forward.TwoWay {
					return errBadNews
				}
				return err
			}
		},
	}
}
