package casefile

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/core/network"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/topology"
	"zarvek/internal/near"
	"zarvek/internal/notes"
	"zarvek/internal/source"
)

// readChange puts the change that a case holds on its network: such a case is what a network would be, and every
// command works on it.
func (c *Case) readChange() error {
	raw, err := source.ReadFile(c.at.path(ChangeFile), source.MaxRecord)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return errorf("%s: cannot be read: %v", ChangeFile, source.Cause(err))
	}
	if c.change, err = capture.Open(ChangeFile, raw); err != nil {
		return errorf("%s: %v", ChangeFile, err)
	}
	t := topology.Build(c.Network)
	if c.Steps, err = notes.ParseChange(ChangeFile, raw, uint32(len(c.Files)+2), names{c.Network, t}); err != nil {
		return errorf("%v; zarvek help rehearse tells the format", err)
	}
	if c.Thought, err = rehearse.Predict(t, c.Steps); err != nil {
		return errorf("%v", err)
	}
	c.Network = c.Thought.Network
	return nil
}

// names finds whole names of a network.
type names struct {
	network *network.Snapshot
	topo    *topology.Topology
}

func (n names) DeviceName(name string) (string, error) {
	if n.network.Device(name) != nil {
		return name, nil
	}
	var all []string
	for _, d := range n.network.Devices().All() {
		all = append(all, d.Name)
	}
	return "", fmt.Errorf("no device of this case is called %q%s", name, hint(name, all))
}

func (n names) InterfaceName(device, name string) (string, error) {
	all := n.topo.Interfaces(n.network.Device(device))
	for _, have := range all {
		if have == name {
			return name, nil
		}
	}
	if len(all) == 0 {
		return name, nil
	}
	return "", fmt.Errorf("%s has no interface %q%s", device, name, hint(name, all))
}

func hint(name string, all []string) string {
	if s := near.Name(name, all); s != "" {
		return "; did you mean " + s + "?"
	}
	return "; it has " + strings.Join(all[:min(len(all), 8)], ", ")
}

// SaveWith writes a copy of the case with a change to a folder that must be new or empty: the captures as they are, the
// case's own files, and the change.
func (c *Case) SaveWith(steps []rehearse.Step, to string) error {
	if list, err := os.ReadDir(to); err == nil && len(list) > 0 {
		return errorf("%s: not empty; give a new folder", show(to))
	}
	all := append([]string{NotesFile, ProvenanceFile}, c.at.captures...)
	for _, name := range append(all, c.at.layouts...) {
		raw, err := source.ReadFile(c.at.path(name), maxFile)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil {
			err = put(to, name, raw)
		}
		if err != nil {
			return errorf("%s: cannot be copied to %s: %v", show(name), show(to), source.Cause(err))
		}
	}
	if err := put(to, ChangeFile, notes.WriteChange(append(c.Steps, steps...))); err != nil {
		return errorf("%s: cannot be written to %s: %v", ChangeFile, show(to), source.Cause(err))
	}
	return nil
}

func put(dir, name string, raw []byte) error {
	at := filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(at), 0o777); err != nil {
		return err
	}
	return os.WriteFile(at, raw, 0o666)
}
