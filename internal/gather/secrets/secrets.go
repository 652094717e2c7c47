// Package secrets keeps passwords and passphrases while devices are gathered from: read from a file that only its owner
// may read, from an open descriptor, or asked for on the terminal. It exists so that no secret ever comes by an
// argument or the environment, and none leaves the program but to the device that it is meant for: what was shown is
// searched for them before it is kept.
package secrets

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"sync"

	"zarvek/internal/source"
	"zarvek/internal/strict"
)

// A Kind is what a secret is for.
type Kind string

// The kinds, by the keys of a file of secrets.
const (
	Password  Kind = "password"  // of the user
	Raise     Kind = "raise"     // of the higher level of a command line
	Key       Kind = "key"       // of a file with a private key
	Auth      Kind = "auth"      // of SNMP version 3 (RFC 3414)
	Privacy   Kind = "privacy"   // of SNMP version 3
	Community Kind = "community" // of SNMP version 2c (RFC 3584)
)

var kinds = []string{string(Password), string(Raise), string(Key), string(Auth), string(Privacy), string(Community)}

// everyone is the name under which a file keeps what holds for all devices.
const everyone = "all"

// A Store keeps secrets. The zero Store has none and asks nobody; it may be used by several goroutines.
type Store struct {
	// Ask asks on the terminal, nil where there is none. The answer is not shown.
	Ask func(question string) (string, error)

	mu    sync.Mutex
	free  *sync.Cond // one that was tried for the first time has been settled
	by    map[string]map[Kind]string
	asked map[string]*answer
	given map[string]bool
}

// An answer is a secret that somebody typed. Until a device has taken it one at a time tries it: a slip of the finger
// is not repeated on two hundred devices, which may lock the user out of them.
type answer struct {
	secret        string
	proven, tried bool
}

// An Outcome is what a device made of a secret.
type Outcome int

// The outcomes.
const (
	Untold Outcome = iota // it did not come to that
	Taken
	Refused
)

// ErrNone says that nobody knows a secret.
var ErrNone = errors.New("no secret")

// maxFile is how large a file of secrets may be.
const maxFile = 1 << 20

// ReadFile adds the secrets of a file. It must be a plain file that nobody but its owner may read.
func (s *Store) ReadFile(name string) error {
	f, err := source.Open(name)
	if err != nil {
		return fmt.Errorf("%s: cannot be read: %w", name, source.Cause(err))
	}
	defer f.Close()
	info, err := f.Stat()
	switch {
	case err != nil:
		return fmt.Errorf("%s: cannot be read: %w", name, source.Cause(err))
	case info.Mode().Perm()&0o077 != 0:
		return fmt.Errorf("%s: others may read it; take that away first: chmod 600 %s", name, name)
	}
	return s.Read(name, f)
}

// Read adds the secrets of a text: a mapping of devices, or "all", to kinds of secrets. Its errors name a place and
// nothing of what stands there.
func (s *Store) Read(name string, r io.Reader) error {
	text, err := io.ReadAll(io.LimitReader(r, maxFile+1))
	if err != nil || len(text) > maxFile {
		return fmt.Errorf("%s: cannot be read, or is longer than 1 MiB", name)
	}
	all, err := parse(name, text)
	if err != nil {
		// What the error says may be what stands there.
		return fmt.Errorf("%s: no list of secrets; write NAME: {password: ...}, or all: {password: ...}, a device a "+
			"line; "+
			"the kinds are password, raise, key, auth, privacy, community", place(name, err))
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.by == nil {
		s.by = map[string]map[Kind]string{}
	}
	for device, some := range all {
		s.by[strings.ToLower(device)] = some
	}
	return nil
}

// parse reads a file of secrets: devices, and of each the kinds. Errors never hold a secret.
func parse(name string, text []byte) (map[string]map[Kind]string, error) {
	f, docs, err := strict.Open(name, text, 0)
	if err != nil {
		return nil, err
	}
	out := map[string]map[Kind]string{}
	for _, d := range docs {
		err := f.Each(d, "secrets", nil, func(device string, _, v *strict.Node) error {
			out[device] = map[Kind]string{}
			return f.Each(v, device, kinds, func(kind string, at, v *strict.Node) error {
				secret, err := f.Scalar(v)
				if err == nil && strings.ContainsAny(secret, "\r\n\x00") {
					err = f.ErrorAt(at, "a secret has no line end")
				}
				out[device][Kind(kind)] = secret
				return err
			})
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// place finds the file, line and column in an error of the parser.
func place(name string, err error) string {
	if m := regexp.MustCompile(`^:\d+:\d+`).FindString(strings.TrimPrefix(err.Error(), name)); m != "" {
		return name + m
	}
	return name
}

// For returns a device's secret: its own, that of all, or what the terminal says to the question, which is asked once
// for all that ask it, and again where the first device refuses what was typed. Whoever gets it tells what became of
// it, once.
func (s *Store) For(device string, k Kind, question string) (secret string, settle func(Outcome), err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, name := range []string{strings.ToLower(device), everyone} {
		if secret, ok := s.by[name][k]; ok {
			return s.give(secret), func(Outcome) {}, nil
		}
	}
	if s.Ask == nil {
		return "", nil, ErrNone
	}
	if s.free == nil {
		s.free, s.asked = sync.NewCond(&s.mu), map[string]*answer{}
	}
	a := s.asked[question]
	for a != nil && a.tried && !a.proven {
		s.free.Wait()
		a = s.asked[question]
	}
	if a == nil {
		typed, err := s.Ask(question)
		if err != nil {
			return "", nil, ErrNone
		}
		a = &answer{secret: typed}
		s.asked[question] = a
	}
	a.tried = true
	return s.give(a.secret), func(o Outcome) { s.settle(question, a, o) }, nil
}

// settle takes in what became of a typed secret.
func (s *Store) settle(question string, a *answer, o Outcome) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case o == Taken:
		a.proven = true
	case o == Refused && !a.proven && s.asked[question] == a:
		delete(s.asked, question)
	}
	a.tried = a.proven
	s.free.Broadcast()
}

// Has reports whether a device's secret is known without asking.
func (s *Store) Has(device string, k Kind) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, own := s.by[strings.ToLower(device)][k]
	_, all := s.by[everyone][k]
	return own || all
}

// give notes that a secret left the store.
func (s *Store) give(secret string) string {
	if s.given == nil {
		s.given = map[string]bool{}
	}
	s.given[secret] = true
	return secret
}

// shortest is the length of a secret that is searched for wherever it stands; a shorter one may be any word.
const shortest = 6

// Scrub returns a text with each secret that was given out made unreadable, and how many places those were. A device
// may show what it was sent, or keep it in its configuration.
func (s *Store) Scrub(text []byte) ([]byte, int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	n := 0
	for secret := range s.given {
		if len(secret) < shortest {
			continue
		}
		if k := bytes.Count(text, []byte(secret)); k > 0 {
			n += k
			text = bytes.ReplaceAll(text, []byte(secret), bytes.Repeat([]byte("*"), len(secret)))
		}
	}
	return text, n
}
