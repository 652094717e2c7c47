package reach

import (
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"

	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"
)

// Agent returns what asks the running SSH agent for its keys, nil where none runs. The agent keeps the keys.
func Agent() func() ([]ssh.Signer, error) {
	at := os.Getenv("SSH_AUTH_SOCK")
	if at == "" {
		return nil
	}
	return func() ([]ssh.Signer, error) {
		c, err := net.Dial("unix", at)
		if err != nil {
			return nil, err
		}
		return agent.NewClient(c).Signers()
	}
}

// CheckKey reports in an error that a file is no private key. One with a passphrase is.
func CheckKey(name string) error {
	b, err := os.ReadFile(name)
	if err != nil {
		return fmt.Errorf("the key %s cannot be read", name)
	}
	var locked *ssh.PassphraseMissingError
	if _, err := ssh.ParsePrivateKey(b); err != nil && !errors.As(err, &locked) {
		return fmt.Errorf("%s is no private key that is understood", name)
	}
	return nil
}

// UsualKeys lists the files in which users keep private keys.
func UsualKeys() []string {
	home, err := os.UserHomeDir()
	if err != nil {
		return nil
	}
	var out []string
	for _, name := range []string{"id_ed25519", "id_ecdsa", "id_rsa"} {
		out = append(out, filepath.Join(home, ".ssh", name))
	}
	return out
}

// UsualHostKeys lists the files of known hosts, the user's own first.
func UsualHostKeys() []string {
	out := []string{"/etc/ssh/ssh_known_hosts"}
	if home, err := os.UserHomeDir(); err == nil {
		out = append([]string{filepath.Join(home, ".ssh", "known_hosts")}, out...)
	}
	return out
}
