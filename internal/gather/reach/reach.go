// Package reach opens SSH connections to devices, by way of others where that is needed. It exists to be strict in one
// place: keys of hosts are judged, secrets are tried once, old algorithms are spoken with named devices only, and each
// host that leads on to others is entered once and not overrun.
package reach

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"golang.org/x/crypto/ssh"

	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
)

// A Dialer opens connections. Its fields are set before its first use; it may be used by several goroutines.
type Dialer struct {
	Hosts   *HostKeys
	Secrets *secrets.Store
	Agent   func() ([]ssh.Signer, error)            // keys of an agent, nil for none
	Keys    []string                                // files with private keys; those that are not there are passed over
	Connect time.Duration                           // for a connection and its keys
	Old     map[string]bool                         // devices with which old algorithms are spoken
	PerJump int                                     // devices at once by way of one host
	Listed  func(name string) (target.Target, bool) // devices that a jump may name, nil for none

	mu    sync.Mutex
	jumps map[string]*jump
}

// A jump is a host that leads on to others.
type jump struct {
	once   sync.Once
	client *ssh.Client
	err    error
	room   chan bool
}

// A Refusal is a failure that another try would not change, or that must not be tried again.
type Refusal struct{ Err error }

func (r *Refusal) Error() string { return r.Err.Error() }
func (r *Refusal) Unwrap() error { return r.Err }

// Dial opens a connection. Close it with the function that comes with it.
func (d *Dialer) Dial(ctx context.Context, t target.Target) (*ssh.Client, func(), error) {
	return d.dial(ctx, t, true)
}

// dial opens a connection. One to a jump host takes no room behind another one: it stays open while those behind it
// wait for theirs.
func (d *Dialer) dial(ctx context.Context, t target.Target, takesRoom bool) (*ssh.Client, func(), error) {
	if t.Jump == "" {
		c, err := d.connect(ctx, t, func(ctx context.Context) (net.Conn, error) {
			return (&net.Dialer{}).DialContext(ctx, "tcp", t.Endpoint())
		})
		if err != nil {
			return nil, nil, err
		}
		return c, func() { c.Close() }, nil
	}
	j, err := d.by(ctx, t)
	if err != nil {
		return nil, nil, err
	}
	leave := func() {}
	if takesRoom {
		select {
		case j.room <- true:
			leave = func() { <-j.room }
		case <-ctx.Done():
			return nil, nil, ctx.Err()
		}
	}
	c, err := d.connect(ctx, t, func(ctx context.Context) (net.Conn, error) {
		return j.client.DialContext(ctx, "tcp", t.Endpoint())
	})
	if err != nil {
		leave()
		return nil, nil, err
	}
	return c, func() { c.Close(); leave() }, nil
}

// by returns the host that leads on to a device, connected once for all that are behind it: one that refuses is not
// asked again and again.
func (d *Dialer) by(ctx context.Context, t target.Target) (*jump, error) {
	to, ok := target.Target{}, false
	if d.Listed != nil {
		to, ok = d.Listed(t.Jump)
	}
	if !ok {
		var err error
		if to, err = target.JumpTarget(t.Jump, t.User); err != nil {
			return nil, &Refusal{err}
		}
	}
	id := to.Name + " " + to.User + "@" + to.Endpoint()
	d.mu.Lock()
	if d.jumps == nil {
		d.jumps = map[string]*jump{}
	}
	j := d.jumps[id]
	if j == nil {
		j = &jump{room: make(chan bool, max(d.PerJump, 1))}
		d.jumps[id] = j
	}
	d.mu.Unlock()
	j.once.Do(func() { j.client, _, j.err = d.dial(ctx, to, false) })
	if j.err != nil {
		return nil, &Refusal{fmt.Errorf("the jump host %s: %w", to.Name, j.err)}
	}
	return j, nil
}

// Close ends the connections to hosts that led on.
func (d *Dialer) Close() {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, j := range d.jumps {
		if j.client != nil {
			j.client.Close()
		}
	}
}

// connect speaks SSH over what open gives.
func (d *Dialer) connect(
	ctx context.Context, t target.Target, open func(context.Context) (net.Conn, error),
) (*ssh.Client, error) {
	if t.User == "" {
		return nil, &Refusal{errors.New("no user is named for it; write user: in devices.yaml, or ssh://USER@HOST")}
	}
	limit, stop := context.WithTimeout(ctx, d.Connect)
	defer stop()
	c, err := open(limit)
	if err != nil {
		return nil, fmt.Errorf("no connection to %s: %w", t.Endpoint(), plainly(ctx, limit, d.Connect, t.Jump, err))
	}
	ended := context.AfterFunc(ctx, func() { c.Close() })
	defer ended()
	// A connection by way of another host knows no deadlines, so it is closed when its time is over.
	tries := &attempts{}
	watch := time.AfterFunc(d.Connect, func() { tries.late.Store(true); c.Close() })
	conn, channels, requests, err := ssh.NewClientConn(c, t.Endpoint(), d.config(t, tries, watch))
	if !watch.Stop() && err == nil {
		err = errLate
	}
	tries.settle(err)
	if err != nil {
		c.Close()
		return nil, tries.word(ctx, t, d.Connect, err)
	}
	return ssh.NewClient(conn, channels, requests), nil
}

// plainly takes what a person need not read out of an error of the network.
func plainly(ctx, limit context.Context, after time.Duration, by string, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	var number syscall.Errno
	var name *net.DNSError
	var opened *ssh.OpenChannelError
	switch {
	case limit.Err() != nil || os.IsTimeout(err):
		return fmt.Errorf("no answer in %v", after)
	case errors.As(err, &opened):
		return fmt.Errorf("%s does not lead there (%s)", by, opened.Reason)
	case errors.As(err, &number):
		return number
	case errors.As(err, &name):
		return fmt.Errorf("there is no host of that name (%s)", name.Err)
	}
	return err
}

// attempts is what one connection tried.
type attempts struct {
	host     error
	known    bool // the kinds of its host keys
	password bool
	keys     int
	noSecret bool
	settled  func(secrets.Outcome) // what became of the password
	late     atomic.Bool           // the time was over
}

var errLate = errors.New("too late")

// settle tells what became of the password that was tried, if one was.
func (a *attempts) settle(err error) {
	switch {
	case a.settled == nil:
	case err == nil:
		a.settled(secrets.Taken)
	case notLetIn(err.Error()):
		a.settled(secrets.Refused)
	default:
		a.settled(secrets.Untold)
	}
}

// word makes one line of what ended a connection before it began.
func (a *attempts) word(ctx context.Context, t target.Target, after time.Duration, err error) error {
	var none *ssh.AlgorithmNegotiationError
	text := err.Error()
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case a.host != nil:
		return &Refusal{a.host}
	case a.late.Load():
		return fmt.Errorf("takes the connection and does not answer in %v", after)
	case errors.As(err, &none) && none.What == "host key" && a.known &&
		!slices.Equal(none.RequestedAlgorithms, []string{ssh.KeyAlgoRSA}):
		return &Refusal{fmt.Errorf("its host key is of another kind than the known one (it offers %s); it was "+
			"exchanged, or the "+
			"known one must be renewed", strings.Join(none.RequestedAlgorithms, ", "))}
	case errors.As(err, &none):
		return &Refusal{fmt.Errorf("offers only algorithms that are not safe any more (%s: %s); if it must be: "+
			"-old-algorithms %s",
			none.What, strings.Join(none.RequestedAlgorithms, ", "), t.Name)}
	case a.password:
		return &Refusal{fmt.Errorf("does not take the password of %s", t.User)}
	case a.noSecret:
		return &Refusal{fmt.Errorf("wants a password of %s, and none is known; give one with -secrets, or gather "+
			"from a terminal", t.User)}
	case notLetIn(text) && a.keys > 0:
		return &Refusal{fmt.Errorf("takes none of %d keys of %s, and no password", a.keys, t.User)}
	case notLetIn(text):
		return &Refusal{fmt.Errorf("lets %s in neither by key nor by password", t.User)}
	case strings.Contains(text, "EOF") || strings.Contains(text, "reset by peer"):
		return errors.New("ended the connection before anybody was let in")
	}
	return fmt.Errorf("speaks no SSH that is understood: %s", strings.TrimPrefix(text, "ssh: handshake failed: "))
}

// notLetIn reports whether an error is that nobody was let in: no way was left, or a dialogue was refused before it
// began.
func notLetIn(text string) bool {
	return strings.Contains(text, "unable to authenticate") || strings.Contains(text, "unexpected message type 51")
}

// config is how one device is spoken to.
func (d *Dialer) config(t target.Target, tries *attempts, watch *time.Timer) *ssh.ClientConfig {
	// A person at the terminal takes longer than a device, whose time this is.
	patiently := func(ask func()) {
		watch.Stop()
		ask()
		watch.Reset(d.Connect)
	}
	cfg := &ssh.ClientConfig{
		User:              t.User,
		HostKeyAlgorithms: d.Hosts.algorithms(t.Endpoint()),
		HostKeyCallback: func(host string, remote net.Addr, key ssh.PublicKey) error {
			patiently(func() { tries.host = d.Hosts.Check(t.Name, host, remote, key) })
			return tries.host
		},
	}
	tries.known = len(cfg.HostKeyAlgorithms) > 0
	if d.Old[strings.ToLower(t.Name)] {
		now, old := ssh.SupportedAlgorithms(), ssh.InsecureAlgorithms()
		cfg.KeyExchanges = slices.Concat(now.KeyExchanges, old.KeyExchanges)
		cfg.Ciphers = slices.Concat(now.Ciphers, old.Ciphers)
		cfg.MACs = slices.Concat(now.MACs, old.MACs)
		if len(cfg.HostKeyAlgorithms) == 0 {
			cfg.HostKeyAlgorithms = slices.Concat(now.HostKeys, old.HostKeys)
		} else if slices.Contains(cfg.HostKeyAlgorithms, ssh.KeyAlgoRSASHA256) {
			cfg.HostKeyAlgorithms = append(cfg.HostKeyAlgorithms, ssh.KeyAlgoRSA)
		}
	}
	secret := func() (out string, err error) {
		if tries.password { // a second try with the same one may lock the user out
			return "", secrets.ErrNone
		}
		patiently(func() {
			out, tries.settled, err = d.Secrets.For(t.Name, secrets.Password, fmt.Sprintf("Password of %s: ", t.User))
		})
		tries.password, tries.noSecret = err == nil, err != nil
		return out, err
	}
	cfg.Auth = []ssh.AuthMethod{
		ssh.PublicKeysCallback(func() ([]ssh.Signer, error) {
			var keys []ssh.Signer
			patiently(func() { keys = d.signers(t) })
			tries.keys = len(keys)
			return keys, nil
		}),
		ssh.PasswordCallback(secret),
		ssh.KeyboardInteractive(func(_, _ string, questions []string, shown []bool) ([]string, error) {
			if len(questions) == 0 {
				return nil, nil
			}
			if len(questions) > 1 || shown[0] {
				return nil, secrets.ErrNone
			}
			s, err := secret()
			return []string{s}, err
		}),
	}
	return cfg
}

// signers returns the keys to try: the device's own file, else the agent's and the usual files.
func (d *Dialer) signers(t target.Target) []ssh.Signer {
	if t.Key != "" {
		return d.fromFile(t, t.Key)
	}
	var out []ssh.Signer
	if d.Agent != nil {
		if keys, err := d.Agent(); err == nil {
			out = keys
		}
	}
	for _, f := range d.Keys {
		out = append(out, d.fromFile(t, f)...)
	}
	const most = 5 // servers end a connection that offers many
	return out[:min(len(out), most)]
}

// fromFile reads a private key; its passphrase is a secret of its own.
func (d *Dialer) fromFile(t target.Target, name string) []ssh.Signer {
	b, err := os.ReadFile(name)
	if err != nil {
		return nil
	}
	s, err := ssh.ParsePrivateKey(b)
	var locked *ssh.PassphraseMissingError
	if errors.As(err, &locked) && (t.Key != "" || d.Secrets.Has(t.Name, secrets.Key)) {
		if phrase, settle, none := d.Secrets.For(t.Name, secrets.Key,
			fmt.Sprintf("Passphrase of the key %s: ", name)); none == nil {
			if s, err = ssh.ParsePrivateKeyWithPassphrase(b, []byte(phrase)); err == nil {
				settle(secrets.Taken)
			} else {
				settle(secrets.Refused)
			}
		}
	}
	if err != nil {
		return nil
	}
	return []ssh.Signer{s}
}
