package capture

import (
	"encoding/binary"
	"errors"
	"math"
	"slices"

	"github.com/fxamacker/cbor/v2"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// What was read of a capture can be kept between two runs of one program: the routes as they lie in memory, so that
// nobody has to go through them again, all else as CBOR (RFC 8949). Only the program that wrote it may read it.

// kept is a Capture without its routes and its text.
type kept struct {
	File     uint32
	Hostname string
	Prompts  int
	Noise    int
	Changed  bool // its text is not what the file holds byte for byte
	Parts    []keptPart
}

// keptPart is a Part whose reasons are texts.
type keptPart struct {
	Part     Part // without Passed, Unread and the routes of its tables
	Passed   []byte
	Abridged bool
	Unread   []keptUnread
}

type keptUnread struct {
	Mark   route.Mark
	Reason string
}

var (
	keptWriter = func() cbor.EncMode {
		m, err := cbor.EncOptions{}.EncMode()
		if err != nil {
			panic(err)
		}
		return m
	}()
	// keptReader takes what captures say as it is: names of bytes that are no UTF-8, lists of any length.
	keptReader = func() cbor.DecMode {
		m, err := cbor.DecOptions{
			MaxArrayElements: math.MaxInt32, MaxMapPairs: math.MaxInt32, UTF8: cbor.UTF8DecodeInvalid,
			ExtraReturnErrors: cbor.ExtraDecErrorUnknownField, DupMapKey: cbor.DupMapKeyEnforcedAPF,
		}.DecMode()
		if err != nil {
			panic(err)
		}
		return m
	}()
)

// Pack returns what was read, to be kept: the pieces stand one behind the other. Taken are the bytes of the file. The
// pieces share the capture's memory; write them before it is changed.
func (c *Capture) Pack(taken []byte) ([][]byte, error) {
	k := kept{
		File: c.file(), Hostname: c.Hostname(), Prompts: c.Prompts, Noise: c.Source.Noise,
		Changed: c.Source.binary || !sameBytes(taken, c.Source.raw),
	}
	var lists [][]byte
	for i := range c.Parts {
		p := keptPart{Part: c.Parts[i], Abridged: c.Parts[i].abridged}
		if p.Part.Unread != nil {
			p.Unread = make([]keptUnread, len(p.Part.Unread))
		}
		for j, u := range p.Part.Unread {
			p.Unread[j] = keptUnread{u.Mark, u.Reason.Error()}
		}
		p.Passed = packPassed(p.Part.Passed)
		p.Part.Passed, p.Part.Unread, p.Part.HostBits = nil, nil, nil
		p.Part.Facts.Tables = slices.Clone(p.Part.Facts.Tables)
		for j := range p.Part.Facts.Tables {
			t := &p.Part.Facts.Tables[j]
			lists = append(lists, packList(&t.Routes)...)
			t.Routes = route.List{}
		}
		k.Parts = append(k.Parts, p)
	}
	facts, err := keptWriter.Marshal(k)
	if err != nil {
		return nil, err
	}
	return append(padded(facts), lists...), nil
}

// file is the number that the capture's marks carry.
func (c *Capture) file() uint32 {
	for i := range c.Parts {
		if n := c.Parts[i].Where.File; n != 0 {
			return n
		}
	}
	return 0
}

// sameBytes reports whether a and b are the same memory.
func sameBytes(a, b []byte) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// wordSize is what pieces are filled up to a multiple of, so that routes lie where the processor wants them.
const wordSize = 8

// padded is a piece behind its length, filled up.
func padded(b []byte) [][]byte {
	fill := (wordSize - len(b)%wordSize) % wordSize
	return [][]byte{binary.LittleEndian.AppendUint64(nil, uint64(len(b))), b, make([]byte, fill)}
}

// packList returns the pieces of one table's routes.
func packList(l *route.List) [][]byte {
	attrs := make([]*route.Attributes, l.Shared())
	for i := range attrs {
		attrs[i] = l.Attributes(route.AttrID(i))
	}
	var counted []byte // empty: the order is not that of a table, and will change
	if l.EachOnce() {
		counted = packCensus(l.Census())
	}
	return slices.Concat(padded(packAttributes(attrs)), padded(packLong(l.LongMetrics())), padded(counted),
		padded(l.Packed()))
}

// Unpack returns the capture of which Pack returned the bytes. It takes them over: they must not be used afterwards,
// and must begin where a number of 8 bytes may. Name and file are those of Read; taken returns the bytes of the file,
// and is called once somebody asks for a line. An error says that the bytes are not what Pack returned.
func Unpack(packed []byte, name string, file uint32, taken func() ([]byte, error)) (*Capture, error) {
	r := &keptBytes{packed}
	var k kept
	facts, err := r.piece()
	if err != nil {
		return nil, err
	}
	if err := keptReader.Unmarshal(facts, &k); err != nil {
		return nil, err
	}
	c := &Capture{Prompts: k.Prompts, hostname: k.Hostname}
	c.Source = &Source{Name: name, Noise: k.Noise, later: func() (*Source, error) {
		return takenAgain(name, k.Changed, taken)
	}}
	for i := range k.Parts {
		p := k.Parts[i].Part
		p.abridged = k.Parts[i].Abridged
		if p.Passed, err = unpackPassed(k.Parts[i].Passed); err != nil {
			return nil, err
		}
		if k.Parts[i].Unread != nil {
			p.Unread = make([]layout.Unread, len(k.Parts[i].Unread))
		}
		for j, u := range k.Parts[i].Unread {
			p.Unread[j] = layout.Unread{Mark: u.Mark, Reason: errors.New(u.Reason)}
		}
		for j := range p.Facts.Tables {
			if p.Facts.Tables[j].Routes, err = r.list(); err != nil {
				return nil, err
			}
		}
		c.Parts = append(c.Parts, p)
	}
	if len(r.left) > 0 {
		return nil, errKept
	}
	c.renumber(k.File, file)
	return c, nil
}

// Kept reports whether the capture was not read but unpacked: it has no lines to gloss.
func (c *Capture) Kept() bool { return c.Source.later != nil }

// renumber gives all marks the number that the file has now.
func (c *Capture) renumber(was, file uint32) {
	if was == file {
		return
	}
	to := func(m route.Mark) route.Mark {
		if m.File == was {
			m.File = file
		}
		return m
	}
	for i := range c.Parts {
		c.Parts[i].Where = to(c.Parts[i].Where)
		c.Parts[i].MapMarks(to)
	}
}

// keptBytes are the pieces that have not been read yet.
type keptBytes struct{ left []byte }

func (r *keptBytes) word() (uint64, error) {
	if len(r.left) < wordSize {
		return 0, errKept
	}
	n := binary.LittleEndian.Uint64(r.left)
	r.left = r.left[wordSize:]
	return n, nil
}

func (r *keptBytes) piece() ([]byte, error) {
	n, err := r.word()
	if err != nil || n > uint64(len(r.left)) {
		return nil, errKept
	}
	whole := (n + wordSize - 1) / wordSize * wordSize
	if whole > uint64(len(r.left)) {
		return nil, errKept
	}
	b := r.left[:n:n]
	r.left = r.left[whole:]
	return b, nil
}

func (r *keptBytes) list() (route.List, error) {
	b, err := r.piece()
	if err != nil {
		return route.List{}, err
	}
	attrs, err := unpackAttributes(b)
	if err != nil {
		return route.List{}, err
	}
	if b, err = r.piece(); err != nil {
		return route.List{}, err
	}
	long, err := unpackLong(b)
	if err != nil {
		return route.List{}, err
	}
	if b, err = r.piece(); err != nil {
		return route.List{}, err
	}
	var counted *route.Census
	if len(b) > 0 {
		if counted, err = unpackCensus(b, len(attrs)); err != nil {
			return route.List{}, err
		}
	}
	if b, err = r.piece(); err != nil {
		return route.List{}, err
	}
	return route.Unpacked(b, attrs, long, counted != nil, counted)
}

// takenAgain makes the text of a file whose reading was kept, as newSource did.
func takenAgain(name string, changed bool, taken func() ([]byte, error)) (*Source, error) {
	raw, err := taken()
	if err != nil || changed {
		if err == nil {
			return newSource(name, raw)
		}
		return nil, err
	}
	return &Source{Name: name, raw: raw}, nil
}
