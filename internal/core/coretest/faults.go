package coretest

import "strings"

// Sound is two routers a and b on a link, each with a network and no route to the other's.
const Sound = `
	a: addr 172.28.1.1/30 up
	a: direct 172.28.1.0/30 dev up
	a: addr 10.61.1.1/24 lan
	a: direct 10.61.1.0/24 dev lan
	b: addr 172.28.1.2/30 up
	b: direct 172.28.1.0/30 dev up
	b: addr 10.61.2.1/24 lan
	b: direct 10.61.2.0/24 dev lan
`

// OutAndBack is Sound with a route each way: nothing is wrong with it.
const OutAndBack = Sound + `
	a: static 10.61.2.0/24 via 172.28.1.2 dev up
	b: static 10.61.1.0/24 via 172.28.1.1 dev up
`

// Faults are networks with one thing wrong, or nothing, each by what it is.
var Faults = map[string]string{
	"a sound network has no findings":                     OutAndBack,
	"no route although the network is attached elsewhere": Sound + "a: static 10.61.2.0/24 via 172.28.1.2 dev up",
	"two static routes at each other": OutAndBack + `
		a: static 10.61.9.0/24 via 172.28.1.2 dev up
		b: static 10.61.9.0/24 via 172.28.1.1 dev up`,
	"default routes at each other": OutAndBack + `
		a: static 0.0.0.0/0 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 172.28.1.1 dev up`,
	"a loop of a network that is attached": OutAndBack + `
		a: static 10.61.2.128/25 via 172.28.1.2 dev up
		b: static 10.61.2.128/25 via 172.28.1.1 dev up`,
	"a reply leaves by the default route on the wrong side": Sound + `
		a: static 10.61.2.0/24 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 10.61.2.254 dev lan
		b: neigh 10.61.2.254 lan alive`,
	"a discard swallows what is attached": OutAndBack + "a: static 10.61.2.64/26 blackhole",
	"a discard swallows what the default would carry": OutAndBack + `
		a: static 10.61.64.0/18 blackhole
		a: static 0.0.0.0/0 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 10.61.2.254 dev lan
		b: neigh 10.61.2.254 lan alive`,
	"a discard alone takes nothing from anybody": OutAndBack + "a: static 10.61.64.0/18 blackhole",
	"a next hop that nothing leads to": Sound + `
		a: static 10.61.2.0/24 via 172.28.9.9
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"a next hop that nobody has": Sound + `
		a: static 10.61.2.0/24 via 10.61.1.77 dev lan
		a: neigh 10.61.1.77 lan failed
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"the next hop's interface is down": strings.Replace(
		OutAndBack,
		"b: direct 172.28.1.0/30 dev up",
		"b: link up down",
		1,
	),
	"a network whose only interface is down": strings.Replace(
		OutAndBack,
		"b: direct 10.61.2.0/24 dev lan",
		"b: link lan down",
		1,
	),
	"of two equal next hops one is a dead end": OutAndBack + `
		c: addr 172.28.2.2/30 e
		c: direct 172.28.2.0/30 dev e
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 via 172.28.1.2 dev up via 172.28.2.2 dev side`,
	"forwarding is off on the path": OutAndBack + "b: forwarding ipv4 off",
	"a strict check drops what comes by another way": OutAndBack + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		b: addr 172.28.2.2/30 side
		b: direct 172.28.2.0/30 dev side
		b: static 10.61.1.128/25 via 172.28.2.1 dev side
		b: check up strict`,
	"a stateful device sees one direction only": OutAndBack + `
		a: stateful
		c: addr 172.28.2.2/30 x
		c: direct 172.28.2.0/30 dev x
		c: addr 10.61.2.2/24 lan
		c: direct 10.61.2.0/24 dev lan
		c: addr 10.61.1.2/24 far
		c: direct 10.61.1.0/24 dev far
		c: static 10.61.1.0/24 via 172.28.2.1 candidate`,
	"two ends of a link count it differently": Sound + `
		a: ospf 10.61.50.0/24 pref 110 metric 17 via 172.28.1.2 dev up
		b: ospf 10.61.50.0/24 pref 110 metric 10 dev hall candidate
		b: ospf 10.61.51.0/24 pref 110 metric 12 via 172.28.1.1 dev up
		a: ospf 10.61.51.0/24 pref 110 metric 10 dev desk candidate`,
	"metrics that give several costs": Sound + `
		a: ospf 10.61.50.0/24 pref 110 metric 17 via 172.28.1.2 dev up
		b: ospf 10.61.50.0/24 pref 110 metric 10 dev hall candidate
		a: ospf 10.61.52.0/24 pref 110 metric 25 via 172.28.1.2 dev up
		b: ospf 10.61.52.0/24 pref 110 metric 11 dev hall candidate`,
	"a static route replaces a learned one": OutAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up candidate
		a: static 10.61.7.0/24 pref 1 via 172.28.1.2 dev up`,
	"a backup with a longer prefix": OutAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.7.0/25 pref 200 via 172.28.1.2 dev up`,
	"a backup with an unreachable next hop": OutAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.7.0/24 pref 200 via 172.28.9.9 candidate`,
	"a backup onto a path that does not know the network": Sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		c: addr 172.28.2.2/30 side
		c: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.2.0/24 pref 200 via 172.28.2.2 dev side candidate
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"a backup onto a path whose router lacks the way back": Sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		c: addr 172.28.2.2/30 side
		c: direct 172.28.2.0/30 dev side
		c: addr 10.61.2.3/24 lan
		c: direct 10.61.2.0/24 dev lan
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.2.0/24 pref 200 via 172.28.2.2 dev side candidate
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"an unused equal next hop that leads nowhere on": Sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		c: addr 172.28.2.2/30 side
		c: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up chosen via 172.28.2.2 dev side
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"a backup with a preference that is never used": OutAndBack + `
		a: ospf 10.61.7.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.7.0/24 pref 255 via 172.28.1.2 dev up candidate`,
	"a static over a shared segment in a network that watches its links": `
		a: addr 10.61.5.1/24 seg
		a: direct 10.61.5.0/24 dev seg
		b: addr 10.61.5.2/24 seg
		b: direct 10.61.5.0/24 dev seg
		c: addr 10.61.5.3/24 seg
		c: direct 10.61.5.0/24 dev seg
		a: static 10.61.7.0/24 via 10.61.5.2 dev seg
		b: session 10.61.5.3 seg up
		c: session 10.61.5.2 seg up`,
	"a missing route in a management walk": Sound + `
		a: static 10.61.2.0/24 via 172.28.1.2 dev up
		c: walk: direct 172.28.3.0/30 dev x
		c: walk: direct 10.61.3.0/24 dev lan
		c: addr 10.61.3.1/24 lan
		c: addr 172.28.3.2/30 x
		b: addr 172.28.3.1/30 x
		b: direct 172.28.3.0/30 dev x
		b: static 10.61.3.0/24 via 172.28.3.2 dev x
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"several discards in front of one default": OutAndBack + `
		a: static 10.61.64.0/18 blackhole
		a: static 10.63.0.0/16 blackhole
		a: static 192.168.0.0/16 blackhole
		a: static 0.0.0.0/0 via 172.28.1.2 dev up
		b: static 0.0.0.0/0 via 10.61.2.254 dev lan
		b: neigh 10.61.2.254 lan alive`,
	"a backup in use, and nothing better there": OutAndBack + `
		a: static 10.61.7.0/24 pref 200 via 172.28.1.2 dev up
		b: static 10.61.7.0/24 via 10.61.2.9 dev lan
		b: neigh 10.61.2.9 lan alive`,
	"replies are delivered to another network of the same addresses": OutAndBack + `
		c: addr 172.28.3.2/30 up
		c: direct 172.28.3.0/30 dev up
		b: addr 172.28.3.1/30 side
		b: direct 172.28.3.0/30 dev side
		c: addr 10.61.1.126/25 lan
		c: direct 10.61.1.0/25 dev lan
		c: static 10.61.2.0/24 via 172.28.3.1 dev up`,
	"a backup that works": Sound + `
		a: addr 172.28.2.1/30 side
		a: direct 172.28.2.0/30 dev side
		b: addr 172.28.2.2/30 side
		b: direct 172.28.2.0/30 dev side
		a: ospf 10.61.2.0/24 pref 110 via 172.28.1.2 dev up
		a: static 10.61.2.0/24 pref 200 via 172.28.2.2 dev side candidate
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"a configured static whose next hop nothing leads to": OutAndBack + "a: conf 10.61.8.0/24 via 172.28.9.9",
	"a configured static that could be used":              OutAndBack + "a: conf 10.61.8.0/24 via 172.28.1.2",
	"a configured static whose tracked object is down": OutAndBack +
		"a: conf 10.61.8.0/24 via 172.28.1.2 tied 1\na: tracked 1 down",
	"a configured static that should come before another": OutAndBack +
		"a: conf 10.61.8.0/24 via 172.28.1.2 pref 1\na: static 10.61.8.0/24 via 10.61.1.9 dev lan pref 9\n" +
		"a: neigh 10.61.1.9 lan alive",
	"chosen and not installed": OutAndBack + `
		a: kernel: static 10.61.2.0/24 via 172.28.1.2 dev up
		a: kernel: direct 10.61.1.0/24 dev lan
		a: kernel: direct 172.28.1.0/30 dev up
		a: static 10.61.7.0/24 via 172.28.1.2 dev up`,
	"a static over a shared segment without liveness detection": OutAndBack + `
		a: static 10.61.7.0/24 via 10.61.1.9 dev lan
		a: neigh 10.61.1.9 lan alive`,
	"liveness detection on one end only": OutAndBack + "a: session 172.28.1.2 up up",
	"liveness detection on one end of a shared segment": `
		a: addr 10.61.5.1/24 seg
		a: direct 10.61.5.0/24 dev seg
		b: addr 10.61.5.2/24 seg
		b: direct 10.61.5.0/24 dev seg
		a: static 10.61.7.0/24 via 10.61.5.2 dev seg
		a: session 10.61.5.2 seg up`,
	"an interface alone on a shared segment": OutAndBack + "a: static 10.61.7.0/24 dev lan",
	"an address on two devices": OutAndBack + `
		a: addr 10.62.0.1/32 lo
		b: addr 10.62.0.1/32 lo`,
	"two lengths on one segment": `
		a: addr 10.61.5.1/24 seg
		a: direct 10.61.5.0/24 dev seg
		b: addr 10.61.5.2/25 seg
		b: direct 10.61.5.0/25 dev seg`,
	"a network inside another one": OutAndBack + `
		c: addr 10.61.2.129/25 lan
		c: direct 10.61.2.128/25 dev lan`,
	"paths lead to a device that is not there": Sound + `
		a: static 10.61.2.0/24 via 10.61.1.9 dev lan
		b: static 10.61.1.0/24 via 172.28.1.1 dev up`,
	"nobody answers for one host":  OutAndBack + "b: neigh 10.61.2.7 lan failed",
	"captures a day apart":         OutAndBack,
	"captures of one evening":      OutAndBack,
	"lines that could not be read": OutAndBack,
	"tables that are kept apart are worth a note": OutAndBack + `
		c: addr 10.61.3.1/24 lan
		c: direct 10.61.3.0/24 dev lan in red
		c: addr 10.61.1.3/24 up
		c: direct 10.61.1.0/24 dev up`,
}
