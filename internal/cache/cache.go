// Package cache keeps what was read of captures in the user's cache folder, so that the second question about a case
// does not wait for the first one's reading. It knows nothing of captures: it keeps bytes by name, checks them, and
// throws the oldest away.
//
// Nothing here may change an answer or end a command. What is missing, cut, damaged, another program's or not to be
// written is not there, and the capture is read anew. Entries are written aside and renamed into place, so that several
// programs may use one folder at once.
package cache

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash/crc32"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// DefaultLimit is how many bytes a store holds at most once it was trimmed.
const DefaultLimit = 4 << 30

// leastFree is how many bytes of the disk no store takes.
const leastFree = 1 << 30

// A Sum is the SHA-256 of some content.
type Sum [sha256.Size]byte

// A Store is one folder of entries. It is safe for concurrent use, by several programs as well.
type Store struct {
	dir     string
	program Sum
	limit   int64
	now     func() time.Time
}

// Open returns the store in a folder, which is made if it is not there, for the program with the given sum: what other
// programs kept there is not seen. It returns nil where the folder cannot be had for this user alone. Limit is in
// bytes.
func Open(dir string, program Sum, limit int64) *Store {
	if os.MkdirAll(dir, 0o700) != nil || !private(dir) {
		return nil
	}
	return &Store{dir, program, limit, time.Now}
}

// private reports whether a folder is nobody else's business.
func private(dir string) bool {
	info, err := os.Lstat(dir)
	return err == nil && info.IsDir() && owned(info) && (info.Mode().Perm()&0o077 == 0 || os.Chmod(dir, 0o700) == nil)
}

// Within reports whether the store lies in a folder, or in one of its folders.
func (s *Store) Within(dir string) bool {
	mine, err := filepath.EvalSymlinks(s.dir)
	if err != nil {
		return true
	}
	theirs, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return true
	}
	if theirs, err = filepath.Abs(theirs); err != nil {
		return true
	}
	rel, err := filepath.Rel(theirs, mine)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

// name returns the file of an entry: kind, the program and all that the entry hangs on make it.
func (s *Store) name(kind string, of ...[]byte) string {
	h := sha256.New()
	h.Write(s.program[:])
	for _, b := range of {
		h.Write(binary.LittleEndian.AppendUint64(nil, uint64(len(b))))
		h.Write(b)
	}
	return filepath.Join(s.dir, kind+"-"+hex.EncodeToString(h.Sum(nil)))
}

// The parts of an entry's head: a sign, the number of bytes behind it, and their checksum.
const (
	sign     = "kept one"
	headSize = len(sign) + 8 + 8
)

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Get returns what was put under a kind and a key, nil where there is nothing. The bytes are the caller's own, whatever
// happens to the file.
func (s *Store) Get(kind string, key ...[]byte) []byte {
	name := s.name(kind, key...)
	whole, err := fileBytes(name)
	if err != nil || len(whole) < headSize || string(whole[:len(sign)]) != sign {
		return nil
	}
	body := whole[headSize:]
	if binary.LittleEndian.Uint64(whole[len(sign):]) != uint64(len(body)) ||
		binary.LittleEndian.Uint64(whole[len(sign)+8:]) != uint64(crc32.Checksum(body, castagnoli)) {
		return nil
	}
	s.touch(name)
	return body
}

// smallEntry is the size in bytes up to which an entry is read and not mapped: mappings are few.
const smallEntry = 64 << 10

// fileBytes returns the bytes of a file in memory that is this program's own.
func fileBytes(name string) ([]byte, error) {
	info, err := os.Lstat(name)
	if err != nil {
		return nil, err
	}
	if info.Size() <= smallEntry {
		return os.ReadFile(name)
	}
	return mapFile(name)
}

// seldom is how old a sign of use may be before a new one is made.
const seldom = time.Hour

// touch marks an entry as used, so that it is not the oldest.
func (s *Store) touch(name string) {
	if info, err := os.Stat(name); err == nil && s.now().Sub(info.ModTime()) > seldom {
		_ = os.Chtimes(name, time.Time{}, s.now()) // an entry that stays old is thrown away sooner, no more
	}
}

// Put keeps the pieces, one behind the other, under a kind and a key. What cannot be kept is not. It reports whether
// the entry is there.
func (s *Store) Put(pieces [][]byte, kind string, key ...[]byte) bool {
	size, sum := uint64(0), uint32(0)
	for _, p := range pieces {
		size, sum = size+uint64(len(p)), crc32.Update(sum, castagnoli, p)
	}
	if room := free(s.dir); size > uint64(s.limit) || room < size || room-size < leastFree {
		return false
	}
	f, err := os.CreateTemp(s.dir, temporary+"*")
	if err != nil {
		return false
	}
	head := binary.LittleEndian.AppendUint64([]byte(sign), size)
	head = binary.LittleEndian.AppendUint64(head, uint64(sum))
	_, err = f.Write(head)
	for _, p := range pieces {
		if err == nil {
			_, err = f.Write(p)
		}
	}
	err = cmp.Or(err, f.Close())
	if err == nil {
		err = os.Rename(f.Name(), s.name(kind, key...))
	}
	if err != nil {
		os.Remove(f.Name())
	}
	return err == nil
}

// temporary begins the names of files that are being written.
const temporary = "new-"

// abandoned is how old a file that is being written is when nobody writes it any more.
const abandoned = 24 * time.Hour

// Trim throws the entries away that were not used for the longest time, until the store holds no more than its limit.
func (s *Store) Trim() {
	list, err := os.ReadDir(s.dir)
	if err != nil {
		return
	}
	type entry struct {
		name string
		size int64
		used time.Time
	}
	var all []entry
	total := int64(0)
	for _, e := range list {
		info, err := e.Info()
		if err != nil || !info.Mode().IsRegular() {
			continue
		}
		name := filepath.Join(s.dir, e.Name())
		if strings.HasPrefix(e.Name(), temporary) {
			if s.now().Sub(info.ModTime()) > abandoned {
				os.Remove(name)
			}
			continue
		}
		all, total = append(all, entry{name, info.Size(), info.ModTime()}), total+info.Size()
	}
	slices.SortFunc(all, func(a, b entry) int { return a.used.Compare(b.used) })
	for _, e := range all {
		if total <= s.limit {
			return
		}
		if os.Remove(e.name) == nil {
			total -= e.size
		}
	}
}

// The kind of the entries that hold the sum of a file that looks as it did.
const sumKind = "sum"

// unsettled is how long after a file was written its times may not tell that it was written again.
const unsettled = 2 * time.Second

// SumOf returns the sum of a file's content, and the content where it had to be read for that.
func (s *Store) SumOf(name string, read func() ([]byte, error)) (Sum, []byte, error) {
	looks, known := LooksOf(name)
	if known {
		if b := s.Get(sumKind, looks.key()); len(b) == len(Sum{}) {
			return Sum(b), nil, nil
		}
	}
	settled := known && looks.Settled(s.now())
	raw, err := read()
	if err != nil {
		return Sum{}, nil, err
	}
	sum := Sum(sha256.Sum256(raw))
	if after, ok := LooksOf(name); settled && ok && after == looks {
		s.Put([][]byte{sum[:]}, sumKind, looks.key())
	}
	return sum, raw, nil
}

// Looks are what tells a file from one that was written since. Equal ones are of the same content.
type Looks struct {
	path                      string
	device, inode             uint64
	Size, modified, changedAt int64
}

func (l Looks) key() []byte {
	var b bytes.Buffer
	b.WriteString(l.path)
	b.WriteByte(0)
	for _, n := range []uint64{l.device, l.inode, uint64(l.Size), uint64(l.modified), uint64(l.changedAt)} {
		b.Write(binary.LittleEndian.AppendUint64(nil, n))
	}
	return b.Bytes()
}

// Settled reports whether the file was written long enough ago for its times to tell the next writing.
func (l Looks) Settled(now time.Time) bool {
	return now.Sub(time.Unix(0, max(l.modified, l.changedAt))) > unsettled
}

// ForProgram is Open for the program that runs, nil where that cannot be read.
func ForProgram(dir string, limit int64) *Store {
	sums := Open(dir, Sum{}, limit)
	name, err := os.Executable()
	if sums == nil || err != nil {
		return nil
	}
	sum, _, err := sums.SumOf(name, func() ([]byte, error) { return os.ReadFile(name) })
	if err != nil {
		return nil
	}
	return Open(dir, sum, limit)
}
