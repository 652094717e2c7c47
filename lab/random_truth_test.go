package lab

import (
	"bytes"
	"fmt"
	"net/netip"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// An ending is how one packet really ended: the verdict's word and the router where.
type ending struct {
	verdict, where string
	// stranger is set where the packet was handed to an address that no router has: somebody uncaptured could have it.
	stranger bool
}

// probe is a packet on its way.
type probe struct {
	src, dst netip.Addr
	at       *router
	in       string // interface it came in by, "" where it starts
	seen     map[string]bool
	end      ending
}

// follow asks the kernel of every router on the way what it does with each packet, until all have ended.
func (n *randomNet) follow(all []*probe) {
	for {
		byRouter := map[*router][]*probe{}
		open := 0
		for _, p := range all {
			if p.end.verdict == "" {
				byRouter[p.at] = append(byRouter[p.at], p)
				open++
			}
		}
		if open == 0 {
			return
		}
		var wg sync.WaitGroup
		for r, list := range byRouter {
			wg.Go(func() {
				for _, f := range families {
					var some []*probe
					for _, p := range list {
						if p.dst.Is4() == (f == 0) {
							some = append(some, p)
						}
					}
					n.step(r, f, some)
				}
			})
		}
		wg.Wait()
	}
}

var failedLine = regexp.MustCompile(`Command failed -:(\d+)`)

// step takes each packet one router further.
func (n *randomNet) step(r *router, f int, list []*probe) {
	if len(list) == 0 {
		return
	}
	var in bytes.Buffer
	var asked []*probe
	for _, p := range list {
		key := r.name + " " + p.in
		if p.seen[key] {
			p.end = ending{verdict: "loops", where: r.name}
			continue
		}
		p.seen[key] = true
		q := fmt.Sprintf("route get %s from %s", p.dst, p.src)
		if p.in != "" {
			q += " iif " + p.in
		}
		fmt.Fprintln(&in, q)
		asked = append(asked, p)
	}
	args := []string{"netns", "exec", n.ns[r.name], "ip"}
	if f == 1 {
		args = append(args, "-6")
	}
	cmd := exec.Command("ip", append(args, "-force", "-oneline", "-batch", "-")...)
	cmd.Stdin = &in
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	_ = cmd.Run() // it fails where any line does
	failed := map[int]string{}
	reason := ""
	for line := range strings.Lines(errs.String()) {
		if m := failedLine.FindStringSubmatch(line); m != nil {
			k, _ := strconv.Atoi(m[1])
			failed[k] = reason
			reason = ""
			continue
		}
		reason += line
	}
	rows := strings.Split(strings.TrimRight(out.String(), "\n"), "\n")
	for i, p := range asked {
		if why, ok := failed[i+1]; ok {
			n.refused(r, f, p, why)
			continue
		}
		row := rows[0]
		rows = rows[1:]
		n.forwarded(r, f, p, strings.Fields(row))
	}
}

// refused turns the kernel's error into an ending.
func (n *randomNet) refused(r *router, f int, p *probe, why string) {
	switch {
	case strings.Contains(why, "Invalid cross-device link"):
		p.end = ending{verdict: "source-check", where: r.name}
	case f == 0 && p.in != "" && r.owns(p.src) && strings.Contains(why, "Invalid argument"):
		p.end = ending{verdict: "loops", where: r.name} // back at its sender, which drops it
	case p.in != "" && r.off[f] && !r.owns(p.dst):
		p.end = ending{verdict: "not-forwarding", where: r.name}
	case strings.Contains(why, "Invalid argument") && r.strict && f == 0 && p.in != "" && !n.discards(r, p.dst):
		p.end = ending{verdict: "source-check", where: r.name} // newer kernels have one error for both
	case strings.Contains(why, "Invalid argument"):
		p.end = ending{verdict: "discarded", where: r.name}
	case strings.Contains(why, "Network is unreachable"):
		p.end = ending{verdict: "no-route", where: r.name}
	case strings.Contains(why, "No route to host"), strings.Contains(why, "Permission denied"):
		p.end = ending{verdict: "refused", where: r.name}
	default:
		p.end = ending{verdict: "? " + why, where: r.name}
	}
}

// forwarded reads the kernel's answer and moves the packet on.
func (n *randomNet) forwarded(r *router, f int, p *probe, w []string) {
	via, dev := netip.Addr{}, ""
	for i := 0; i+1 < len(w); i++ {
		switch w[i] {
		case "via":
			via, _ = netip.ParseAddr(w[i+1])
		case "dev":
			dev = w[i+1]
		}
	}
	switch w[0] {
	case "local":
		p.end = ending{verdict: "arrives", where: r.name}
		return
	case "blackhole", "unreachable", "prohibit":
		p.end = ending{
			verdict: map[string]string{"blackhole": "discarded", "unreachable": "refused", "prohibit": "refused"}[w[0]],
			where:   r.name,
		}
		return
	case "broadcast", "multicast", "anycast":
		p.end = ending{verdict: "? " + w[0], where: r.name}
		return
	}
	if p.in != "" && r.off[f] {
		p.end = ending{verdict: "not-forwarding", where: r.name} // IPv6: the answer does not look at the switch
		return
	}
	if !via.IsValid() {
		via = p.dst
	}
	for _, mine := range r.ports {
		if mine.name != dev {
			continue
		}
		for _, other := range mine.seg.ports {
			if other == mine || mine.down || other.down {
				continue
			}
			if other.addr[f].Addr() == via || other.router.owns(via) {
				p.at, p.in = other.router, other.name
				return
			}
		}
	}
	p.end = ending{verdict: "next-hop-lost", where: r.name, stranger: !n.owned(via)}
}

// owned reports whether any router has an address.
func (n *randomNet) owned(a netip.Addr) bool {
	return slices.ContainsFunc(n.routers, func(r *router) bool { return r.owns(a) })
}

// owns reports whether an address is the router's on any interface: a kernel answers for all of them on each.
func (r *router) owns(a netip.Addr) bool {
	for _, p := range r.ports {
		for _, f := range families {
			if p.addr[f].Addr() == a {
				return true
			}
		}
	}
	return r.stub[0].Addr() == a || r.stub[1].Addr() == a
}

// discards asks whether a router discards what it sends to an address itself: no source check applies to that.
func (n *randomNet) discards(r *router, a netip.Addr) bool {
	out, err := n.try(r.name, "ip route get "+a.String())
	return err != nil && strings.Contains(out, "Invalid argument")
}
