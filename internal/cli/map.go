package cli

import (
	"flag"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/chart"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

func mapCommand() command {
	return command{
		name: "map", forms: "text, svg, png or dot",
		short: "the network as the tables show it, drawn",
		long: `Draws the network as inferred from the captures: devices with the networks that hang on
them alone and the hosts of notes.yaml, the links and shared segments between them with the
interface and the address at each end, and, dashed, whatever a route points at that was not
captured. What lies behind such a neighbour stands beyond it, at as many hops as the
protocol's metric tells where that counts hops, else just beyond.

A picture is written to standard output; send it to a file with >:

  zarvek map -as png > map.png
  zarvek map -as svg -path desk,mast-cam > way.svg

-path draws a trace on it: the packet as a wide line, the reply as a row of dashes, and where
either ends. -findings numbers the causes that audit finds and lists them below.`,
		setup: func(fs *flag.FlagSet) action {
			family := fs.String("family", "ipv4", "the address `family`: ipv4, ipv6 or both")
			path := fs.String("path", "", "draw the trace `SOURCE,DESTINATION` on it")
			findings := fs.Bool("findings", false, "mark the faults and risks that audit finds")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("map takes no arguments, only options; -path takes SOURCE,DESTINATION")
				}
				fam, err := parseFamily(*family)
				if err != nil {
					return err
				}
				if err := e.picture(); err != nil {
					return err
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				m := present.MapView{}
				if *path != "" {
					from, to, ok := strings.Cut(*path, ",")
					if !ok {
						return usagef("-path takes SOURCE,DESTINATION, not %q", *path)
					}
					src, dst, err := l.ends(strings.TrimSpace(from), strings.TrimSpace(to))
					if err != nil {
						return err
					}
					rt := l.walk().Trace(src, dst)
					m.Trip = &rt
					fam = route.FamilyOf(src)
				}
				m.Chart = chart.Make(l.walk().Topology(), fam)
				if *findings {
					for _, f := range l.audit(audit.Options{Family: fam}).Findings {
						if f.Severity >= audit.Risk {
							m.Findings = append(m.Findings, f)
						}
					}
				}
				switch e.as {
				case "svg", "png":
					return present.MapPicture(e.out, m, e.as)
				case "dot":
					return present.MapDOT(e.out, m)
				}
				return present.MapText(e.out, m, e.view(l))
			}
		},
	}
}
