package fetch

import (
	"bufio"
	"bytes"
	"context"
	"encoding/pem"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh/knownhosts"

	"zarvek/internal/capture"
	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/standin"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

const (
	interfacesXML = `<interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"><interface><name>hall0</name></interface></interfaces>`
	routingXML    = `<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"><ribs><rib><name>ipv4-master</name>` +
		`<address-family>ipv4</address-family><routes><route><destination-prefix>10.61.16.0/24</destination-prefix>` +
		`<next-hop><outgoing-interface>hall0</outgoing-interface></next-hop><source-protocol>direct</source-protocol><active/></route></routes></rib></ribs></routing>`
	routingJSON = `{"ietf-routing:routing":{"ribs":{"rib":[{"name":"ipv4-master","address-family":"ipv4","routes":{"route":[` +
		`{"destination-prefix":"10.61.16.0/24","next-hop":{"outgoing-interface":"hall0"},"source-protocol":"direct","active":[null]}]}}]}}}`
)

func fetcher(t *testing.T, x *standin.Server, secret string) *Fetcher {
	store := &secrets.Store{}
	require.NoError(t, store.Read("secrets", strings.NewReader(secret)))
	known := filepath.Join(t.TempDir(), "known_hosts")
	if x != nil {
		x.User, x.Password = "night", "snow and rope"
		require.NoError(t, x.Listen())
		t.Cleanup(x.Close)
		line := knownhosts.Line([]string{fmt.Sprintf("[127.0.0.1]:%d", x.Port())}, x.HostKey())
		require.NoError(t, os.WriteFile(known, []byte(line+"\n"), 0o600))
	}
	hosts, err := reach.OpenHostKeys(nil, known)
	require.NoError(t, err)
	d := &reach.Dialer{Hosts: hosts, Secrets: store, Connect: time.Second, PerJump: 1}
	t.Cleanup(d.Close)
	return &Fetcher{Dialer: d, Secrets: store, Limits: terminal.Limits{Longest: time.Second}}
}

// routesIn counts what our own readers make of a file.
func routesIn(t *testing.T, f File) int {
	c, err := capture.Read(f.Name, f.Bytes, 1)
	require.NoError(t, err)
	n := 0
	for i := range c.Parts {
		n += c.Parts[i].Routes()
	}
	return n
}

func TestNetconfInBothFramings(t *testing.T) {
	for _, chunked := range []bool{false, true} {
		n := &standin.Netconf{Chunked: chunked, Data: interfacesXML + strings.Repeat(" ", 70_000) + routingXML, Chunk: 4000}
		x := &standin.Server{Netconf: n}
		f := fetcher(t, x, "all: {password: snow and rope}")
		r, err := f.Device(t.Context(), target.Target{Name: "midway", Address: "127.0.0.1", Port: x.Port(), Way: target.Netconf, User: "night"}, func(string) {})
		require.NoError(t, err)
		require.Equal(t, "netconf.xml", r.Files[0].Name)
		require.Equal(t, 1, routesIn(t, r.Files[0]))
		require.NotEmpty(t, n.Received())
		for _, m := range n.Received() {
			require.True(t, strings.Contains(m, "<get>") || strings.Contains(m, "<close-session/>"), "%s", m)
		}
	}
}

func TestNetconfThatGivesNothing(t *testing.T) {
	for name, tt := range map[string]struct {
		server *standin.Netconf
		want   string
	}{
		"an error":  {&standin.Netconf{Error: "not for you"}, `does not take get: access-denied: "not for you"`},
		"no routes": {&standin.Netconf{Data: interfacesXML, Chunked: true}, "has no data of RFC 8349"},
		"cut off":   {&standin.Netconf{Data: "<routing"}, "its answer to get is no whole XML"},
		"none":      {nil, "speaks no NETCONF on this port"},
	} {
		x := &standin.Server{Netconf: tt.server}
		f := fetcher(t, x, "all: {password: snow and rope}")
		_, err := f.Device(t.Context(), target.Target{Name: "midway", Address: "127.0.0.1", Port: x.Port(), Way: target.Netconf, User: "night"}, func(string) {})
		require.ErrorContains(t, err, tt.want, name)
	}
}

func TestFramingsThatLie(t *testing.T) {
	for in, want := range map[string]error{
		"\n#5\nhel":                     terminal.ErrCutOff,
		"\n#0\n\n##\n":                  errFraming,
		"\n#05\nhello\n##\n":            errFraming,
		"\n#-5\nhello\n##\n":            errFraming,
		"\n##\n":                        errFraming,
		"hello":                         errFraming,
		"\n#99999999999999999\nhello":   errFraming,
		"\n#4000000\n":                  terminal.ErrTooMuch,
		"\n#" + strings.Repeat("1", 99): terminal.ErrCutOff,
		"":                              terminal.ErrCutOff,
	} {
		_, err := readChunks(bufio.NewReader(strings.NewReader(in)), 1<<20)
		require.ErrorIs(t, err, want, "%q", in)
	}
	_, err := readToEnd(bufio.NewReader(strings.NewReader(strings.Repeat("x>", 100))), 50)
	require.ErrorIs(t, err, terminal.ErrTooMuch)
}

// FuzzFraming: a message in chunks comes back whole however it is cut; what is no message ends in an error.
func FuzzFraming(f *testing.F) {
	f.Add([]byte("<rpc-reply>]]>]]></rpc-reply>"), uint16(3), false)
	f.Add([]byte("\n#5\nhello\n##\n"), uint16(0), true)
	f.Fuzz(func(t *testing.T, in []byte, size uint16, raw bool) {
		if raw {
			out, err := readChunks(bufio.NewReader(bytes.NewReader(in)), 1<<16)
			require.True(t, err != nil || len(out) > 0 && len(out) < len(in))
			_, _ = readToEnd(bufio.NewReader(bytes.NewReader(in)), 1<<16)
			return
		}
		var b bytes.Buffer
		for rest := in; len(rest) > 0; {
			n := min(max(int(size), 1), len(rest))
			fmt.Fprintf(&b, "\n#%d\n%s", n, rest[:n])
			rest = rest[n:]
		}
		b.WriteString("\n##\n")
		out, err := readChunks(bufio.NewReader(&b), 1<<30)
		if len(in) == 0 {
			require.ErrorIs(t, err, errFraming)
			return
		}
		require.NoError(t, err)
		require.Equal(t, in, out)
	})
}

func webServer(t *testing.T, edit func(*standin.Restconf)) (*standin.Restconf, target.Target) {
	r := &standin.Restconf{User: "night", Password: "snow and rope", Data: map[string]string{"ietf-routing:routing": routingJSON}}
	if edit != nil {
		edit(r)
	}
	r.Listen()
	t.Cleanup(r.Close)
	trust := filepath.Join(t.TempDir(), "trust.pem")
	require.NoError(t, os.WriteFile(trust, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: r.Certificate().Raw}), 0o600))
	_, port, err := net.SplitHostPort(r.Listener.Addr().String())
	require.NoError(t, err)
	n, err := strconv.Atoi(port)
	require.NoError(t, err)
	return r, target.Target{Name: "midway", Address: "127.0.0.1", Port: n, Way: target.Restconf, User: "night", Trust: trust}
}

func TestRestconf(t *testing.T) {
	server, to := webServer(t, func(r *standin.Restconf) {
		r.Root = "/api/rest"
		r.Data["ietf-interfaces:interfaces-state"] = `{"ietf-interfaces:interfaces-state":{"interface":[{"name":"hall0"}]}}`
	})
	r, err := fetcher(t, nil, "all: {password: snow and rope}").Device(t.Context(), to, func(string) {})
	require.NoError(t, err)
	require.Len(t, r.Files, 2)
	require.Equal(t, 1, routesIn(t, r.Files[0]))
	require.Equal(t, "restconf-interfaces.json", r.Files[1].Name)
	for _, q := range server.Received() {
		require.True(t, strings.HasPrefix(q, "GET "), q)
	}
}

func TestRestconfThatGivesNothing(t *testing.T) {
	for name, tt := range map[string]struct {
		edit   func(*standin.Restconf)
		to     func(*target.Target)
		secret string
		want   string
	}{
		"wrong password": {nil, nil, "all: {password: snowless}", "does not take the password of night"},
		"no password":    {nil, nil, "other: {password: snow}", "wants a password of night, and none is known"},
		"a stranger":     {nil, func(to *target.Target) { to.Trust = "" }, "", "its certificate is signed by nobody who is trusted"},
		"no trust":       {nil, func(to *target.Target) { to.Trust = "/nowhere" }, "", "cannot be read"},
		"another host":   {nil, func(to *target.Target) { to.Address = "localhost" }, "", "its certificate does not hold for it"},
		"no routes":      {func(r *standin.Restconf) { r.Data = nil }, nil, "", "has no data of RFC 8349"},
		"no JSON":        {func(r *standin.Restconf) { r.Data["ietf-routing:routing"] = `{"ietf-routing` }, nil, "", "no whole JSON"},
		"nobody":         {nil, func(to *target.Target) { to.Port = 1 }, "", "connection refused"},
	} {
		_, to := webServer(t, tt.edit)
		if tt.to != nil {
			tt.to(&to)
		}
		secret := tt.secret
		if secret == "" {
			secret = "all: {password: snow and rope}"
		}
		_, err := fetcher(t, nil, secret).Device(t.Context(), to, func(string) {})
		require.ErrorContains(t, err, tt.want, name)
		require.NotContains(t, err.Error(), "snow")
		require.NotContains(t, err.Error(), "\n")
	}
}

func TestValuesAreWrittenAsWalksWriteThem(t *testing.T) {
	for want, v := range map[string]gosnmp.SnmpPDU{
		".1.3.6.1.2.1.4.1.0 = INTEGER: 1\n":                        {Name: ".1.3.6.1.2.1.4.1.0", Type: gosnmp.Integer, Value: 1},
		".1.3.6.1.2.1.31.1.1.1.1.2 = STRING: \"hall0\"\n":          {Name: ".1.3.6.1.2.1.31.1.1.1.1.2", Type: gosnmp.OctetString, Value: []byte("hall0")},
		".1.3.6.1.2.1.2.2.1.6.2 = Hex-STRING: 68 61 6C 6C 30 31\n": {Name: ".1.3.6.1.2.1.2.2.1.6.2", Type: gosnmp.OctetString, Value: []byte("hall01")},
		".1.3.6.1.2.1.4.20.1.1.10.61.3.1 = IpAddress: 10.61.3.1\n": {Name: ".1.3.6.1.2.1.4.20.1.1.10.61.3.1", Type: gosnmp.IPAddress, Value: "10.61.3.1"},
		".1.3.6.1.2.1.4.24.7.1.10.1 = Gauge32: 7\n":                {Name: ".1.3.6.1.2.1.4.24.7.1.10.1", Type: gosnmp.Gauge32, Value: uint(7)},
		".1.3.6.1.2.1.31.1.1.1.1.3 = STRING: \"a\\\"b\"\n":         {Name: ".1.3.6.1.2.1.31.1.1.1.1.3", Type: gosnmp.OctetString, Value: []byte(`a"b`)},
		".1.3.6.1.2.1.31.1.1.1.1.4 = Hex-STRING: 61 0A 2E 31\n":    {Name: ".1.3.6.1.2.1.31.1.1.1.1.4", Type: gosnmp.OctetString, Value: []byte("a\n.1")},
		"": {Name: ".1.3.6.1.2.1.31", Type: gosnmp.NoSuchInstance},
	} {
		var b bytes.Buffer
		writeValue(&b, v)
		require.Equal(t, want, b.String())
	}
}

func TestSNMPWithoutItsSecrets(t *testing.T) {
	for want, to := range map[string]target.Target{
		"wants a community":          {SNMP: target.Manager{Version: "2c"}},
		"no user is named":           {},
		"wants a passphrase of nigh": {User: "night"},
		"privacy needs auth":         {User: "night", SNMP: target.Manager{Auth: "none"}},
	} {
		to.Name, to.Address, to.Way = "valley", "127.0.0.1", target.SNMP
		_, err := fetcher(t, nil, "x: {password: y}").Device(t.Context(), to, func(string) {})
		require.ErrorContains(t, err, want)
		require.False(t, Again(err))
	}
}

func TestWordsOfACommand(t *testing.T) {
	for in, want := range map[string][]string{
		"ip -j route show":              {"ip", "-j", "route", "show"},
		`vtysh -c "show ip route json"`: {"vtysh", "-c", "show ip route json"},
		`sysctl -a -r '^net\.(a|b)$'`:   {"sysctl", "-a", "-r", `^net\.(a|b)$`},
		"  a   b  ":                     {"a", "b"},
		`a "" b`:                        {"a", "", "b"},
	} {
		require.Equal(t, want, words(in), in)
	}
}

func TestThisMachineWithoutTheProgram(t *testing.T) {
	t.Setenv("PATH", t.TempDir())
	f := fetcher(t, nil, "x: {password: y}")
	out, complaint, err := f.run(t.Context(), []string{"no-such-program"})
	require.NoError(t, err)
	require.Empty(t, out)
	require.Equal(t, "no-such-program: not found", complaint)
	_, complaint, err = f.run(t.Context(), []string{"/bin/sh", "-c", "echo first >&2; echo last >&2; exit 3"})
	require.NoError(t, err)
	require.Equal(t, "last", complaint)
	_, _, err = f.run(t.Context(), []string{"/bin/sh", "-c", "exec /bin/sleep 5"})
	require.ErrorIs(t, err, terminal.ErrTooLong)
	ctx, stop := context.WithCancel(t.Context())
	stop()
	_, _, err = f.run(ctx, []string{"/bin/sh", "-c", "exec /bin/sleep 5"})
	require.ErrorIs(t, err, context.Canceled)
}

func TestWhatMayBeTriedAgain(t *testing.T) {
	require.True(t, Again(fmt.Errorf("x: %w", terminal.ErrCutOff)))
	require.True(t, Again(terminal.ErrSilent))
	require.False(t, Again(final("no")))
	require.False(t, Again(fmt.Errorf("x: %w", terminal.ErrPages)))
	require.False(t, Again(context.Canceled))
}
