package lab

import (
	"fmt"
	"net/netip"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
)

// ruleset is the kernel's packet filter on the box in the middle.
const ruleset = `table ip f {
  set inside { type ipv4_addr; flags interval; elements = { 10.61.64.0/24, 10.61.66.1 } ; }
  chain extra {
    ip daddr 10.61.81.0/24 drop
  }
  chain forward {
    type filter hook forward priority filter; policy drop;
    ct state established,related accept
    ct state invalid drop
    iifname "in0" ip saddr @inside tcp dport { 443, 8000-8002 } jump extra
    iifname "in0" ip saddr @inside tcp dport { 443, 8000-8002 } accept
    ip saddr 10.61.64.0/24 ip daddr 10.61.80.1 udp dport 53 accept
    iifname "out0" ip daddr 10.61.64.1 tcp dport 8080 accept
    ip protocol icmp ip saddr 10.61.64.0/24 accept
  }
  chain post {
    type nat hook postrouting priority srcnat; policy accept;
    oifname "out0" ip saddr 10.61.66.0/24 masquerade
  }
  chain pre {
    type nat hook prerouting priority dstnat; policy accept;
    iifname "out0" ip daddr 172.28.61.5 tcp dport 80 dnat to 10.61.64.1:8080
  }
}
`

// TestFirewallAgainstRealPackets sends real flows through a kernel with a ruleset and a tunnel beside it, and compares
// with what the captures say of each.
func TestFirewallAgainstRealPackets(t *testing.T) {
	turned := strings.NewReplacer(`iifname "out0" ip daddr 10.61.64.1 tcp dport 8080 accept`, "ct status dnat accept",
		"ip saddr 10.61.64.0/24 ip daddr 10.61.80.1 udp dport 53 accept", "ct status != dnat udp dport 53 accept").Replace(ruleset)
	for name, rules := range map[string]string{"by addresses": ruleset, "by what is translated": turned} {
		t.Run(name, func(t *testing.T) { firewallAgainstPackets(t, rules) })
	}
}

func firewallAgainstPackets(t *testing.T, rules string) {
	b := newBench(t, "nft", "ping", "python3")
	b.fence(rules, "inner ip addr add 10.61.64.1/24 dev lo", "inner ip addr add 10.61.66.1/24 dev lo", "inner ip addr add 10.61.65.1/24 dev lo", "outer ip addr add 10.61.80.1/24 dev lo", "outer ip addr add 10.61.81.1/24 dev lo",
		"inner ip route add default via 172.28.61.2", "outer ip route add 10.61.64.0/24 via 172.28.61.5", "outer ip route add 10.61.65.0/24 via 172.28.61.5", "outer ip route add 172.28.61.0/30 via 172.28.61.5",
		"fence ip route add 10.61.64.0/22 via 172.28.61.1", "fence ip route add 10.61.80.0/23 via 172.28.61.6")
	for _, box := range []string{"inner", "outer"} {
		b.serve(box, 53, 443, 8000, 8003, 8080)
	}
	b.serve("fence", 53, 80, 8000, 8003, 8080) // what is for the box itself goes past the rules for what it forwards
	dir := t.TempDir()
	for box := range b.ns {
		b.capture(dir, box, "routes.json", b.run(box, "ip -j route show table all"))
		b.capture(dir, box, "addresses.json", b.run(box, "ip -j addr"))
	}
	b.capture(dir, "fence", "ruleset.json", b.run("fence", "nft -j list ruleset"))
	w := load(t, dir)
	compared, passed, pairs := 0, 0, tried{}
	var mu sync.Mutex
	var wg sync.WaitGroup
	for _, src := range []string{"10.61.64.1", "10.61.65.1", "10.61.66.1", "172.28.61.1", "10.61.80.1", "172.28.61.6"} {
		for _, dst := range []string{"10.61.80.1", "10.61.81.1", "172.28.61.6", "10.61.64.1", "10.61.66.1", "172.28.61.5"} {
			from := box(src)
			if from == box(dst) {
				continue
			}
			for _, flow := range []string{"tcp:0:443", "tcp:0:8000", "tcp:0:8003", "tcp:0:80", "tcp:0:8080", "udp:0:53", "icmp"} {
				if box(dst) == "fence" && !strings.HasPrefix(flow, "tcp:0:80") {
					continue // the same again
				}
				wg.Go(func() {
					answered := b.sends(from, src, dst, flow)
					f, err := parse(flow)
					rt := w.TraceFlow(netip.MustParseAddr(src), netip.MustParseAddr(dst), f)
					mu.Lock()
					defer mu.Unlock()
					compared++
					pairs.note(src, dst, answered)
					if answered {
						passed++
					}
					if err != nil || answered != (rt.Verdict == forward.TwoWay) {
						back := "none"
						if rt.Return != nil {
							back = words(*rt.Return)
						}
						t.Errorf(
							"%s to %s, %s: answered %v, we say %s (%s; back %s)",
							src,
							dst,
							flow,
							answered,
							rt.Verdict,
							words(rt.Forward),
							back,
						)
					}
				})
			}
		}
	}
	wg.Wait()
	t.Logf("%d flows compared with real packets, of which %d passed", compared, passed)
	require.Greater(t, compared, 100)
	require.Greater(t, passed, 10, "the ruleset must let some through")
	auditAgrees(t, w, pairs)
}

// box tells who has an address of that test.
func box(addr string) string {
	switch {
	case addr == "172.28.61.5":
		return "fence"
	case strings.HasPrefix(addr, "10.61.8"), addr == "172.28.61.6":
		return "outer"
	}
	return "inner"
}

func parse(flow string) (network.Flow, error) {
	parts := strings.Split(flow, ":")
	f := network.Flow{Protocol: parts[0]}
	if len(parts) < 3 {
		return f, nil
	}
	n, err := strconv.ParseUint(parts[2], 10, 16)
	f.SourcePort, f.DestinationPort = 40000, uint16(n)
	return f, err
}

// serve starts servers in a box that answer on TCP and UDP ports.
func (b *bench) serve(box string, ports ...int) {
	code := `import socket,threading,sys
def tcp(p):
    s=socket.socket(); s.setsockopt(socket.SOL_SOCKET,socket.SO_REUSEADDR,1); s.bind(("0.0.0.0",p)); s.listen(64)
    while True:
        c,_=s.accept(); c.sendall(b"x"); c.close()
for p in map(int,sys.argv[1:]):
    if p!=53: threading.Thread(target=tcp,args=(p,),daemon=True).start()
u=socket.socket(socket.AF_INET,socket.SOCK_DGRAM); u.setsockopt(socket.IPPROTO_IP,8,1); u.bind(("0.0.0.0",53))
while True:
    d,anc,_,a=u.recvmsg(100,100)
    import struct
    to=socket.inet_ntoa(anc[0][2][8:12])
    r=socket.socket(socket.AF_INET,socket.SOCK_DGRAM); r.setsockopt(socket.SOL_SOCKET,socket.SO_REUSEADDR,1); r.setsockopt(socket.SOL_SOCKET,15,1)
    u.sendmsg([b"x"],[(socket.IPPROTO_IP,8,struct.pack("I4s4s",0,socket.inet_aton(to),b"\0"*4))],0,a)
`
	args := []string{"netns", "exec", b.ns[box], "python3", "-c", code}
	for _, p := range ports {
		args = append(args, fmt.Sprint(p))
	}
	cmd := exec.Command("ip", args...)
	require.NoError(b.t, cmd.Start())
	b.t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	time.Sleep(300 * time.Millisecond)
}

// sends tries one real flow and reports whether it was answered.
func (b *bench) sends(box, src, dst, flow string) bool {
	parts := strings.Split(flow, ":")
	var cmd *exec.Cmd
	if parts[0] == "icmp" {
		cmd = exec.Command(
			"ip",
			"netns",
			"exec",
			b.ns[box],
			"ping",
			"-n",
			"-c",
			"2",
			"-i",
			"0.3",
			"-W",
			"1",
			"-I",
			src,
			dst,
		)
	} else {
		code := `import socket,sys
k=socket.SOCK_STREAM if sys.argv[1]=="tcp" else socket.SOCK_DGRAM
s=socket.socket(socket.AF_INET,k); s.settimeout(1.5); s.bind((sys.argv[2],0)); s.connect((sys.argv[3],int(sys.argv[4])))
if k==socket.SOCK_DGRAM: s.send(b"q")
sys.exit(0 if s.recv(1) else 1)`
		cmd = exec.Command("ip", "netns", "exec", b.ns[box], "python3", "-c", code, parts[0], src, dst, parts[2])
	}
	return cmd.Run() == nil
}

// fence makes three boxes in a row, of which the middle one has a ruleset, and runs further lines: a box, then a
// command.
func (b *bench) fence(ruleset string, lines ...string) {
	b.t.Helper()
	for _, name := range []string{"inner", "fence", "outer"} {
		b.box(name)
		b.run(name, "sysctl -q -w net.ipv4.ip_forward=1")
	}
	b.link("inner", "up0", "fence", "in0", []string{"172.28.61.1/30"}, []string{"172.28.61.2/30"})
	b.link("fence", "out0", "outer", "in0", []string{"172.28.61.5/30"}, []string{"172.28.61.6/30"})
	for _, line := range lines {
		name, command, _ := strings.Cut(line, " ")
		b.run(name, command)
	}
	nft := exec.Command("ip", "netns", "exec", b.ns["fence"], "nft", "-f", "-")
	nft.Stdin = strings.NewReader(ruleset)
	if out, err := nft.CombinedOutput(); err != nil {
		skipped(b.t, "this kernel takes no such ruleset: %s", out)
	}
}
