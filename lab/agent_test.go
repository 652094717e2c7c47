package lab

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/netip"
	"os"
	"os/exec"
	"strconv"
	"sync"
	"time"

	"zarvek/internal/core/network"
)

// agentOf is set for a process of the test binary that answers and sends in one namespace.
const agentOf = "ZARVEK_LAB_AGENT"

// servedPorts are where an agent answers TCP and UDP.
var servedPorts = []int{22, 53, 80, 443, 5000}

// An attempt is one exchange that an agent tries, from a socket bound to the source.
type attempt struct {
	Source, Destination netip.Addr
	Flow                network.Flow
}

// agentMain serves until its input ends. A line of input is a list of attempts; a line of output, which were answered.
// The first line of output says that it serves.
func agentMain(in io.Reader, out io.Writer) error {
	addrs, err := net.InterfaceAddrs()
	if err != nil {
		return err
	}
	for _, port := range servedPorts {
		l, err := net.Listen("tcp", fmt.Sprintf(":%d", port))
		if err != nil {
			return err
		}
		go func() {
			for {
				c, err := l.Accept()
				if err != nil {
					return
				}
				_, _ = c.Write([]byte("ok"))
				_ = c.Close()
			}
		}()
		for _, a := range addrs { // an answer leaves from the address that was asked
			ip := a.(*net.IPNet).IP
			c, err := net.ListenUDP("udp", &net.UDPAddr{IP: ip, Port: port})
			if err != nil {
				continue // a link-local address
			}
			go func() {
				buf := make([]byte, 16)
				for {
					if n, from, err := c.ReadFromUDP(buf); err == nil {
						_, _ = c.WriteToUDP(buf[:n], from)
					}
				}
			}()
		}
	}
	answers := json.NewEncoder(out)
	if err := answers.Encode([]bool{}); err != nil {
		return err
	}
	lines := bufio.NewScanner(in)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		var all []attempt
		if err := json.Unmarshal(lines.Bytes(), &all); err != nil {
			return err
		}
		got := make([]bool, len(all))
		var wg sync.WaitGroup
		room := make(chan bool, 24)
		for i, a := range all {
			room <- true
			wg.Go(func() {
				defer func() { <-room }()
				got[i] = a.answered()
			})
		}
		wg.Wait()
		if err := answers.Encode(got); err != nil {
			return err
		}
	}
	return lines.Err()
}

// answered tries it once, or for packets without a connection twice: the first may wait for a link-layer address.
func (a attempt) answered() bool {
	const patience = 1100 * time.Millisecond
	at := func(addr netip.Addr, port uint16) string {
		return net.JoinHostPort(addr.String(), strconv.Itoa(int(port)))
	}
	buf := make([]byte, 16)
	switch a.Flow.Protocol {
	case "tcp":
		local, _ := net.ResolveTCPAddr("tcp", at(a.Source, a.Flow.SourcePort))
		d := net.Dialer{LocalAddr: local, Timeout: 2 * patience}
		c, err := d.Dial("tcp", at(a.Destination, a.Flow.DestinationPort))
		if err != nil {
			return false
		}
		defer func() { _ = c.Close() }()
		_ = c.SetDeadline(time.Now().Add(patience))
		n, _ := c.Read(buf)
		return string(buf[:n]) == "ok"
	case "udp":
		local, _ := net.ResolveUDPAddr("udp", at(a.Source, a.Flow.SourcePort))
		remote, _ := net.ResolveUDPAddr("udp", at(a.Destination, a.Flow.DestinationPort))
		c, err := net.DialUDP("udp", local, remote)
		if err != nil {
			return false
		}
		defer func() { _ = c.Close() }()
		for range 2 {
			_ = c.SetDeadline(time.Now().Add(patience))
			if _, err := c.Write([]byte("hi")); err != nil {
				continue
			}
			if n, err := c.Read(buf); err == nil && string(buf[:n]) == "hi" {
				return true
			}
		}
		return false
	}
	ping := exec.Command("ping", "-n", "-c", "2", "-i", "0.3", "-W", "1", "-I", a.Source.String(), a.Destination.String())
	return ping.Run() == nil
}

// agents are those of a network, by box.
type agents map[string]*agentProcess

type agentProcess struct {
	to   *json.Encoder
	from *json.Decoder
}

// agents starts one in each of some boxes.
func (b *bench) agents(boxes []string) (agents, error) {
	out := agents{}
	for _, box := range boxes {
		exe, err := os.Executable()
		if err != nil {
			return nil, err
		}
		c := exec.Command("ip", "netns", "exec", b.ns[box], exe)
		c.Env = append(os.Environ(), agentOf+"="+box)
		c.Stderr = os.Stderr
		in, err := c.StdinPipe()
		if err != nil {
			return nil, err
		}
		from, err := c.StdoutPipe()
		if err != nil {
			return nil, err
		}
		if err := c.Start(); err != nil {
			return nil, err
		}
		b.t.Cleanup(func() { _ = in.Close(); _ = c.Wait() })
		out[box] = &agentProcess{json.NewEncoder(in), json.NewDecoder(from)}
	}
	for box, a := range out {
		var ready []bool
		if err := a.from.Decode(&ready); err != nil {
			return nil, fmt.Errorf("the agent of %s: %w", box, err)
		}
	}
	return out, nil
}

// try lets the agents of the boxes make their attempts, all at once, and returns which were answered, in the same
// order.
func (a agents) try(boxes []string, all []attempt) ([]bool, error) {
	by := map[string][]int{}
	for i, box := range boxes {
		by[box] = append(by[box], i)
	}
	for box, list := range by {
		var own []attempt
		for _, i := range list {
			own = append(own, all[i])
		}
		if err := a[box].to.Encode(own); err != nil {
			return nil, err
		}
	}
	out := make([]bool, len(all))
	for box, list := range by {
		var got []bool
		if err := a[box].from.Decode(&got); err != nil {
			return nil, fmt.Errorf("the agent of %s: %w", box, err)
		}
		for k, i := range list {
			out[i] = got[k]
		}
	}
	return out, nil
}
