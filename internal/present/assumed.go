package present

import (
	"fmt"
	"io"
	"strings"

	"zarvek/internal/casefile"
)

// untoldWords are what is taken for granted of one device, and of several.
var untoldWords = map[casefile.Untold][2]string{
	casefile.UntoldForwarding: {"forwards", "forward"},
	casefile.UntoldFilters:    {"filters nothing", "filter nothing"},
	casefile.UntoldBeside:     {"filters by iptables alone", "filter by iptables alone"},
	casefile.UntoldChecks:     {"checks no sources", "check no sources"},
	casefile.UntoldRouting:    {"routes by destination alone", "route by destination alone"},
	casefile.UntoldStart: {"sends by the captured device on its link",
		"send by the captured devices on their links"},
	casefile.UntoldTunnel: {"reaches the other end of its tunnel", "reach the other ends of their tunnels"},
	casefile.UntoldGateway: {"sends to the virtual address of its network",
		"send to the virtual addresses of their networks"},
	casefile.UntoldAnswer: {"answers", "answer"},
	casefile.UntoldHops:   {"has one next hop for each route", "have one next hop for each route"},
	casefile.UntoldOwn:    {"has no further address", "have no further addresses"},
	casefile.UntoldProxy:  {"has nobody who answers in its place", "have nobody who answers in their place"},
}

// untoldCodes name the same in JSON, and untoldNames in a list of what was not captured.
var (
	untoldCodes = map[casefile.Untold]string{
		casefile.UntoldForwarding: "forwarding", casefile.UntoldFilters: "filters",
		casefile.UntoldBeside: "filters-of-nftables", casefile.UntoldChecks: "source-checks",
		casefile.UntoldRouting: "policy-routing", casefile.UntoldStart: "start",
		casefile.UntoldTunnel: "tunnel", casefile.UntoldGateway: "gateway", casefile.UntoldTable: "table",
		casefile.UntoldHops: "further-next-hops", casefile.UntoldAnswer: "answer", casefile.UntoldHost: "host",
		casefile.UntoldOwn: "further-addresses", casefile.UntoldProxy: "proxy",
	}
	untoldNames = map[casefile.Untold]string{
		casefile.UntoldForwarding: "forwarding", casefile.UntoldFilters: "filters",
		casefile.UntoldBeside: "filters of nftables", casefile.UntoldChecks: "source checks",
		casefile.UntoldRouting: "policy routing", casefile.UntoldHops: "further next hops of a route",
	}
)

// maxAssumedDevices is how many devices are named in one assumption.
const maxAssumedDevices = 4

// assumption writes what a trip takes for granted, as one sentence; nothing where all of it was captured.
func (v View) assumption(w io.Writer, all []casefile.Assumption) {
	if len(all) == 0 {
		return
	}
	var parts []string
	for _, a := range all {
		many := 0
		if len(a.Devices) > 1 {
			many = 1
		}
		var what []string
		for _, u := range a.What {
			if u != casefile.UntoldTable && u != casefile.UntoldHost { // the first line says that
				what = append(what, untoldWords[u][many])
			}
		}
		if len(what) == 0 {
			continue
		}
		names := a.Devices
		if n := len(names) - maxAssumedDevices; n > 1 {
			names = append(names[:maxAssumedDevices:maxAssumedDevices], fmt.Sprintf("%d more", n))
		}
		parts = append(parts, fmt.Sprintf("that %s %s", Clean(joinAnd(names)), joinAnd(what)))
	}
	if len(parts) == 0 {
		return
	}
	v.wrapped(w, "", "Assumed, since no capture tells: "+strings.Join(parts, "; ")+".")
}

// joinAnd lists words, the last behind "and".
func joinAnd(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

type jsonAssumption struct {
	Devices []string `json:"devices"`
	What    []string `json:"not-captured"`
}

func jsonAssumed(all []casefile.Assumption) []jsonAssumption {
	out := []jsonAssumption{}
	for _, a := range all {
		j := jsonAssumption{Devices: a.Devices}
		for _, u := range a.What {
			j.What = append(j.What, untoldCodes[u])
		}
		out = append(out, j)
	}
	return out
}

// untoldNotes lists what no capture of a device tells, devices with the same together.
func untoldNotes(w io.Writer, all []casefile.Summary) {
	var order []string
	devices := map[string][]string{}
	for _, s := range all {
		var names []string
		for _, u := range s.Untold {
			names = append(names, untoldNames[u])
		}
		key := strings.Join(names, ", ")
		if key == "" {
			continue
		}
		if devices[key] == nil {
			order = append(order, key)
		}
		devices[key] = append(devices[key], s.Name)
	}
	if len(order) == 0 {
		return
	}
	fmt.Fprintln(w, "\nNot captured either, so that answers assume there is nothing out of the ordinary:")
	for _, key := range order {
		fmt.Fprintf(w, "  %s: %s\n", Clean(firstFew(devices[key], 8, ", ")), key)
	}
}
