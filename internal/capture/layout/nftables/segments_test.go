package nftables

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestFirstSegments: of the flags SYN and ACK a rule asks for the first alone; what else it asks of flags is not known.
func TestFirstSegments(t *testing.T) {
	with := func(rule string) string {
		return "table inet f {\n\tchain one {\n\t\ttype filter hook forward priority 0; policy accept;\n\t\t" + rule + "\n\t}\n}\n"
	}
	for rule, want := range map[string][]string{
		"tcp flags syn / syn,ack drop":                           {"deny tcp opens", "permit"},
		"tcp flags syn / fin,syn,rst,ack counter drop":           {"deny tcp opens", "permit"},
		"tcp flags & (syn | ack) == syn drop":                    {"deny tcp opens", "permit"},
		"tcp flags & (fin|syn|rst|ack) == syn tcp dport 80 drop": {"deny tcp 80-80 opens", "permit"},
		"tcp flags syn / fin,syn drop":                           {"deny perhaps", "permit"},
		"tcp flags syn drop":                                     {"deny perhaps", "permit"},
		"tcp flags & (syn | ack) != syn drop":                    {"deny perhaps", "permit"},
		"tcp flags & (syn | ack) == ack drop":                    {"deny perhaps", "permit"},
		"udp dport 53 tcp flags syn / syn,ack drop":              {"permit"},
		"ct state new tcp flags syn / syn,ack drop":              {"deny tcp begins perhaps", "permit"},
	} {
		require.Equal(t, want, inShort(Text)([]byte(with(rule))), rule)
	}
	for rule, want := range map[string]string{
		"-p tcp -m tcp --syn":                              "deny tcp opens",
		"-p tcp -m tcp --tcp-flags FIN,SYN,RST,ACK SYN":    "deny tcp opens",
		"-p tcp -m tcp --tcp-flags SYN,ACK SYN --dport 80": "deny tcp 80-80 opens",
		"-p tcp -m tcp ! --syn":                            "deny tcp perhaps",
		"-p tcp -m tcp ! --tcp-flags SYN,ACK SYN":          "deny tcp perhaps",
		"-p tcp -m tcp --tcp-flags SYN,RST SYN":            "deny tcp perhaps",
		"-p tcp -m tcp --tcp-flags SYN,ACK ACK":            "deny tcp perhaps",
		"-p tcp -m tcp --tcp-flags ALL NONE":               "deny tcp perhaps",
	} {
		in := "*filter\n:FORWARD ACCEPT [0:0]\n-A FORWARD " + rule + " -j DROP\nCOMMIT\n"
		require.Equal(t, []string{want, "permit"}, inShort(Saved)([]byte(in)), rule)
	}
	const in = `{"nftables": [{"chain": {"family": "ip", "table": "f", "name": "one", "type": "filter", "hook": "forward", "prio": 0, "policy": "accept"}},
		{"rule": {"family": "ip", "table": "f", "chain": "one", "expr": [{"match": {"op": "==", "left": {"&": [{"payload": {"protocol": "tcp", "field": "flags"}}, ["syn", "ack"]]}, "right": "syn"}}, {"drop": null}]}}]}`
	require.Equal(t, []string{"deny tcp opens", "permit"}, inShort(Reader)([]byte(in)))
	require.Equal(t, []string{"deny perhaps", "permit"}, inShort(Reader)([]byte(strings.Replace(in, `"op": "=="`, `"op": "!="`, 1))))
}
