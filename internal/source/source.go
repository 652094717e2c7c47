// Package source tells where the bytes of captures come from: plain files, compressed ones, and archives of either.
// What a file is, its first bytes say, never its name: a renamed archive is an archive, and its files are files, not
// one text.
//
// It unpacks in memory and within limits that hold for all that one caller unpacks, refuses while unpacking and not
// after, and knows nothing of what the files hold.
package source

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/bzip2"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/mikelolasagasti/xz"
)

// MaxUnpacked is how large one compressed file may be when unpacked, in bytes.
const MaxUnpacked = 1 << 30

// MaxFiles is how many files one archive may hold.
const MaxFiles = 100_000

// maxDepth is how deep archives are opened inside of archives.
const maxDepth = 3

// A Budget is the bytes that may still be unpacked. It is safe for concurrent use.
type Budget struct{ left atomic.Int64 }

// NewBudget returns a budget of n bytes.
func NewBudget(n int64) *Budget {
	b := new(Budget)
	b.left.Store(n)
	return b
}

// spend takes n bytes, and reports whether they were there.
func (b *Budget) spend(n int64) bool { return b.left.Add(-n) >= 0 }

// ErrBudget is what an archive is refused with that unpacks to more than it may.
var ErrBudget = errors.New("unpacks to more than is allowed")

// A File is one file of an archive. Its name is as in the archive, with slashes, and stays inside.
type File struct {
	Name  string
	Bytes []byte
}

// compression is a form of compression, told by its first bytes.
type compression struct {
	name  string
	magic []byte
	open  func(io.Reader) (io.Reader, func(), error)
}

func nothing() {}

var compressions = []compression{
	{
		"gzip",
		[]byte{0x1f, 0x8b},
		func(r io.Reader) (io.Reader, func(), error) { z, err := gzip.NewReader(r); return z, nothing, err },
	},
	{"bzip2", []byte("BZh"), func(r io.Reader) (io.Reader, func(), error) { return bzip2.NewReader(r), nothing, nil }},
	{"zstd", []byte{0x28, 0xb5, 0x2f, 0xfd}, func(r io.Reader) (io.Reader, func(), error) {
		z, err := zstd.NewReader(r, zstd.WithDecoderMaxMemory(MaxUnpacked), zstd.WithDecoderConcurrency(1))
		if err != nil {
			return nil, nothing, err
		}
		return z, z.Close, nil
	}},
	{"xz", []byte{0xfd, '7', 'z', 'X', 'Z', 0}, func(r io.Reader) (io.Reader, func(), error) {
		z, err := xz.NewReader(r, 1<<26)
		return z, nothing, err
	}},
}

// bzip2Block is what every bzip2 block begins with: "BZh" alone is a word as well.
var bzip2Block = []byte{0x31, 0x41, 0x59, 0x26, 0x53, 0x59}

func compressed(b []byte) *compression {
	for i := range compressions {
		c := &compressions[i]
		if bytes.HasPrefix(b, c.magic) &&
			(c.name != "bzip2" || len(b) > 10 && b[3] >= '1' && b[3] <= '9' && bytes.HasPrefix(b[4:], bzip2Block)) {
			return c
		}
	}
	return nil
}

// A text of tables is packed to a tenth, a very even one to a hundredth. What grows more than that, and to more than
// harmless bytes, was made to.
const (
	harmless = 64 << 20
	growth   = 200
)

// believable returns how large n packed bytes may get.
func believable(n int64) int64 { return max(harmless, n*growth) }

// UnpackWithin is Unpack within a budget that several files share.
func UnpackWithin(b []byte, budget *Budget) ([]byte, error) {
	if compressed(b) == nil {
		return b, nil
	}
	out, err := Unpack(b, min(MaxUnpacked, max(budget.left.Load(), 0)))
	if err == nil && !budget.spend(int64(len(out))) {
		err = ErrBudget
	}
	return out, err
}

// Unpack returns the contents of a compressed file, at most limit bytes, and anything else as it is.
func Unpack(b []byte, limit int64) ([]byte, error) {
	c := compressed(b)
	if c == nil {
		return b, nil
	}
	limit = min(limit, believable(int64(len(b))))
	r, done, err := c.open(bytes.NewReader(b))
	defer done()
	var out []byte
	if err == nil {
		out, err = io.ReadAll(io.LimitReader(r, limit+1))
	}
	switch {
	case int64(len(out)) > limit:
		return nil, ErrBudget
	case err != nil:
		return nil, fmt.Errorf("not a whole %s file: %w; copy it again", c.name, err)
	}
	return out, nil
}

// HeadLength is how many of a file's first bytes MayBeArchive looks at.
const HeadLength = 512

// MayBeArchive reports whether a file that begins so may be an archive, or a compressed one.
func MayBeArchive(head []byte) bool { return compressed(head) != nil || isZip(head) || isTar(head) }

func isZip(b []byte) bool {
	return bytes.HasPrefix(b, []byte("PK\x03\x04")) || bytes.HasPrefix(b, []byte("PK\x05\x06"))
}

// isTar tells a tar header by its checksum (POSIX.1-1988): the old format has no magic word.
func isTar(b []byte) bool {
	if len(b) < 512 || b[0] == 0 {
		return false
	}
	want, digits := int64(0), 0
	for _, c := range b[148:156] {
		switch {
		case c >= '0' && c <= '7':
			want, digits = want*8+int64(c-'0'), digits+1
		case c != ' ' && c != 0:
			return false
		}
	}
	sum := int64(0)
	for i, c := range b[:512] {
		if i >= 148 && i < 156 {
			c = ' '
		}
		sum += int64(c)
	}
	return digits > 0 && sum == want
}

// Archive returns the files of an archive, also of a compressed one, in the order of their names, without hidden
// ones. Archives in it are opened too: their files stand under "name!". It reports false for anything that is no
// archive.
func Archive(b []byte, budget *Budget) (files []File, is bool, err error) {
	return archive(b, budget, 0)
}

// archive unpacks bytes that are an archive, whatever they are called; false where they are none. Depth bounds archives
// in archives, the budget what all of them unpack to.
func archive(b []byte, budget *Budget, depth int) ([]File, bool, error) {
	if c := compressed(b); c != nil {
		if !tarInside(b, c) {
			return nil, false, nil
		}
		out, err := Unpack(b, min(MaxUnpacked, max(budget.left.Load(), 0)))
		if err != nil {
			return nil, true, err
		}
		b = out
	}
	var files []File
	var err error
	switch {
	case isZip(b):
		files, err = unzip(b, budget)
	case isTar(b):
		files, err = untar(b, budget)
	default:
		return nil, false, nil
	}
	if err != nil {
		return nil, true, err
	}
	slices.SortStableFunc(files, func(a, b File) int { return strings.Compare(a.Name, b.Name) })
	for i := 1; i < len(files); i++ {
		if files[i].Name == files[i-1].Name {
			return nil, true, fmt.Errorf("two entries are called %q", files[i].Name)
		}
	}
	if depth == maxDepth {
		return files, true, nil
	}
	var out []File
	for _, f := range files {
		inner, is, err := archive(f.Bytes, budget, depth+1)
		if err != nil {
			return nil, true, fmt.Errorf("%q: %w", f.Name, err)
		}
		if !is {
			out = append(out, f)
			continue
		}
		for _, g := range inner {
			out = append(out, File{f.Name + "!" + g.Name, g.Bytes})
		}
	}
	return out, true, nil
}

// tarInside looks at the first bytes of what is compressed.
func tarInside(b []byte, c *compression) bool {
	r, done, err := c.open(bytes.NewReader(b))
	defer done()
	if err != nil {
		return false
	}
	head := make([]byte, HeadLength)
	n, _ := io.ReadFull(r, head)
	return isTar(head[:n])
}

// entryName checks an entry's name: it must stay inside.
func entryName(name string) (string, error) {
	n := strings.ReplaceAll(name, `\`, "/")
	if n == "" || strings.HasPrefix(n, "/") || len(n) > 1 && n[1] == ':' ||
		n != "." && !filepath.IsLocal(filepath.FromSlash(n)) {
		return "", fmt.Errorf("the entry %q points outside of the archive", name)
	}
	return path.Clean(n), nil
}

func hidden(name string) bool {
	for part := range strings.SplitSeq(name, "/") {
		if strings.HasPrefix(part, ".") || part == "__MACOSX" {
			return true
		}
	}
	return false
}

// take reads one entry within the budget, of at most so many bytes.
func take(name string, r io.Reader, most int64, files []File, budget *Budget) ([]File, error) {
	if len(files) >= MaxFiles {
		return nil, fmt.Errorf("more than %d files", MaxFiles)
	}
	left := min(max(budget.left.Load(), 0), most)
	b, err := io.ReadAll(io.LimitReader(r, left+1))
	if err != nil {
		return nil, fmt.Errorf("the entry %q cannot be read: %w", name, err)
	}
	if int64(len(b)) > left || !budget.spend(int64(len(b))) {
		return nil, ErrBudget
	}
	return append(files, File{name, b}), nil
}

// unzip reads a zip archive as a whole; one bad entry refuses all of it.
func unzip(b []byte, budget *Budget) ([]File, error) {
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return nil, fmt.Errorf("not a whole zip archive: %w", err)
	}
	var files []File
	for _, f := range z.File {
		n, err := entryName(f.Name)
		if err != nil {
			return nil, err
		}
		if err := regular(f.Name, f.Mode()); err != nil {
			return nil, err
		}
		if f.Mode().IsDir() || hidden(n) {
			continue
		}
		r, err := f.Open()
		if err != nil {
			return nil, fmt.Errorf("the entry %q cannot be read: %w", f.Name, err)
		}
		files, err = take(n, r, believable(int64(f.CompressedSize64)), files, budget)
		r.Close()
		if err != nil {
			return nil, err
		}
	}
	return files, nil
}

func regular(name string, mode fs.FileMode) error {
	if !mode.IsDir() && !mode.IsRegular() {
		return fmt.Errorf("the entry %q is a link or device", name)
	}
	return nil
}

// untar reads a tar archive as a whole; one bad entry, or a missing end, refuses all of it.
func untar(b []byte, budget *Budget) ([]File, error) {
	t := tar.NewReader(bytes.NewReader(b))
	var files []File
	for {
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			// A copy that was cut off between two files looks whole but for the empty block that ends an archive.
			if end := b[max(len(b)-512, 0):]; len(bytes.Trim(end, "\x00")) > 0 {
				return nil, errors.New("not a whole archive: it ends without its end mark")
			}
			return files, nil
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			return nil, fmt.Errorf("not a whole archive: %w", err)
		}
		n, err := entryName(h.Name)
		if err != nil {
			return nil, err
		}
		switch h.Typeflag {
		case tar.TypeDir, tar.TypeXGlobalHeader:
			continue
		case tar.TypeReg:
		default:
			return nil, fmt.Errorf("the entry %q is a link or device", h.Name)
		}
		if hidden(n) {
			continue
		}
		if files, err = take(n, t, h.Size, files, budget); err != nil {
			return nil, err
		}
	}
}
