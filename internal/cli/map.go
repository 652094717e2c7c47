package cli

import (
	"flag"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/chart"
	"zarvek/internal/core/route"
	"zarvek/internal/present"
)

// mapCommand is zarvek map.
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
either ends. -findings numbers the causes that audit finds and lists them below.

-compare takes the folder with the captures of before, as compare does: the devices at which
packets fare otherwise are numbered as there, and each box says what changed in it.

  zarvek map -case after -compare before -as png > changed.png`,
		setup: func(fs *flag.FlagSet) action {
			family := fs.String("family", "ipv4", "the address `family`: ipv4, ipv6 or both")
			path := fs.String("path", "", "draw the trace `SOURCE,DESTINATION` on it")
			findings := fs.Bool("findings", false, "mark the faults and risks that audit finds")
			before := fs.String("compare", "", "mark what became otherwise since the case in `folder`")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("map takes no arguments, only options; -path takes SOURCE,DESTINATION")
				}
				if *findings && *before != "" {
					return usagef("-findings and -compare both number their marks: give one of the two")
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
				if *before != "" {
					if m.Compared, err = e.since(*before, l, fam); err != nil {
						return err
					}
				}
				switch e.as {
				case "svg", "png":
					defer busyWith("drawing")()
					return present.MapPicture(e.out, m, e.as)
				case "dot":
					return present.MapDOT(e.out, m)
				}
				return present.MapText(e.out, m, e.view(l))
			}
		},
	}
}

// since compares a case with one of before, as the map marks it.
func (e *env) since(folder string, l *loaded, fam route.Family) (*present.CompareView, error) {
	after := e.caseDir
	e.caseDir = folder
	was, err := e.devices()
	e.caseDir = after
	if err != nil {
		return nil, err
	}
	return &present.CompareView{
		Result: differences(was.walk(), l.walk(), fam),
		Sides: [2]present.Side{
			{Name: folder, Evidence: present.Labelled(was, folder), Option: "-case " + folder},
			{Name: after, Evidence: present.Labelled(l, after), Option: "-case " + after},
		},
	}, nil
}
