package reach

import (
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/knownhosts"
)

// HostKeys judges the keys of hosts by files in OpenSSH's known_hosts form, strictly: a key that is not known is taken
// only if somebody says so on a terminal, a changed one never.
type HostKeys struct {
	mu    sync.Mutex
	files []string
	check ssh.HostKeyCallback
	ask   func(question string) bool // nil where there is no terminal
	now   map[string]string          // taken in this run: host and key
}

// OpenHostKeys reads the files; those that are not there are empty. What is taken on a terminal is added to the first.
func OpenHostKeys(ask func(question string) bool, files ...string) (*HostKeys, error) {
	h := &HostKeys{files: files, ask: ask, now: map[string]string{}}
	var have []string
	for _, f := range files {
		if _, err := os.Stat(f); err == nil {
			have = append(have, f)
		}
	}
	check, err := knownhosts.New(have...)
	if err != nil {
		return nil, fmt.Errorf("known hosts: %w", err)
	}
	h.check = check
	return h, nil
}

// A HostKeyError is a key that was not taken.
type HostKeyError struct {
	Key   ssh.PublicKey
	Known []knownhosts.KnownKey // what the files have instead; none: the host is not known
	File  string
}

func (e *HostKeyError) Error() string {
	shown := fmt.Sprintf("%s %s", e.Key.Type(), ssh.FingerprintSHA256(e.Key))
	if len(e.Known) == 0 {
		return fmt.Sprintf("its host key is not known: %s; compare it with the device's own, then gather from a "+
			"terminal, "+
			"which asks, or add it to %s", shown, e.File)
	}
	k := e.Known[0]
	return fmt.Sprintf("its host key has changed: %s:%d has %s, and it shows %s; such a key is never taken. If the "+
		"device was "+
		"renewed, take that line out", k.Filename, k.Line, ssh.FingerprintSHA256(k.Key), shown)
}

// Check judges the key of a device at an address, HOST:PORT.
func (h *HostKeys) Check(name, address string, remote net.Addr, key ssh.PublicKey) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	encoded := base64.StdEncoding.EncodeToString(key.Marshal())
	if taken, ok := h.now[address]; ok && taken == encoded {
		return nil
	}
	err := h.check(address, remote, key)
	var wrong *knownhosts.KeyError
	switch {
	case err == nil:
		return nil
	case !errors.As(err, &wrong):
		return err // revoked
	}
	refusal := &HostKeyError{Key: key, Known: wrong.Want, File: h.files[0]}
	if taken, ok := h.now[address]; ok && taken != encoded {
		return fmt.Errorf("its host key changed while this ran: it shows %s now", ssh.FingerprintSHA256(key))
	}
	if len(wrong.Want) > 0 || h.ask == nil {
		return refusal
	}
	if !h.ask(fmt.Sprintf("%s (%s) is not known. It shows the host key %s %s. Is that its own?", name, address,
		key.Type(), ssh.FingerprintSHA256(key))) {
		return refusal
	}
	h.now[address] = encoded
	return h.add(knownhosts.Line([]string{address}, key))
}

// add appends a line to the first file.
func (h *HostKeys) add(line string) error {
	if err := os.MkdirAll(filepath.Dir(h.files[0]), 0o700); err != nil {
		return fmt.Errorf("%s: the host key cannot be kept: %w", h.files[0], err)
	}
	f, err := os.OpenFile(h.files[0], os.O_RDWR|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return fmt.Errorf("%s: the host key cannot be kept: %w", h.files[0], err)
	}
	if info, err := f.Stat(); err == nil && info.Size() > 0 { // a last line without an end would swallow this one
		last := make([]byte, 1)
		if _, err := f.ReadAt(last, info.Size()-1); err == nil && last[0] != '\n' {
			line = "\n" + line
		}
	}
	_, err = io.WriteString(f, line+"\n")
	return errors.Join(err, f.Close())
}

// algorithms returns the kinds of host keys that are known of a host, so that it shows one of those; none where none
// is.
func (h *HostKeys) algorithms(address string) []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	var wrong *knownhosts.KeyError
	err := h.check(address, &net.TCPAddr{IP: net.IPv4zero}, noKey{})
	if !errors.As(err, &wrong) {
		return nil
	}
	var out []string
	for _, k := range wrong.Want {
		if t := k.Key.Type(); t == ssh.KeyAlgoRSA {
			out = append(out, ssh.KeyAlgoRSASHA512, ssh.KeyAlgoRSASHA256)
		} else {
			out = append(out, strings.TrimSuffix(t, "-cert-v01@openssh.com"))
		}
	}
	return out
}

// noKey is a key that no host has.
type noKey struct{}

func (noKey) Type() string                        { return "none" }
func (noKey) Marshal() []byte                     { return []byte("none") }
func (noKey) Verify([]byte, *ssh.Signature) error { return errors.New("no key") }
