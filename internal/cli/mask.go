package cli

import (
	"bufio"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/netip"
	"os"
	"path/filepath"
	"strings"

	"zarvek/internal/casefile"
	"zarvek/internal/mask"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// maskCommand is zarvek mask.
func maskCommand() command {
	return command{
		name: "mask", args: "[FILE]",
		short: "a copy of the case that may be shown to strangers",
		long: `Writes a copy of the case in which addresses, the names of devices, hosts, interfaces and tables,
descriptions, communities, keys and passwords are others:

  zarvek mask -to for-the-maker
  zarvek mask -to for-the-maker-2 -with for-the-maker.key.json    the same again, of another night
  zarvek mask -reverse -with for-the-maker.key.json answer.txt    what a stranger wrote about the copy

Addresses that share a network still do, in every file, and special ranges map to themselves; the
last bits of a network's addresses stay as they are as far as they are all zeros or ones. Words that
readers look for (route, static, interface, …) stay; every other word of three letters or more
becomes another one of the same length. Numbers stay, but for secrets and descriptions. The shape of
lines stays, so that the copy is read as the original is: that is compared at the end.

Lines that are not understood are left out; -keep-unread keeps them, with their words replaced. A copy
without them may be surer than the case is. What cannot be masked is left out and named.

The key stands beside the copy in FOLDER.key.json, for you alone: who has it has the original names.
Who knows one address of a network can tell which network of the copy it is (RFC 6235).

Exit code 1: the copy is read otherwise than the case.`,
		setup: func(fs *flag.FlagSet) action {
			to := fs.String("to", "", "write the copy to this new `folder`")
			with := fs.String("with", "", "a key `file` of an earlier copy")
			reverse := fs.Bool("reverse", false,
				"make of the copy's words in FILE (- for standard input) what they were")
			keep := fs.Bool("keep-unread", false, "keep lines that are not understood, with their words replaced")
			return func(e *env, args []string) error {
				switch {
				case *reverse && (len(args) != 1 || *with == "" || *to != ""):
					return usagef("mask -reverse takes -with KEYFILE and one FILE, or - for standard input")
				case *reverse:
					return e.unmask(*with, args[0])
				case len(args) > 0 || *to == "":
					return usagef("mask takes -to FOLDER and no arguments")
				}
				e.noCache = true // masking is about every line
				l, err := e.devices()
				if err != nil {
					return err
				}
				return e.mask(l, *to, *with, *keep)
			}
		},
	}
}

// keyFile is what the owner of a copy keeps.
type keyFile struct {
	Key      string            `json:"key"`
	Networks []netip.Prefix    `json:"networks"`
	Words    map[string]string `json:"words"`
}

// readKey reads the key of an earlier copy.
func readKey(file string) (*mask.Masker, error) {
	raw, err := source.ReadFile(file, source.MaxRecord)
	if err != nil {
		return nil, usagef("%s: cannot be read: %v", file, pathCause(err))
	}
	var k keyFile
	var key mask.Key
	if err := json.Unmarshal(raw, &k); err != nil {
		return nil, usagef("%s: not a key file of zarvek mask", file)
	}
	if n, err := hex.Decode(key[:], []byte(k.Key)); err != nil || n != len(key) {
		return nil, usagef("%s: not a key file of zarvek mask", file)
	}
	return mask.New(key, k.Networks, k.Words), nil
}

// mask writes the copy and its key, then reads the copy again and says where it differs from the case.
func (e *env) mask(l *loaded, to, with string, keep bool) (err error) {
	to = filepath.Clean(to)
	keyAt := to + ".key.json"
	if list, err := os.ReadDir(to); err == nil && len(list) > 0 || err != nil && !errors.Is(err, os.ErrNotExist) {
		return usagef("%s: not empty; give a new folder", to)
	}
	if inside(to, l.Dir) {
		return usagef("%s: inside of the case, and would be read with it; give a folder beside it", to)
	}
	if with != "" {
		keyAt = with
	} else if _, err := os.Lstat(keyAt); err == nil {
		return usagef("%s: there already; give another folder, or -with %s", keyAt, keyAt)
	}
	var r present.MaskView
	var again *casefile.Case
	for try := range maxKeys {
		k, m, err := makeMasker(l, with)
		if err != nil {
			return err
		}
		if err := writeKey(keyAt, k, m); err != nil { // first: a copy without its key is lost for its owner
			return err
		}
		r, again, err = l.copyHiding(to, m, keep)
		if err := errors.Join(err, writeKey(keyAt, k, m)); err != nil { // with the words that became others
			return err
		}
		// Where a line is read by the place of its words, another key may make it fit.
		if len(r.Otherwise) == 0 || with != "" || try == maxKeys-1 {
			break
		}
	}
	r.Key = keyAt
	for _, d := range again.Network.Devices().All() {
		r.Devices++
		for _, t := range d.Tables().All() {
			r.Routes += t.Routes().Len()
		}
	}
	if e.as == "json" {
		err = present.MaskJSON(e.out, r)
	} else {
		err = present.MaskText(e.out, r, e.view(l))
	}
	if err == nil && len(r.Otherwise) > 0 {
		return errBadNews
	}
	return err
}

// inside reports whether a path lies in a folder.
func inside(path, dir string) bool {
	at, err := filepath.Abs(path)
	if err != nil {
		return false
	}
	of, err := filepath.Abs(dir)
	if err != nil {
		return false
	}
	rel, err := filepath.Rel(of, at)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

// maxKeys is how many keys are tried for a copy that is read as the case is.
const maxKeys = 5

// makeMasker makes a masker with a new key, or with that of an earlier copy.
func makeMasker(l *loaded, with string) (keyFile, *mask.Masker, error) {
	if with != "" {
		m, err := readKey(with)
		if err != nil {
			return keyFile{}, nil, err
		}
		key := m.Key()
		return keyFile{Key: hex.EncodeToString(key[:]), Networks: m.Known()}, m, nil
	}
	var key mask.Key
	if _, err := rand.Read(key[:]); err != nil {
		return keyFile{}, nil, fmt.Errorf("no key could be made: %w", err)
	}
	m := mask.New(key, l.Networks(), nil)
	return keyFile{Key: hex.EncodeToString(key[:]), Networks: m.Known()}, m, nil
}

// copyHiding writes a copy. A name that is a word of the trade is hidden where the copy is still read as the case is
// then.
func (l *loaded) copyHiding(to string, m *mask.Masker, keep bool) (present.MaskView, *casefile.Case, error) {
	names := l.Names()
	m.Hide(names)
	r, again, err := l.copyTo(to, m, keep)
	if err != nil || len(r.Otherwise) == 0 {
		return r, again, err
	}
	m.Hide(nil)
	r, again, err = l.copyTo(to, m, keep)
	r.Kept = mask.Kept(names)
	return r, again, err
}

// copyTo writes a copy, in place of one that may be there, and reads it again.
func (l *loaded) copyTo(to string, m *mask.Masker, keep bool) (present.MaskView, *casefile.Case, error) {
	var r present.MaskView
	copied, err := l.Mask(m, keep)
	if err == nil {
		err = os.RemoveAll(to) // it was empty, or holds what this call wrote
	}
	if err != nil {
		return r, nil, err
	}
	for _, f := range copied.Files {
		at := filepath.Join(to, filepath.FromSlash(f.Name))
		if err = os.MkdirAll(filepath.Dir(at), 0o777); err == nil {
			err = os.WriteFile(at, f.Text, 0o666)
		}
		if err != nil {
			return r, nil, fmt.Errorf("%s: cannot be written: %w", f.Name, err)
		}
	}
	again, err := casefile.Load(to)
	if err != nil {
		return r, nil, fmt.Errorf("the copy cannot be read: %w", err)
	}
	return present.MaskView{To: to, Files: len(copied.Files), Dropped: copied.Dropped, LeftOut: copied.LeftOut,
		Otherwise: casefile.Compare(l.Case, again, m, copied.LeftOut)}, again, nil
}

// writeKey writes the key file, for its owner alone. One that is there stays as it is until the new one is whole.
func writeKey(at string, k keyFile, m *mask.Masker) error {
	k.Words = m.Words()
	raw, err := json.MarshalIndent(k, "", " ")
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(at), ".key-*") // with mode 0600
	if err != nil {
		return fmt.Errorf("the key cannot be written: %w", err)
	}
	_, err = f.Write(append(raw, '\n'))
	if err = errors.Join(err, f.Close()); err == nil {
		err = os.Rename(f.Name(), at)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("the key cannot be written: %w", err), os.Remove(f.Name()))
	}
	return nil
}

// unmask makes of a text about a copy one about the original.
func (e *env) unmask(with, file string) error {
	m, err := readKey(with)
	if err != nil {
		return err
	}
	var in io.Reader = os.Stdin
	if file != "-" {
		raw, err := source.ReadFile(file, source.MaxRecord)
		if err != nil {
			return usagef("%s: cannot be read: %v", file, pathCause(err))
		}
		in = strings.NewReader(string(raw))
	}
	back := m.Reverse()
	lines := bufio.NewReader(in)
	for {
		line, err := lines.ReadString('\n')
		end := strings.HasSuffix(line, "\n")
		if line = strings.TrimSuffix(line, "\n"); line != "" || end {
			text := present.Clean(back.Line(line))
			if end {
				text += "\n"
			}
			if _, err := io.WriteString(e.out, text); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("%s: cannot be read: %w", file, err)
		}
	}
}
