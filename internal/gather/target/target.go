// Package target says what a device to gather from is: where it is, by which way it is reached, what is wanted of it.
// It exists apart from the list that names the devices and from the ways that reach them, which both rest on it. No
// I/O, and no secret: those are kept elsewhere.
package target

import (
	"fmt"
	"net"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/lazyregexp"
)

// A Way is how a device is reached.
type Way string

// The ways.
const (
	SSH      Way = "ssh"      // a terminal, or a command a channel (RFC 4254)
	Netconf  Way = "netconf"  // RFC 6241 over SSH (RFC 6242)
	Restconf Way = "restconf" // RFC 8040
	SNMP     Way = "snmp"     // RFC 3414 (version 3), or 2c where asked for
	Local    Way = "local"    // this machine, or a network namespace of it
)

// Ways lists them in the order of the help.
var Ways = []Way{SSH, Netconf, Restconf, SNMP, Local}

// ports are where each way listens unless told otherwise.
var ports = map[Way]int{SSH: 22, Netconf: 830, Restconf: 443, SNMP: 161}

// A Target is one device. The zero Target is none.
type Target struct {
	Name    string
	Address string // an address or a host's name; for Local the namespace, "" for the machine itself
	Way     Way
	User    string
	Port    int    // 0: the way's own
	Jump    string // a device of the list, or [USER@]HOST[:PORT]; "" for none
	Family  string // "": found by asking
	Tables  []string
	Ask     []string // commands beside the family's
	Raise   bool     // ask for the level that shows the configuration
	Key     string   // a file with a private key, "" for the usual ones
	Trust   string   // a file with the certificates that RESTCONF trusts, "" for the system's
	SNMP    Manager
	Line    int // of the list, 0 for one of the command line
}

// A Manager is how SNMP speaks.
type Manager struct {
	Version string // "3" or "2c"
	Auth    string // md5, sha, sha224, sha256, sha384, sha512, none (RFC 3414, 7860)
	Privacy string // des, aes, aes192, aes256, none (RFC 3414, 3826)
	Context string // of version 3
}

// The protocols of SNMP by the names that a list may use.
var (
	AuthNames    = []string{"none", "md5", "sha", "sha224", "sha256", "sha384", "sha512"}
	PrivacyNames = []string{"none", "des", "aes", "aes192", "aes256"}
)

// Endpoint is where the device listens, as HOST:PORT.
func (t Target) Endpoint() string {
	port := t.Port
	if port == 0 {
		port = ports[t.Way]
	}
	return net.JoinHostPort(t.Address, strconv.Itoa(port))
}

// String words the target as it could be given: WAY://USER@HOST:PORT.
func (t Target) String() string {
	s := string(t.Way) + "://"
	if t.User != "" {
		s += t.User + "@"
	}
	if t.Way == Local {
		return s + t.Address
	}
	if t.Port == 0 {
		if strings.Contains(t.Address, ":") {
			return s + "[" + t.Address + "]"
		}
		return s + t.Address
	}
	return s + t.Endpoint()
}

// Parse reads WAY://[USER@]HOST[:PORT]. The name is the host's.
func Parse(s string) (Target, error) {
	way, _, ok := strings.Cut(s, "://")
	if !ok || !slices.Contains(Ways, Way(way)) {
		return Target{}, fmt.Errorf("%q does not begin with one of %s", s, wayNames())
	}
	u, err := url.Parse(s)
	switch {
	case err != nil:
		return Target{}, fmt.Errorf("%q is not WAY://USER@HOST:PORT", withoutSecret(s))
	case u.Path != "" && u.Path != "/" || u.RawQuery != "" || u.Fragment != "":
		return Target{}, fmt.Errorf("%q has more than WAY://USER@HOST:PORT", withoutSecret(s))
	}
	if _, has := u.User.Password(); has {
		return Target{}, fmt.Errorf(
			"%q holds a password, which is never taken from an argument or a list; use -secrets",
			withoutSecret(s))
	}
	t := Target{Way: Way(way), Address: u.Hostname(), User: u.User.Username()}
	if t.Address == "" && t.Way != Local {
		return Target{}, fmt.Errorf("%q names no host", s)
	}
	if p := u.Port(); p != "" {
		if t.Port, err = ParsePort(p); err != nil {
			return Target{}, err
		}
	}
	if t.Name = strings.ReplaceAll(t.Address, ":", "-"); t.Name == "" {
		t.Name = "this-machine"
	}
	if err := t.Check(); err != nil {
		return Target{}, err
	}
	return t, nil
}

// safeName is a name that can be a folder's on every system.
var safeName = lazyregexp.New(`^[\p{L}\p{N}_][\p{L}\p{N}_.-]*$`)

// SafeName reports whether a device may be called so: its captures lie in a folder of that name.
func SafeName(name string) bool {
	return len(name) <= 100 && safeName.MatchString(name) && !strings.HasSuffix(name, ".")
}

// ParsePort reads a port of TCP or UDP.
func ParsePort(s string) (int, error) {
	n, err := strconv.Atoi(s)
	if err != nil || n < 1 || n > 65535 {
		return 0, fmt.Errorf("%q is no port; it is a number from 1 to 65535", s)
	}
	return n, nil
}

// withoutSecret leaves out what may be a password.
func withoutSecret(s string) string {
	head, tail, ok := strings.Cut(s, "://")
	if at := strings.LastIndex(tail, "@"); ok && at >= 0 {
		user, _, _ := strings.Cut(tail[:at], ":")
		return head + "://" + user + tail[at:]
	}
	return s
}

func wayNames() string {
	var all []string
	for _, w := range Ways {
		all = append(all, string(w)+"://")
	}
	return strings.Join(all, ", ")
}

// Check reports what makes the target one that cannot be gathered from.
func (t Target) Check() error {
	bad := func(s string) bool {
		return s == "" || strings.HasPrefix(s, "-") || strings.ContainsFunc(s, func(r rune) bool {
			return r <= ' ' || r == 0x7f || strings.ContainsRune(`/\"'`+"`$;|&<>()", r)
		})
	}
	switch {
	case t.Name != "" && !SafeName(t.Name):
		return fmt.Errorf("%q cannot be a device's name", t.Name)
	case !slices.Contains(Ways, t.Way):
		return fmt.Errorf("there is no way %q; it is one of %s", t.Way, strings.ReplaceAll(wayNames(), "://", ""))
	case t.Way != Local && bad(t.Address):
		return fmt.Errorf("%q is no address or name of a host", t.Address)
	case t.Way == Local && t.Address != "" && bad(t.Address):
		return fmt.Errorf("%q is no name of a network namespace", t.Address)
	case t.User != "" && bad(t.User):
		return fmt.Errorf("%q is no user's name", t.User)
	}
	return nil
}

// JumpTarget reads a jump host that is no device of the list: [USER@]HOST[:PORT].
func JumpTarget(s, user string) (Target, error) {
	t, err := Parse(string(SSH) + "://" + s)
	if err == nil && t.User == "" {
		t.User = user
	}
	return t, err
}
