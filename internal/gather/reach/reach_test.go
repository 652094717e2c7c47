package reach_test

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/pem"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/knownhosts"

	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/standin"
	"zarvek/internal/gather/target"
)

// site is a stand-in with what a dialer needs to know of it.
type site struct {
	t      *testing.T
	known  string
	ask    func(string) bool
	secret string
	dialer *reach.Dialer
}

func newSite(t *testing.T, servers ...*standin.Server) *site {
	s := &site{t: t, known: filepath.Join(t.TempDir(), "known_hosts"), secret: "all: {password: snow and rope}"}
	for _, x := range servers {
		require.NoError(t, x.Listen())
		t.Cleanup(x.Close)
		s.know(x, x.HostKey())
	}
	return s
}

func (s *site) know(x *standin.Server, key ssh.PublicKey) {
	f, err := os.OpenFile(s.known, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(s.t, err)
	defer f.Close()
	_, err = fmt.Fprintln(f, knownhosts.Line([]string{fmt.Sprintf("[127.0.0.1]:%d", x.Port())}, key))
	require.NoError(s.t, err)
}

func (s *site) dial(to target.Target) error {
	s.t.Helper()
	if s.dialer == nil {
		hosts, err := reach.OpenHostKeys(s.ask, s.known)
		require.NoError(s.t, err)
		var store secrets.Store
		require.NoError(s.t, store.Read("secrets", strings.NewReader(s.secret)))
		s.dialer = &reach.Dialer{Hosts: hosts, Secrets: &store, Connect: time.Second, PerJump: 2, Old: map[string]bool{}}
		s.t.Cleanup(s.dialer.Close)
	}
	c, end, err := s.dialer.Dial(s.t.Context(), to)
	if err != nil {
		require.NotContains(s.t, err.Error(), "snow")
		require.NotContains(s.t, err.Error(), "\n")
		return err
	}
	require.NotNil(s.t, c)
	end()
	return nil
}

func at(x *standin.Server) target.Target {
	return target.Target{Name: "mast-gw", Address: "127.0.0.1", Port: x.Port(), Way: target.SSH, User: "night"}
}

func server() *standin.Server { return &standin.Server{User: "night", Password: "snow and rope"} }

func TestPasswordsAndDialogues(t *testing.T) {
	a, b := server(), server()
	b.Keyboard = true
	s := newSite(t, a, b)
	require.NoError(t, s.dial(at(a)))
	require.NoError(t, s.dial(at(b)))
}

func TestAWrongPasswordIsTriedOnce(t *testing.T) {
	for _, keyboard := range []bool{false, true} {
		x := server()
		x.Keyboard = keyboard
		s := newSite(t, x)
		s.secret = "all: {password: snowless}"
		err := s.dial(at(x))
		var final *reach.Refusal
		require.ErrorAs(t, err, &final)
		require.EqualError(t, err, "does not take the password of night")
		require.Equal(t, 1, x.Tries())
	}
}

func TestWhereNobodyKnowsAPassword(t *testing.T) {
	x := server()
	s := newSite(t, x)
	s.secret = "other: {password: snow}"
	require.ErrorContains(t, s.dial(at(x)), "wants a password of night, and none is known")
	require.Zero(t, x.Tries())
	to := at(x)
	to.User = ""
	require.ErrorContains(t, s.dial(to), "no user is named for it")
}

func TestAKeyOpens(t *testing.T) {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	key, err := ssh.NewPublicKey(public)
	require.NoError(t, err)
	x := server()
	x.Key = key
	s := newSite(t, x)
	s.secret = "mast-gw: {key: a long walk}"
	to := at(x)
	to.Key = filepath.Join(t.TempDir(), "key")
	block, err := ssh.MarshalPrivateKeyWithPassphrase(private, "", []byte("a long walk"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(to.Key, pem.EncodeToMemory(block), 0o600))
	require.NoError(t, s.dial(to))
	require.Zero(t, x.Tries())
}

func TestHostKeys(t *testing.T) {
	t.Run("unknown and nobody to ask", func(t *testing.T) {
		x := server()
		s := newSite(t, x)
		require.NoError(t, os.WriteFile(s.known, nil, 0o600))
		err := s.dial(at(x))
		require.ErrorContains(t, err, "its host key is not known: ssh-ed25519 "+ssh.FingerprintSHA256(x.HostKey()))
		require.Zero(t, x.Tries(), "no secret goes to a stranger")
	})
	t.Run("unknown and taken on the terminal, kept", func(t *testing.T) {
		x := server()
		s := newSite(t, x)
		require.NoError(t, os.WriteFile(s.known, []byte("# mine"), 0o600))
		asked := 0
		s.ask = func(q string) bool {
			require.Contains(t, q, ssh.FingerprintSHA256(x.HostKey()))
			asked++
			return true
		}
		require.NoError(t, s.dial(at(x)))
		require.NoError(t, s.dial(at(x)))
		s.dialer = nil
		require.NoError(t, s.dial(at(x)))
		require.Equal(t, 1, asked)
		b, err := os.ReadFile(s.known)
		require.NoError(t, err)
		require.True(t, strings.HasPrefix(string(b), "# mine\n["), "%q", b)
	})
	t.Run("unknown and refused on the terminal", func(t *testing.T) {
		x := server()
		s := newSite(t, x)
		require.NoError(t, os.WriteFile(s.known, nil, 0o600))
		s.ask = func(string) bool { return false }
		require.ErrorContains(t, s.dial(at(x)), "its host key is not known")
	})
	t.Run("changed", func(t *testing.T) {
		x := server()
		s := newSite(t, x)
		require.NoError(t, x.NewHostKey())
		s.ask = func(string) bool { t.Error("nobody is asked"); return true }
		err := s.dial(at(x))
		require.ErrorContains(t, err, "its host key has changed: "+s.known+":1 has SHA256:")
		require.ErrorContains(t, err, ssh.FingerprintSHA256(x.HostKey()))
		require.Zero(t, x.Tries())
	})
}

func TestOldAlgorithmsOnlyWhereNamed(t *testing.T) {
	x := server()
	x.Old = true
	s := newSite(t, x)
	err := s.dial(at(x))
	require.ErrorContains(t, err, "offers only algorithms that are not safe any more")
	require.ErrorContains(t, err, "-old-algorithms mast-gw")
	s.dialer.Old["mast-gw"] = true
	require.NoError(t, s.dial(at(x)))
	other := at(x)
	other.Name = "summit"
	require.Error(t, s.dial(other))
}

func TestWhereNothingAnswers(t *testing.T) {
	x := server()
	x.Deaf = true
	s := newSite(t, x)
	require.ErrorContains(t, s.dial(at(x)), "takes the connection and does not answer in 1s")
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	to := at(x)
	to.Port = free.Addr().(*net.TCPAddr).Port
	free.Close()
	require.ErrorContains(t, s.dial(to), "connection refused")
}

func TestADeafDeviceBehindAJumpHost(t *testing.T) {
	hop, far := server(), server()
	hop.Leads, far.Deaf = true, true
	s := newSite(t, hop, far)
	to := at(far)
	to.Jump = fmt.Sprintf("night@127.0.0.1:%d", hop.Port())
	require.ErrorContains(t, s.dial(to), "takes the connection and does not answer in 1s")
}

func TestByWayOfAJumpHost(t *testing.T) {
	hop, far := server(), server()
	hop.Leads = true
	s := newSite(t, hop, far)
	to := at(far)
	to.Jump = fmt.Sprintf("night@127.0.0.1:%d", hop.Port())
	for range 3 {
		require.NoError(t, s.dial(to))
	}
	require.Equal(t, 1, hop.Tries(), "the jump host is entered once")

	hop.Leads = false
	require.ErrorContains(t, s.dial(to), " does not lead there (administratively prohibited)")
}

func TestAJumpHostBehindAnotherTakesNoRoom(t *testing.T) {
	first, second, far, near := server(), server(), server(), server()
	first.Leads, second.Leads = true, true
	s := newSite(t, first, second, far, near)
	require.Error(t, s.dial(target.Target{Name: "x", Address: "127.0.0.1", Port: 1, Way: target.SSH, User: "night"})) // makes the dialer
	s.dialer.PerJump = 1
	list := map[string]target.Target{"first": at(first), "second": at(second)}
	s.dialer.Listed = func(name string) (target.Target, bool) {
		to, ok := list[name]
		to.Name = name
		if name == "second" {
			to.Jump = "first"
		}
		return to, ok
	}
	one, two := at(far), at(near)
	one.Jump, two.Jump = "second", "first"
	require.NoError(t, s.dial(one))
	require.NoError(t, s.dial(two))
	require.NoError(t, s.dial(one))
}

func TestAJumpHostThatRefusesIsNotAskedAgain(t *testing.T) {
	hop, far := server(), server()
	hop.Password = "another one"
	s := newSite(t, hop, far)
	to := at(far)
	to.Jump = fmt.Sprintf("night@127.0.0.1:%d", hop.Port())
	for range 3 {
		require.ErrorContains(t, s.dial(to), "the jump host 127.0.0.1: does not take the password of night")
	}
	require.Equal(t, 1, hop.Tries())
	require.Zero(t, far.Tries())
}

func TestWhoeverStopsIsHeard(t *testing.T) {
	x := server()
	x.Deaf = true
	s := newSite(t, x)
	hosts, err := reach.OpenHostKeys(nil, s.known)
	require.NoError(t, err)
	d := &reach.Dialer{Hosts: hosts, Secrets: &secrets.Store{}, Connect: time.Minute, PerJump: 1}
	ctx, stop := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer stop()
	_, _, err = d.Dial(ctx, at(x))
	require.ErrorIs(t, err, context.DeadlineExceeded)
}
