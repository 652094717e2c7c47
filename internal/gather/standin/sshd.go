package standin

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/rsa"
	"errors"
	"fmt"
	"io"
	"net"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/crypto/ssh"
)

// A Server is an SSH server in front of a device, or one that only leads on to others.
type Server struct {
	Device   *Device
	User     string
	Password string
	Keyboard bool          // asks for the password in a dialogue (RFC 4256) instead
	Key      ssh.PublicKey // a user's key that it takes, nil for none
	Old      bool          // offers old algorithms only
	Netconf  *Netconf      // the subsystem, nil for none
	Leads    bool          // on to other hosts
	Deaf     bool          // takes the connection and says nothing

	host     atomic.Pointer[ssh.Signer]
	listener net.Listener
	tries    atomic.Int32
	led      atomic.Int32
	most     atomic.Int32
	stop     sync.Once
}

// Listen starts serving on a free port of the loopback address.
func (s *Server) Listen() error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	s.listener = l
	if s.host.Load() == nil {
		if err := s.NewHostKey(); err != nil {
			return err
		}
	}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go s.serve(c)
		}
	}()
	return nil
}

// NewHostKey gives the server another key.
func (s *Server) NewHostKey() (err error) {
	var key any
	if s.Old {
		key, err = rsa.GenerateKey(rand.Reader, 2048)
	} else {
		_, key, err = ed25519.GenerateKey(rand.Reader)
	}
	if err != nil {
		return err
	}
	signer, err := ssh.NewSignerFromKey(key)
	s.host.Store(&signer)
	return err
}

// Close ends it.
func (s *Server) Close() { s.stop.Do(func() { s.listener.Close() }) }

// Port returns where it listens.
func (s *Server) Port() int { return s.listener.Addr().(*net.TCPAddr).Port }

// HostKey returns its public key.
func (s *Server) HostKey() ssh.PublicKey { return (*s.host.Load()).PublicKey() }

// Tries returns how many passwords it was given.
func (s *Server) Tries() int { return int(s.tries.Load()) }

// MostLed returns how many connections it led on at one moment at most.
func (s *Server) MostLed() int { return int(s.most.Load()) }

var errRefused = errors.New("no")

// config is what the server accepts, by what is set of it.
func (s *Server) config() *ssh.ServerConfig {
	c := &ssh.ServerConfig{MaxAuthTries: 6}
	if s.Key != nil {
		c.PublicKeyCallback = func(m ssh.ConnMetadata, key ssh.PublicKey) (*ssh.Permissions, error) {
			if m.User() == s.User && string(key.Marshal()) == string(s.Key.Marshal()) {
				return nil, nil
			}
			return nil, errRefused
		}
	}
	check := func(user, password string) (*ssh.Permissions, error) {
		s.tries.Add(1)
		if user == s.User && password == s.Password && s.Password != "" {
			return nil, nil
		}
		return nil, errRefused
	}
	if s.Keyboard {
		c.KeyboardInteractiveCallback = func(m ssh.ConnMetadata,
			ask ssh.KeyboardInteractiveChallenge) (*ssh.Permissions, error) {
			answers, err := ask(m.User(), "", []string{"Password: "}, []bool{false})
			if err != nil || len(answers) != 1 {
				return nil, errRefused
			}
			return check(m.User(), answers[0])
		}
	} else {
		c.PasswordCallback = func(m ssh.ConnMetadata, password []byte) (*ssh.Permissions, error) {
			return check(m.User(), string(password))
		}
	}
	host := *s.host.Load()
	if s.Old {
		old := ssh.InsecureAlgorithms()
		c.KeyExchanges = []string{"diffie-hellman-group1-sha1", "diffie-hellman-group14-sha1"}
		c.Ciphers = old.Ciphers
		c.MACs = []string{"hmac-sha1"}
		if only, err := ssh.NewSignerWithAlgorithms(host.(ssh.AlgorithmSigner), []string{ssh.KeyAlgoRSA}); err == nil {
			host = only
		}
	}
	c.AddHostKey(host)
	return c
}

// serve answers one connection until it ends.
func (s *Server) serve(c net.Conn) {
	defer c.Close()
	if s.Deaf {
		time.Sleep(time.Hour)
		return
	}
	_, channels, requests, err := ssh.NewServerConn(c, s.config())
	if err != nil {
		return
	}
	go ssh.DiscardRequests(requests)
	for ch := range channels {
		switch ch.ChannelType() {
		case "session":
			go s.session(ch)
		case "direct-tcpip":
			go s.lead(ch)
		default:
			_ = ch.Reject(ssh.UnknownChannelType, "no")
		}
	}
}

// session answers a terminal, a single command or a subsystem.
func (s *Server) session(new ssh.NewChannel) {
	ch, requests, err := new.Accept()
	if err != nil {
		return
	}
	for r := range requests {
		switch r.Type {
		case "pty-req", "env":
			_ = r.Reply(true, nil)
		case "shell":
			_ = r.Reply(s.Device != nil, nil)
			if s.Device != nil {
				go func() {
					s.Device.Serve(ch)
					ch.Close()
				}()
			}
		case "exec":
			var m struct{ Command string }
			_ = ssh.Unmarshal(r.Payload, &m)
			_ = r.Reply(s.Device != nil, nil)
			go s.exec(ch, m.Command)
		case "subsystem":
			var m struct{ Name string }
			_ = ssh.Unmarshal(r.Payload, &m)
			ok := s.Netconf != nil && m.Name == "netconf"
			_ = r.Reply(ok, nil)
			if ok {
				go func() {
					s.Netconf.Serve(ch)
					ch.Close()
				}()
			}
		default:
			_ = r.Reply(false, nil)
		}
	}
}

// exec answers one command without a terminal.
func (s *Server) exec(ch ssh.Channel, command string) {
	defer ch.Close()
	s.Device.note(command)
	text, known := s.Device.text(command)
	status := struct{ Status uint32 }{}
	if known {
		_, _ = io.WriteString(ch, text)
	} else {
		word, _, _ := strings.Cut(command, " ")
		fmt.Fprintf(ch.Stderr(), "sh: %s: not found\n", word)
		status.Status = 127
	}
	_, _ = ch.SendRequest("exit-status", false, ssh.Marshal(&status))
}

// lead goes on to another host.
func (s *Server) lead(new ssh.NewChannel) {
	var m struct {
		Host     string
		Port     uint32
		From     string
		FromPort uint32
	}
	if err := ssh.Unmarshal(new.ExtraData(), &m); err != nil || !s.Leads {
		_ = new.Reject(ssh.Prohibited, "no")
		return
	}
	to, err := net.Dial("tcp", net.JoinHostPort(m.Host, strconv.Itoa(int(m.Port))))
	if err != nil {
		_ = new.Reject(ssh.ConnectionFailed, "no")
		return
	}
	defer to.Close()
	n := s.led.Add(1)
	defer s.led.Add(-1)
	for m := s.most.Load(); n > m && !s.most.CompareAndSwap(m, n); m = s.most.Load() {
	}
	ch, requests, err := new.Accept()
	if err != nil {
		return
	}
	defer ch.Close()
	go ssh.DiscardRequests(requests)
	done := make(chan bool, 2)
	go func() { _, _ = io.Copy(to, ch); done <- true }()
	go func() { _, _ = io.Copy(ch, to); done <- true }()
	<-done
}
