package fetch

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/record"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

// A subtree is one column of a table, or one value, of the MIBs that tell of routes.
type subtree struct {
	root    string // below 1.3.6.1.2.1
	what    string
	purpose string
	unless  string // a purpose that makes it needless once it brought something
}

// subtrees are what is walked: RFC 4292 with its predecessors, RFC 4293 and RFC 2863.
var subtrees = []subtree{
	{"1.3.6.1.2.1.4.24.7.1", "inetCidrRouteTable", "routes", ""},
	{"1.3.6.1.2.1.4.24.4.1", "ipCidrRouteTable", "older routes", "routes"},
	{"1.3.6.1.2.1.4.21.1", "ipRouteTable", "oldest routes", "older routes"},
	{"1.3.6.1.2.1.31.1.1.1.1", "ifName", "interfaces", ""},
	{"1.3.6.1.2.1.2.2.1.2", "ifDescr", "interfaces", ""},
	{"1.3.6.1.2.1.2.2.1.6", "ifPhysAddress", "interfaces", ""},
	{"1.3.6.1.2.1.2.2.1.7", "ifAdminStatus", "interfaces", ""},
	{"1.3.6.1.2.1.2.2.1.8", "ifOperStatus", "interfaces", ""},
	{"1.3.6.1.2.1.4.34.1", "ipAddressTable", "addresses", ""},
	{"1.3.6.1.2.1.4.20.1", "ipAddrTable", "addresses", ""},
	{"1.3.6.1.2.1.4.35.1", "ipNetToPhysicalTable", "neighbours", ""},
	{"1.3.6.1.2.1.4.22.1", "ipNetToMediaTable", "neighbours", "neighbours"},
	{"1.3.6.1.2.1.4.1", "ipForwarding", "forwarding", ""},
	{"1.3.6.1.2.1.4.25", "ipv6IpForwarding", "forwarding", ""},
}

// retries and perTry are how often a question is sent that nobody answered, and how long each waits. SNMP runs over
// UDP.
const (
	retries = 2
	perTry  = 5 * time.Second
)

// snmp walks the subtrees that hold routes, addresses and interfaces; an older one is walked only where its newer one
// brought nothing.
func (f *Fetcher) snmp(ctx context.Context, t target.Target, at func(string)) (Reading, error) {
	g, settle, err := f.manager(ctx, t)
	taken := secrets.Untold
	defer func() {
		for _, s := range settle {
			s(taken)
		}
	}()
	if err != nil {
		return Reading{}, &reach.Refusal{Err: err}
	}
	if err := g.Connect(); err != nil {
		return Reading{}, fmt.Errorf("no connection to %s: %w", t.Endpoint(), errors.Unwrap(err))
	}
	defer g.Conn.Close()
	var log bytes.Buffer
	r := Reading{Family: "snmp"}
	brought := map[string]bool{}
	for _, s := range subtrees {
		if brought[s.unless] {
			brought[s.purpose] = true
			continue
		}
		at(s.what)
		start, before := time.Now(), log.Len()
		err := g.BulkWalk("."+s.root, func(v gosnmp.SnmpPDU) error {
			if log.Len() > maxOutput {
				return terminal.ErrTooMuch
			}
			writeValue(&log, v)
			return nil
		})
		if err != nil {
			err = wordSNMP(ctx, s.what, err)
			taken = outcome(err, !Again(err))
			return Reading{}, err
		}
		taken = secrets.Taken
		if log.Len() > before {
			brought[s.purpose] = true
		}
		r.Commands = append(r.Commands, record.Command{
			Command: "walk " + s.what, Purpose: s.purpose, Start: moment(start), End: moment(time.Now()),
			Bytes: log.Len() - before,
		})
	}
	if !brought["routes"] && !brought["older routes"] && !brought["oldest routes"] {
		return Reading{}, final("shows no table of routes (RFC 4292) to this user; gather it by another way, or " +
			"allow its view")
	}
	r.Files = []File{{"walk.txt", log.Bytes()}}
	return r, nil
}

// manager sets up version 3 with the user's keys, or 2c where the list asks for it. What it needed of secrets is
// settled by the functions that it returns, whether or not there is an error.
func (f *Fetcher) manager(
	ctx context.Context, t target.Target,
) (g *gosnmp.GoSNMP, settle []func(secrets.Outcome), err error) {
	port := t.Port
	if port == 0 {
		port = 161
	}
	secret := func(k secrets.Kind, what, question string) string {
		s, settled, none := f.Secrets.For(t.Name, k, question)
		if none != nil {
			if err == nil {
				err = fmt.Errorf("wants a %s, and none is known; give one with -secrets (%s: ...)", what, k)
			}
			return ""
		}
		settle = append(settle, settled)
		return s
	}
	g = &gosnmp.GoSNMP{
		Target: t.Address, Port: uint16(port), Transport: "udp", Context: ctx, Timeout: perTry, Retries: retries,
		MaxOids: gosnmp.MaxOids, MaxRepetitions: 25,
	}
	if t.SNMP.Version == "2c" {
		g.Version, g.Community = gosnmp.Version2c, secret(secrets.Community, "community",
			fmt.Sprintf("Community of %s: ", t.Name))
		return g, settle, err
	}
	auth, privacy := orDefault(t.SNMP.Auth, "sha256"), orDefault(t.SNMP.Privacy, "aes")
	switch {
	case t.User == "":
		return nil, nil, errors.New("no user is named for it; write user: in devices.yaml, or snmp://USER@HOST")
	case auth == "none" && privacy != "none":
		return nil, nil, errors.New("privacy needs auth (RFC 3414); write privacy: none, or an auth")
	}
	u := &gosnmp.UsmSecurityParameters{UserName: t.User, AuthenticationProtocol: gosnmp.NoAuth,
		PrivacyProtocol: gosnmp.NoPriv}
	g.Version, g.SecurityModel, g.SecurityParameters, g.ContextName = gosnmp.Version3, gosnmp.UserSecurityModel, u,
		t.SNMP.Context
	g.MsgFlags = gosnmp.NoAuthNoPriv
	what := "passphrase of " + t.User
	if auth != "none" {
		g.MsgFlags, u.AuthenticationProtocol = gosnmp.AuthNoPriv, authProtocols[auth]
		u.AuthenticationPassphrase = secret(secrets.Auth, what, fmt.Sprintf("Passphrase of %s for %s: ", t.User, auth))
	}
	if privacy != "none" {
		g.MsgFlags, u.PrivacyProtocol = gosnmp.AuthPriv, privacyProtocols[privacy]
		u.PrivacyPassphrase = secret(secrets.Privacy, what, fmt.Sprintf("Passphrase of %s for %s: ", t.User, privacy))
	}
	return g, settle, err
}

func orDefault(s, to string) string {
	if s == "" {
		return to
	}
	return s
}

var authProtocols = map[string]gosnmp.SnmpV3AuthProtocol{
	"md5": gosnmp.MD5, "sha": gosnmp.SHA, "sha224": gosnmp.SHA224, "sha256": gosnmp.SHA256, "sha384": gosnmp.SHA384,
	"sha512": gosnmp.SHA512,
}

var privacyProtocols = map[string]gosnmp.SnmpV3PrivProtocol{
	"des": gosnmp.DES, "aes": gosnmp.AES, "aes192": gosnmp.AES192, "aes256": gosnmp.AES256,
}

// wordSNMP makes one line of what went wrong.
func wordSNMP(ctx context.Context, what string, err error) error {
	text := err.Error()
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.Is(err, terminal.ErrTooMuch):
		return err
	case errors.Is(err, gosnmp.ErrUnknownUsername), errors.Is(err, gosnmp.ErrWrongDigest), strings.Contains(text,
		"not authentic"):
		// Which of them it is an agent does not tell in a way that is authentic itself.
		return final("does not let this user in: it knows no such user, or auth or its passphrase is another")
	case errors.Is(err, gosnmp.ErrDecryption):
		return final("does not take the passphrase (privacy), or another privacy is meant")
	case errors.Is(err, gosnmp.ErrUnknownSecurityLevel):
		return final("does not let this user in at this level of auth and privacy")
	case strings.Contains(text, "timeout"):
		return fmt.Errorf("no answer to %s in %d tries of %v: nobody is there, or it does not know the community or "+
			"the passphrases", what, retries+1, perTry)
	case strings.Contains(text, "refused"):
		return errors.New("nothing listens there (connection refused)")
	}
	return fmt.Errorf("%s: %s", what, shorten(text))
}

// writeValue writes one value as a walk with numbers does.
func writeValue(w *bytes.Buffer, v gosnmp.SnmpPDU) {
	kind, value := "", ""
	switch x := v.Value.(type) {
	case int:
		kind, value = "INTEGER", strconv.Itoa(x)
	case uint:
		kind, value = kindOf(v.Type), strconv.FormatUint(uint64(x), 10)
	case uint32:
		kind, value = kindOf(v.Type), strconv.FormatUint(uint64(x), 10)
	case uint64:
		kind, value = kindOf(v.Type), strconv.FormatUint(x, 10)
	case string:
		switch v.Type {
		case gosnmp.IPAddress:
			kind, value = "IpAddress", x
		case gosnmp.ObjectIdentifier:
			kind, value = "OID", x
		default:
			kind, value = "STRING", strconv.Quote(x)
		}
	case []byte:
		kind, value = octets(x, linkLayer(v.Name))
	case net.IP:
		kind, value = "IpAddress", x.String()
	default:
		return // an exception, or a kind that tells of no route
	}
	fmt.Fprintf(w, "%s = %s: %s\n", v.Name, kind, value)
}

func kindOf(t gosnmp.Asn1BER) string {
	switch t {
	case gosnmp.Gauge32:
		return "Gauge32"
	case gosnmp.TimeTicks:
		return "Timeticks"
	case gosnmp.Integer:
		return "INTEGER"
	}
	return "Counter32"
}

// linkLayer reports whether a value is a link-layer address, by its column.
func linkLayer(oid string) bool {
	for _, column := range []string{".1.3.6.1.2.1.2.2.1.6.", ".1.3.6.1.2.1.4.35.1.4.", ".1.3.6.1.2.1.4.22.1.2."} {
		if strings.HasPrefix(oid, column) {
			return true
		}
	}
	return false
}

// octets writes bytes as text where all of them are, else as hexadecimal numbers.
func octets(b []byte, numbers bool) (kind, value string) {
	for _, c := range b {
		if numbers || c < ' ' || c > '~' {
			return "Hex-STRING", strings.ToUpper(strings.TrimSpace(fmt.Sprintf("% x", b)))
		}
	}
	return "STRING", strconv.Quote(string(b))
}
