package lab

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// raw sends flows as packets of their own making, from standard input, and prints those that a listener on the other
// side saw.
const rawSender = `import socket,struct,sys,threading,time
def sums(b):
    if len(b)%2: b+=b"\0"
    s=sum(struct.unpack("!%dH"%(len(b)//2),b))
    while s>>16: s=(s&65535)+(s>>16)
    return ~s&65535
P={"tcp":6,"udp":17,"icmp":1}
s=socket.socket(socket.AF_INET,socket.SOCK_RAW,socket.IPPROTO_RAW)
s.setsockopt(socket.SOL_SOCKET,socket.SO_SNDBUF,1<<22)
for n,line in enumerate(open(sys.argv[1])):
    src,dst,proto,sp,dp=line.split()
    a,b,sp,dp=socket.inet_aton(src),socket.inet_aton(dst),int(sp),int(dp)
    if proto=="tcp": body=struct.pack("!HHIIBBHHH",sp,dp,1,0,0x50,2,1000,0,0)
    elif proto=="udp": body=struct.pack("!HHHH",sp,dp,8,0)
    else: body=struct.pack("!BBHHH",8,0,0,n&65535,1)
    if proto=="icmp": body=body[:2]+struct.pack("!H",sums(body))+body[4:]
    elif proto=="tcp": body=body[:16]+struct.pack("!H",sums(a+b+struct.pack("!BBH",0,6,len(body))+body))+body[18:]
    head=struct.pack("!BBHHHBBH4s4s",0x45,0,20+len(body),n&65535,0,64,P[proto],0,a,b)
    s.sendto(head+body,(dst,0))
    if n%50==0: time.sleep(0.004)
`

const rawListener = `import socket,struct,sys,time
s=socket.socket(socket.AF_PACKET,socket.SOCK_DGRAM,socket.htons(0x800)); s.bind((sys.argv[1],0)); s.settimeout(0.2)
s.setsockopt(socket.SOL_SOCKET,33,1<<26)
P={6:"tcp",17:"udp",1:"icmp"}
out=open(sys.argv[2],"w"); open(sys.argv[3],"w").close()
import os
while not os.path.exists(sys.argv[4]):
    try: d,a=s.recvfrom(200)
    except socket.timeout: continue
    if a[2]==4 or d[9] not in P: continue
    p=P[d[9]]; sp,dp=struct.unpack("!HH",d[20:24]) if p!="icmp" else (0,0)
    if p=="icmp" and d[20]!=8 or p=="tcp" and d[33]!=2: continue
    out.write("%s %s %s %d %d\n"%(socket.inet_ntoa(d[12:16]),socket.inet_ntoa(d[16:20]),p,sp,dp))
out.close(); open(sys.argv[5],"w").close()
`

// TestOnePolicyInEveryShape writes random policies in every shape that is read. The kernel has the same rules; 20,000
// packets of their own making tell what they let pass, and every shape must say so of every flow.
func TestOnePolicyInEveryShape(t *testing.T) {
	const policies, flows = 4, 5000
	b := newBench(t, "nft", "python3", "iptables-restore")
	for _, box := range []string{"inner", "fence", "outer"} {
		b.box(box)
		b.run(box, "sysctl -q -w net.ipv4.ip_forward=1 net.ipv4.conf.all.rp_filter=0 net.ipv4.conf.default.rp_filter=0 net.ipv4.icmp_ratelimit=0")
	}
	const in, out = "in0.0", "out0.0"
	b.link("inner", "up0", "fence", in, []string{"10.61.79.254/20"}, []string{"10.61.79.1/20"})
	b.link("fence", out, "outer", "up0", []string{"10.61.95.1/20"}, []string{"10.61.95.254/20"})
	for _, line := range []string{"inner ip route add 10.61.80.0/20 via 10.61.79.1", "outer ip route add 10.61.64.0/20 via 10.61.95.1",
		"inner sysctl -q -w net.ipv4.ip_forward=0", "outer sysctl -q -w net.ipv4.ip_forward=0"} {
		box, command, _ := strings.Cut(line, " ")
		b.run(box, command)
	}
	// Who answers for an address is no matter here: the other end does for all of them.
	for _, side := range []struct{ box, ifname, net string }{{"inner", in, "10.61.6%d.%d"}, {"outer", out, "10.61.8%d.%d"}} {
		mac := strings.TrimSpace(b.run(side.box, "cat /sys/class/net/up0/address"))
		var batch strings.Builder
		for k := range 4 {
			for h := 2; h < 252; h++ {
				first := 4
				if side.box == "outer" {
					first = 0
				}
				fmt.Fprintf(&batch, "neigh replace %s lladdr %s dev %s nud permanent\n", fmt.Sprintf(side.net, first+k, h), mac, side.ifname)
			}
		}
		c := exec.Command("ip", "netns", "exec", b.ns["fence"], "ip", "-batch", "-")
		c.Stdin = strings.NewReader(batch.String())
		text, err := c.CombinedOutput()
		require.NoError(t, err, "%s", text)
	}
	routes, addresses := b.run("fence", "ip -j route show table all"), b.run("fence", "ip -j addr")
	rnd := rand.New(rand.NewPCG(7, 31))
	asked, wrong, unknown := 0, 0, 0
	for n := range policies {
		policy := randomPolicy(rnd)
		sent := randomFlows(rnd, flows)
		b.feed("fence", "flush ruleset\n"+nftRules(policy, in, out, true), "nft", "-f", "-")
		passed := b.sendRaw(sent)
		printed := map[string]string{"what the kernel prints": b.run("fence", "nft list ruleset"), "what the kernel prints as JSON": b.run("fence", "nft -j list ruleset")}
		b.feed("fence", "flush ruleset\n", "nft", "-f", "-")
		b.feed("fence", savedRules(policy, in, out), "iptables-restore")
		printed["what the older tool saves"], printed["what it lists"] = b.run("fence", "iptables-save"), b.run("fence", "iptables -L -n -v")
		t.Logf("policy %d: %d of %d passed", n, len(passed), flows)
		shapes := writtenShapes
		for name, text := range printed {
			shapes = append(shapes[:len(shapes):len(shapes)], struct {
				name     string
				stateful bool
				write    func(policy []policyRule, in, out string) string
			}{name, true, func([]policyRule, string, string) string { return text }})
		}
		for _, shape := range shapes {
			dir := t.TempDir()
			b.capture(dir, "fence", "routes.json", routes)
			b.capture(dir, "fence", "addresses.json", addresses)
			b.capture(dir, "fence", "saved.txt", shape.write(policy, in, out))
			w := load(t, dir)
			for _, f := range sent {
				asked++
				d := w.TraceFlow(f.src, f.dst, f.flow).Forward
				switch {
				case d.Verdict == forward.Unknown:
					unknown++
					t.Errorf("policy %d, %s: %s is unknown: %s", n, shape.name, f, words(d))
				case (d.Verdict == forward.Arrives) != passed[f]:
					wrong++
					t.Errorf("policy %d, %s: %s passed %v, we say %s\n%s", n, shape.name, f, passed[f], words(d), shape.write(policy, in, out))
				}
				if wrong+unknown > 5 {
					t.FailNow()
				}
			}
			exact := allBroken(w, audit.Run(w, audit.Options{}))
			for f := range passed {
				require.Empty(t, exact.unlessRestricted(f.src, f.dst), "policy %d, %s: %s passed", n, shape.name, f)
			}
		}
		require.NotEmpty(t, passed)
		require.Less(t, len(passed), flows, "some must be dropped")
	}
	t.Logf("%d verdicts on %d flows in %d shapes, %d wrong, %d unknown", asked, policies*flows, len(writtenShapes)+4, wrong, unknown)
}

// feed runs a command in a box with a text as its standard input.
func (b *bench) feed(box, text string, command ...string) {
	b.t.Helper()
	c := exec.Command("ip", append([]string{"netns", "exec", b.ns[box]}, command...)...)
	c.Stdin = strings.NewReader(text)
	out, err := c.CombinedOutput()
	require.NoError(b.t, err, "%s", out)
}

func (f flowTo) String() string {
	return fmt.Sprintf("%s to %s %s %d %d", f.src, f.dst, f.flow.Protocol, f.flow.SourcePort, f.flow.DestinationPort)
}

// sendRaw sends flows from the side where their source is, and returns those that came out on the other.
func (b *bench) sendRaw(flows []flowTo) map[flowTo]bool {
	b.t.Helper()
	from := map[string][]flowTo{"inner": nil, "outer": nil}
	for _, f := range flows {
		side := "inner"
		if f.src.As4()[2] >= 80 {
			side = "outer"
		}
		from[side] = append(from[side], f)
	}
	out := map[flowTo]bool{}
	for _, seen := range b.sendSeen(from, "inner", "outer") {
		for f := range seen {
			out[f] = true
		}
	}
	return out
}

// sendSeen sends flows from boxes, and returns those that came in by the interface up0 of each box that listens.
func (b *bench) sendSeen(from map[string][]flowTo, listen ...string) map[string]map[flowTo]bool {
	b.t.Helper()
	dir := b.t.TempDir()
	file := func(name string) string { return filepath.Join(dir, name) }
	var listeners []*exec.Cmd
	for _, box := range listen {
		c := exec.Command("ip", "netns", "exec", b.ns[box], "python3", "-c", rawListener, "up0", file(box+".seen"), file(box+".ready"), file("stop"), file(box+".done"))
		require.NoError(b.t, c.Start())
		listeners = append(listeners, c)
	}
	for _, box := range listen {
		require.Eventually(b.t, func() bool { _, err := os.Stat(file(box + ".ready")); return err == nil }, 10e9, 10e6)
	}
	for box, flows := range from {
		var text strings.Builder
		for _, f := range flows {
			fmt.Fprintf(&text, "%s %s %s %d %d\n", f.src, f.dst, f.flow.Protocol, f.flow.SourcePort, f.flow.DestinationPort)
		}
		require.NoError(b.t, os.WriteFile(file(box+".flows"), []byte(text.String()), 0o666))
		b.run(box, "python3 -c "+"exec(open('"+b.script(dir, rawSender)+"').read()) "+file(box+".flows"))
	}
	require.NoError(b.t, exec.Command("sleep", "0.5").Run())
	require.NoError(b.t, os.WriteFile(file("stop"), nil, 0o666))
	for _, c := range listeners {
		require.NoError(b.t, c.Wait())
	}
	out := map[string]map[flowTo]bool{}
	for _, box := range listen {
		out[box] = map[flowTo]bool{}
		seen, err := os.ReadFile(file(box + ".seen"))
		require.NoError(b.t, err)
		for line := range strings.Lines(string(seen)) {
			var src, dst, proto string
			var sp, dp uint16
			_, err := fmt.Sscan(line, &src, &dst, &proto, &sp, &dp)
			require.NoError(b.t, err)
			out[box][flowTo{netip.MustParseAddr(src), netip.MustParseAddr(dst), network.Flow{Protocol: proto, SourcePort: sp, DestinationPort: dp}}] = true
		}
	}
	return out
}

// script writes a program into a folder.
func (b *bench) script(dir, text string) string {
	name := filepath.Join(dir, "send.py")
	require.NoError(b.t, os.WriteFile(name, []byte(text), 0o666))
	return name
}
