package cli

import (
	"context"
	"flag"
	"os"
	"os/signal"

	"zarvek/internal/core/route"
	"zarvek/internal/core/survive"
	"zarvek/internal/present"
)

// surviveCommand is zarvek survive.
func surviveCommand() command {
	return command{
		name:  "survive",
		short: "what every single failure would cost, the most harmful first",
		long: `Takes down each link, each interface on a shared segment and each device in turn, on paper,
settles what follows as zarvek rehearse does, and compares what becomes of all packets:

  networks that lose   one of these is in every pair that is lost
  pairs lost           pairs of networks with hosts between which less arrives than before
  cannot be told       pairs that hang on a route which the captures do not settle
  another way          pairs that go on by another way
  takes over           backups that come in, and routes that protocols would find

A link for two goes down at both ends; over a shared segment the far ends notice nothing. Then
come networks that hang on one thing alone, and backups that come in and do not carry.

-pairs takes two links or interfaces down at a time. Ctrl-C ends the search with what it has.
Exit code 1: a failure cuts networks off, or may.`,
		setup: func(fs *flag.FlagSet) action {
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			pairs := fs.Bool("pairs", false, "take two links or interfaces down at a time")
			all := fs.Bool("all", false, "show every failure, not the first ones")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("survive takes no arguments, only options")
				}
				fam, err := parseFamily(*family)
				if err != nil {
					return err
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				collectLess()
				ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
				defer stop()
				var p progress
				opt := survive.Options{Pairs: *pairs,
					Progress: func(done, total int) { p.tell("failing", int64(done), int64(total), 100) }}
				if fam != 0 {
					opt.Families = []route.Family{fam}
				}
				r := survive.Run(ctx, l.walk(), opt)
				p.done()
				cut := ctx.Err() != nil
				if e.as == "json" {
					err = present.SurviveJSON(e.out, r, cut, e.view(l))
				} else {
					err = present.SurviveText(e.out, r, *all, cut, e.view(l))
				}
				if err != nil {
					return err
				}
				for _, o := range r.Outcomes {
					if len(o.Lost)+o.Untold > 0 {
						return errBadNews
					}
				}
				return nil
			}
		},
	}
}
