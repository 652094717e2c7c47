package cli

import (
	"flag"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

// matrixCommand is zarvek matrix.
func matrixCommand() command {
	return command{
		name: "matrix", forms: "text, json, csv, svg or png",
		short: "every network against every other: two-way, one-way, broken, unknown",
		long: `Judges packets and replies between every two attached networks, from the same classes of
addresses as audit, and shows them as a square: a row for each source, a column for each
destination. A cell tells how the most addresses of both networks fare; + behind it says
that some addresses, or some of several equal ways, differ. Below stands at which device
packets and replies end.

A picture (-as svg or png) is of one address family; write it to a file with >.

Exit code 1: not everything is two-way.`,
		setup: func(fs *flag.FlagSet) action {
			family := fs.String("family", "both", "the address `family`: ipv4, ipv6 or both")
			hosts := fs.Bool("hosts", false, "the hosts of notes.yaml in place of networks")
			lans := fs.Bool("lans", false, "leave out networks between devices in which no host is known")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("matrix takes no arguments, only options")
				}
				fam, err := parseFamily(*family)
				if err != nil {
					return err
				}
				if err := e.picture(); err != nil {
					return err
				}
				picture := e.as == "svg" || e.as == "png"
				if picture && fam == 0 {
					fam = route.IPv4
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				l.walk()
				collectLess()
				var all []*audit.Matrix
				fine := true
				for _, f := range []route.Family{route.IPv4, route.IPv6} {
					if fam != 0 && f != fam {
						continue
					}
					m := audit.MakeMatrix(l.walk(), f, *hosts)
					if *lans {
						m = m.Without()
					}
					fine = fine && m.Fine()
					all = append(all, m)
				}
				switch {
				case picture:
					end := busyWith("drawing")
					err = present.MatrixPicture(e.out, all[0], e.as)
					end()
				case e.as == "json":
					err = present.MatrixJSON(e.out, all)
				case e.as == "csv":
					err = present.MatrixCSV(e.out, all)
				default:
					err = present.MatrixText(e.out, all, e.view(l))
				}
				if err == nil && !fine {
					return errBadNews
				}
				return err
			}
		},
	}
}
