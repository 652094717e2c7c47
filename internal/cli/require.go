package cli

import (
	"errors"
	"flag"
	"fmt"
	"net/netip"
	"os"
	"strconv"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/require"
	"zarvek/internal/core/settle"
	"zarvek/internal/core/survive"
	"zarvek/internal/near"
	"zarvek/internal/notes"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// requireCommand is zarvek require.
func requireCommand() command {
	return command{
		name: "require", args: "FILE", forms: "text, json, md or junit",
		short: "what must hold: who reaches whom, who never does, and by which way",
		long: `Judges a file of requirements, one a line, over all addresses that each names:

  desk reaches mast-cam                                # both ways
  every lan reaches 10.61.0.0/24                       # whole ranges, not samples
  10.61.64.0/24 reaches only 10.61.40.0/24 and internet
  guests never reach control, on tcp 22
  desk reaches till-2 by way of valley                 # the packets' way out
  till-2 reaches display within 5 hops
  10.61.44.0/26 reaches 10.61.0.0/24 also without any one link
  nothing loops
  valley knows 10.61.72.0/24 by static
  summit discards 10.61.40.0/21

or a subject with a colon, and what it requires on indented lines below:

  guests:
    reach internet
    never reach desk

An end is an address, a prefix, a device, a host, network or group of notes.yaml, "every lan"
(each network with hosts) or "internet" (public addresses that no captured network has);
several stand with "and" between them. Behind reaches may stand: by way of DEVICE [and
DEVICE], within N hops, also without any one link (or device), and ", on PROTOCOL [PORT]".
Behind # is a comment. A name may stand in quotes.

The grammar:

  requirement = "nothing" "loops"
              | DEVICE "knows" PREFIX ["by" SOURCE-PROTOCOL]
              | DEVICE "discards" PREFIX
              | ends ("reaches" | "reach") ["only"] ends {qualifier}
              | ends "never" ("reaches" | "reach") ends ["," "on" FLOW]
  qualifier   = "by" "way" "of" DEVICE {"and" DEVICE} | "within" NUMBER "hops"
              | "also" "without" "any" "one" ("link" | "device") | "," "on" FLOW
  ends        = end {("and" | ",") end}
  end         = ADDRESS | PREFIX | NAME | "every" "lan" | "internet"

A requirement holds, fails (with one pair that shows it), or cannot be told, which counts as
failed unless -allow-unknown is given. -learn writes requirements that hold now, as a start.
Exit code 1: a requirement does not hold.`,
		setup: func(fs *flag.FlagSet) action {
			allow := fs.Bool("allow-unknown", false, "let what cannot be told pass")
			learn := fs.Bool("learn", false, "write the requirements that hold now, instead of judging a file")
			return func(e *env, args []string) error {
				if *learn && len(args) > 0 || !*learn && len(args) != 1 {
					return usagef("require takes FILE, or -learn alone, not %d arguments", len(args))
				}
				l, err := e.devices()
				if err != nil {
					return err
				}
				collectLess()
				if *learn {
					return present.Learned(e.out, require.Learn(l.walk(), l.called))
				}
				return e.require(l, args[0], *allow)
			}
		},
	}
}

// require judges the requirements of a file. Allow lets what cannot be told pass.
func (e *env) require(l *loaded, file string, allow bool) error {
	all, err := l.requirements(file)
	if err != nil {
		return err
	}
	verdicts := require.Judge(l.walk(), all, l.failures)
	v := e.view(l)
	switch e.as {
	case "json":
		err = present.RequireJSON(e.out, file, verdicts, v)
	case "junit":
		err = present.RequireJUnit(e.out, file, verdicts, allow, v)
	case "md":
		err = present.RequireMarkdown(e.out, file, verdicts, v)
	default:
		err = present.RequireText(e.out, file, verdicts, v)
	}
	if err != nil {
		return err
	}
	if worst := require.Worst(verdicts); worst == require.Fails || worst == require.Untold && !allow {
		return errBadNews
	}
	return nil
}

// requirements reads a file of requirements, or standard input for -.
func (l *loaded) requirements(file string) ([]require.Requirement, error) {
	text, err := source.ReadFile(file, source.MaxRecord)
	if file == "-" {
		text, err = source.ReadAll(os.Stdin, source.MaxRecord)
	}
	if err != nil {
		return nil, usagef("%s: cannot be read: %v", file, pathCause(err))
	}
	all, err := require.Parse(string(text), meanings{l})
	var wrong *require.SyntaxError
	if errors.As(err, &wrong) {
		return nil, usagef("%s:%v", file, wrong)
	}
	if err == nil && len(all) == 0 {
		err = usagef("%s: no requirements in it; zarvek help require tells the language", file)
	}
	return all, err
}

// failures makes the networks without one link, or without one device.
func (l *loaded) failures(kind require.Without) []require.Failure {
	return l.failuresOf(l.walk())(kind)
}

// failuresOf makes such networks of another one.
func (l *loaded) failuresOf(w *forward.Walker) require.Failures {
	return func(kind require.Without) []require.Failure {
		s := settle.New(w.Topology())
		var out []require.Failure
		for _, f := range survive.Failures(w.Topology()) {
			if kind == require.AnyLink && f.Kind != survive.Link || kind == require.AnyDevice &&
				f.Kind != survive.Device {
				continue
			}
			after, _ := f.On(w, s)
			out = append(out, require.Failure{Name: f.Name, Walker: after})
		}
		return out
	}
}

// meanings finds what names in requirements stand for.
type meanings struct{ l *loaded }

// Range looks among the hosts, networks and groups of the notes, then among the devices.
func (m meanings) Range(name string) (all []netip.Prefix, ok bool, hint string) {
	var names []string
	for _, h := range m.l.Network.Hosts().All() {
		if names = append(names, h.Name); h.Name == name {
			all = append(all, netip.PrefixFrom(h.Address, h.Address.BitLen()))
		}
	}
	if len(all) > 0 {
		return all, true, ""
	}
	if all, ok := m.l.Named[name]; ok {
		return all, true, ""
	}
	for n := range m.l.Named {
		names = append(names, n)
	}
	if d := m.l.Network.Device(name); d != nil {
		for _, a := range ownAddresses(d, "") {
			all = append(all, netip.PrefixFrom(a, a.BitLen()))
		}
		return all, len(all) > 0, ""
	}
	for _, d := range m.l.Network.Devices().All() {
		names = append(names, d.Name)
	}
	return nil, false, near.Name(name, names)
}

func (m meanings) Device(name string) (string, bool, string) {
	if m.l.Network.Device(name) != nil {
		return name, true, ""
	}
	var names []string
	for _, d := range m.l.Network.Devices().All() {
		names = append(names, d.Name)
	}
	return "", false, near.Name(name, names)
}

// Flow reads "PROTOCOL" or "PROTOCOL PORT".
func (m meanings) Flow(text string) (network.Flow, error) {
	w := strings.Fields(text)
	if len(w) == 0 || len(w) > 2 {
		return network.Flow{},
			fmt.Errorf("a protocol is wanted here, with a port behind it if need be, such as tcp 443")
	}
	f, err := notes.ParseFlow(w[0])
	if err != nil || strings.Contains(w[0], ":") {
		return f, fmt.Errorf("%q is no protocol; write tcp, udp, icmp and so on, with a port behind it if need be",
			w[0])
	}
	if len(w) == 2 {
		n, err := strconv.ParseUint(w[1], 10, 16)
		if err != nil {
			return f, fmt.Errorf("%q is no port", w[1])
		}
		f.DestinationPort = uint16(n)
	}
	return f, nil
}

// called names a network as the notes do, "" where they do not.
func (l *loaded) called(p netip.Prefix) string {
	for name, all := range l.Named {
		if len(all) == 1 && all[0] == p && !strings.ContainsAny(name, " \t\",#") {
			return name
		}
	}
	return ""
}
