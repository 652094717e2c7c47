package reach

import (
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
