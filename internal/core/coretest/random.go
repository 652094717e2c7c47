package coretest

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// RandomText makes a network of routers with links and attached networks of their own, and routes that are mostly
// right.
func RandomText(rnd *rand.Rand, size int) string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	type port struct{ far, link, end int }
	ports := make([][]port, size)
	links := 0
	connect := func(x, y int) {
		k := links
		links++
		bits := []int{30, 29, 31}[rnd.IntN(3)]
		first := 1
		if bits == 31 {
			first = 0
		}
		for i, r := range []int{x, y} {
			far := y
			if i == 1 {
				far = x
			}
			ports[r] = append(ports[r], port{far, k, first + 1 - i})
			say("r%d: addr 172.28.%d.%d/%d e%d", r, k, first+i, bits, k)
			if chance(4) {
				say("r%d: link e%d down", r, k)
			} else {
				vrf := ""
				if chance(4) {
					vrf = " in red"
				}
				say("r%d: direct 172.28.%d.0/%d dev e%d%s", r, k, bits, k, vrf)
			}
		}
	}
	for i := 1; i < size; i++ {
		connect(rnd.IntN(i), i)
	}
	for range rnd.IntN(size) {
		if x, y := rnd.IntN(size), rnd.IntN(size); x != y {
			connect(x, y)
		}
	}
	for i := range size {
		say("r%d: addr 10.61.%d.1/24 lan0", i, i)
		say("r%d: direct 10.61.%d.0/24 dev lan0", i, i)
		if chance(30) {
			say("r%d: addr 10.62.%d.1/32 lo", i, i)
			say("r%d: direct 10.62.%d.1/32 dev lo", i, i)
		}
		if chance(10) { // a loopback in a named table
			say("r%d: local 10.63.%d.1/32 receive dev lo7 in red", i, i)
		}
		if chance(8) {
			say("r%d: forwarding ipv4 off", i)
		}
		if chance(8) {
			say("r%d: check e%d %s", i, ports[i][0].link, []string{"strict", "loose", "feasible"}[rnd.IntN(3)])
		}
		if chance(5) {
			say("r%d: stateful", i)
		}
		if chance(8) {
			say("r%d: neigh 10.61.%d.7 lan0 %s", i, i, []string{"alive", "failed"}[rnd.IntN(2)])
		}
		if chance(5) { // a network inside another one's
			say("r%d: addr 10.61.%d.129/25 lan1", i, rnd.IntN(size))
		}
	}
	dist := func(from, to int) int {
		seen := map[int]int{from: 0}
		todo := []int{from}
		for len(todo) > 0 {
			x := todo[0]
			todo = todo[1:]
			for _, p := range ports[x] {
				if _, ok := seen[p.far]; !ok {
					seen[p.far] = seen[x] + 1
					todo = append(todo, p.far)
				}
			}
		}
		return seen[to]
	}
	for i := range size {
		hop := func(goal int) string {
			p := ports[i][rnd.IntN(len(ports[i]))]
			if !chance(8) {
				for _, q := range ports[i] {
					if dist(q.far, goal) < dist(p.far, goal) {
						p = q
					}
				}
			}
			if chance(3) {
				return fmt.Sprintf("via 172.28.%d.6 dev e%d", p.link, p.link)
			}
			if chance(10) {
				return fmt.Sprintf("via 172.28.%d.%d", p.link, p.end) // recursive
			}
			return fmt.Sprintf("via 172.28.%d.%d dev e%d", p.link, p.end, p.link)
		}
		for goal := range size {
			if goal == i || chance(5) {
				continue
			}
			prefix := fmt.Sprintf("10.61.%d.0/24", goal)
			switch {
			case chance(3):
				say("r%d: static %s %s", i, prefix, []string{"blackhole", "unreachable", "prohibit"}[rnd.IntN(3)])
			case chance(12):
				say("r%d: ospf %s %s %s", i, prefix, hop(goal), hop(goal))
			default:
				say("r%d: static %s %s", i, prefix, hop(goal))
			}
			if chance(6) {
				say("r%d: static 10.61.%d.%d/%d %s", i, goal, rnd.IntN(8)*32, 27+rnd.IntN(4), hop(rnd.IntN(size)))
			}
			if chance(20) {
				say("r%d: static 10.62.%d.1/32 %s", i, goal, hop(goal))
			}
		}
		if chance(40) {
			say("r%d: static 0.0.0.0/0 %s", i, hop(rnd.IntN(size)))
		}
		if chance(15) {
			say("r%d: static 10.61.0.0/16 blackhole", i)
		}
		if chance(8) {
			say("r%d: static %s %s in red", i, []string{"0.0.0.0/0", "10.61.0.0/16"}[rnd.IntN(2)], hop(rnd.IntN(size)))
		}
		if chance(15) {
			say(
				"r%d: rule 100 %s table 77",
				i,
				[]string{fmt.Sprintf("from 10.61.%d.0/25", rnd.IntN(size)), fmt.Sprintf("iif e%d", ports[i][0].link),
					fmt.Sprintf("to 10.61.%d.64/26", rnd.IntN(size))}[rnd.IntN(3)],
			)
			say("r%d: rule 200 table default", i)
			say("r%d: static %s %s in 77", i, []string{"0.0.0.0/0", "10.61.0.0/16"}[rnd.IntN(2)], hop(rnd.IntN(size)))
		}
	}
	return b.String()
}

// RandomShares is what a network of RandomText, of the same size, has besides: second routers that share a virtual
// address with the first, and tunnels between two routers, most of which have two ends that fit each other.
func RandomShares(rnd *rand.Rand, size int) string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	chance := func(percent int) bool { return rnd.IntN(100) < percent }
	for i := range size {
		j := rnd.IntN(size)
		if j == i || !chance(40) {
			continue
		}
		say("r%d: addr 10.61.%d.2/24 two%d", j, i, i)
		say("r%d: direct 10.61.%d.0/24 dev two%d", j, i, i)
		for _, at := range []string{fmt.Sprintf("r%d lan0", i), fmt.Sprintf("r%d two%d", j, i)} {
			if dev, ifname, _ := strings.Cut(at, " "); chance(85) {
				say("%s: virtual 10.61.%d.254 %s %s", dev, i, ifname, []string{"holds", "waits", "unknown"}[rnd.IntN(3)])
			}
		}
	}
	for k := range size {
		i, j := rnd.IntN(size), rnd.IntN(size)
		if i == j {
			continue
		}
		for end, r := range []int{i, j} {
			far := i + j - r
			say("r%d: addr 10.69.%d.%d/30 tun%d", r, k, end+1, k)
			say("r%d: direct 10.69.%d.0/30 dev tun%d", r, k, k)
			if to := far; chance(90) {
				if chance(10) {
					to = rnd.IntN(size)
				}
				say("r%d: tunnel tun%d from 10.61.%d.1 to 10.61.%d.1", r, k, r, to)
			}
			for range 1 + rnd.IntN(2) {
				goal := fmt.Sprintf("10.61.%d.64/26", rnd.IntN(size))
				if chance(60) {
					say("r%d: static %s dev tun%d", r, goal, k)
				} else {
					say("r%d: static %s via 10.69.%d.%d dev tun%d", r, goal, k, 2-end, k)
				}
			}
		}
	}
	return b.String()
}
