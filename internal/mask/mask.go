// Package mask makes another network of captures: every address, name and secret becomes another one, and the shape of
// each line stays, so that a stranger's program reads the copy as it would read the original. It exists because a case
// that nobody may see helps nobody.
//
// Addresses are mapped by one keyed permutation that keeps prefixes: two addresses share as many leading bits after as
// before (Xu et al. 2002; RFC 6235 section 4 tells the risks: who knows one address of a network knows where the
// network is). Special ranges map to themselves, and in the networks that the case knows the first and the last
// addresses stay the first and the last. Words that no reader looks for become others of the same length; those that
// readers look for stay. What is kept is thus a list (vocabulary.txt), not what is hidden.
//
// No I/O. The same key and the same networks give the same copy.
package mask

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"net/netip"
	"slices"
	"strings"
	"unicode"
)

// A Key decides what becomes what. The zero Key is a key like any other.
type Key [32]byte

// A Masker maps addresses and words. It is not safe for concurrent use. The zero Masker is not usable.
type Masker struct {
	key   Key
	known map[netip.Prefix]bool
	back  bool            // what was masked becomes what it was
	names map[string]bool // words, in small letters, that become others though readers look for them

	addrs map[netip.Addr]netip.Addr
	words map[string]string
	taken map[string]bool // words that no other may become
	flips map[node]bool
}

// New makes a masker. Known are the networks of which the first and last addresses stay such; words are what became
// what in an earlier copy.
func New(key Key, known []netip.Prefix, words map[string]string) *Masker {
	m := &Masker{key: key, known: map[netip.Prefix]bool{}, addrs: map[netip.Addr]netip.Addr{},
		words: map[string]string{}, taken: map[string]bool{}, flips: map[node]bool{}}
	for was, is := range words {
		m.words[was], m.taken[is] = is, true
	}
	for _, p := range known {
		if p.IsValid() {
			m.known[p.Masked()] = true
		}
	}
	return m
}

// Hide lets the words of names become others though readers look for them: a device may be called like a word of its
// trade. Whether the copy is still read as the original must be seen.
func (m *Masker) Hide(names []string) {
	m.names = map[string]bool{}
	for _, n := range names {
		for _, w := range lettersOf(n) {
			m.names[strings.ToLower(w)] = true
		}
	}
}

// Kept lists the words of names that readers look for, and that thus stay where they are not hidden.
func Kept(names []string) []string {
	var out []string
	for _, n := range names {
		for _, w := range lettersOf(n) {
			if len([]rune(w)) >= shortest && keeps(w) && !slices.Contains(out, w) {
				out = append(out, w)
			}
		}
	}
	slices.Sort(out)
	return out
}

// Reverse returns a masker that makes of a copy's addresses and words what they were. Words that the copy does not have
// stay.
func (m *Masker) Reverse() *Masker {
	out := New(m.key, m.Known(), nil)
	out.back = true
	for was, is := range m.words {
		out.words[is] = was
	}
	return out
}

// specials are ranges that mean something by themselves (RFC 6890 and RFC 4291). Those under whole stay as they are,
// address by address; the others map to themselves.
var specials = struct{ whole, ranges []netip.Prefix }{
	whole: prefixes("0.0.0.0/8", "127.0.0.0/8", "224.0.0.0/3", "::/96", "ff00::/8"),
	ranges: prefixes("10.0.0.0/8", "100.64.0.0/10", "169.254.0.0/16", "172.16.0.0/12", "192.168.0.0/16",
		"198.18.0.0/15", "::/8", "::ffff:0:0/96", "64:ff9b::/96", "2001::/32", "2002::/16", "2000::/3", "fc00::/7",
		"fd00::/8", "fe80::/10", "fe80::/64"),
}

func prefixes(texts ...string) []netip.Prefix {
	var out []netip.Prefix
	for _, s := range texts {
		if p, err := netip.ParsePrefix(s); err == nil { // a test holds that all are
			out = append(out, p)
		}
	}
	return out
}

// node is the first bits of addresses: where the permutation decides on the next one.
type node struct {
	at   netip.Addr // with all further bits 0
	bits int
}

// Addr returns what an address becomes.
func (m *Masker) Addr(a netip.Addr) netip.Addr {
	zone := a.Zone()
	a = a.WithZone("")
	out, ok := m.addrs[a]
	if !ok {
		out = m.permute(a, m.back)
		m.addrs[a] = out
	}
	return out.WithZone(m.Text(zone))
}

// permute maps an address bit by bit, each by a secret function of those before it, so that a common prefix stays one
// (Xu and others 2002); special ranges stay.
func (m *Masker) permute(a netip.Addr, back bool) netip.Addr {
	if slices.ContainsFunc(specials.whole, func(p netip.Prefix) bool { return p.Contains(a) }) || a.Is4In6() {
		return a
	}
	in := a.AsSlice()
	out := make([]byte, len(in))
	for i := range a.BitLen() {
		b := in[i/8] >> (7 - i%8) & 1
		original := out
		if !back {
			original = in
		}
		if m.flip(original, i) { // its bits so far
			b ^= 1
		}
		out[i/8] |= b << (7 - i%8)
	}
	x, _ := netip.AddrFromSlice(out)
	return x
}

// flip tells whether the bit behind the first bits of an address turns. It hangs on those bits alone.
func (m *Masker) flip(first []byte, bits int) bool {
	a, _ := netip.AddrFromSlice(first)
	p, _ := a.Prefix(bits)
	n := node{p.Addr(), bits}
	f, ok := m.flips[n]
	if !ok {
		f = !m.stays(p) && m.random("bit", append(p.Addr().AsSlice(), byte(bits)))[0]&1 == 1
		m.flips[n] = f
	}
	return f
}

// stays reports whether the bit behind a prefix must not turn: a special range lies there, the prefix runs along the
// first or the last addresses of a network, or, in IPv6, the group of 16 bits has begun with zeros only: so each group
// has as many digits after as before, and none that is left out when it is written is not (RFC 5952 section 4.2).
func (m *Masker) stays(p netip.Prefix) bool {
	for _, s := range specials.ranges {
		if s.Bits() > p.Bits() && p.Contains(s.Addr()) {
			return true
		}
	}
	for _, s := range specials.whole {
		if s.Bits() > p.Bits() && p.Contains(s.Addr()) {
			return true
		}
	}
	raw := p.Addr().AsSlice()
	if p.Addr().Is6() && noneIn(raw, p.Bits()/16*16, p.Bits()) {
		return true
	}
	// Upwards, as long as all bits below are zeros, or all are ones.
	zeros, ones := true, true
	for bits := p.Bits(); bits >= 0 && (zeros || ones); bits-- {
		if q, err := p.Addr().Prefix(bits); err == nil && m.known[q] {
			return true
		}
		if bits > 0 {
			if raw[(bits-1)/8]>>(7-(bits-1)%8)&1 == 1 {
				zeros = false
			} else {
				ones = false
			}
		}
	}
	return false
}

// noneIn reports whether all bits of a range are zeros.
func noneIn(raw []byte, from, to int) bool {
	for i := from; i < to; i++ {
		if raw[i/8]>>(7-i%8)&1 == 1 {
			return false
		}
	}
	return true
}

// random is the keyed source of everything that is chosen.
func (m *Masker) random(what string, of []byte) []byte {
	h := hmac.New(sha256.New, m.key[:])
	h.Write([]byte(what))
	h.Write(of)
	return h.Sum(nil)
}

// Prefix returns what a prefix becomes.
func (m *Masker) Prefix(p netip.Prefix) netip.Prefix {
	return netip.PrefixFrom(m.Addr(p.Masked().Addr()), p.Bits()).Masked()
}

// Text replaces the addresses and words of a text, such as a name, but for words that readers look for.
func (m *Masker) Text(s string) string {
	var b strings.Builder
	done := 0
	for i := range len(s) {
		if i < done || i > 0 && joins(s[i-1]) {
			continue
		}
		if was, is := m.address(s[i:]); was != "" {
			b.WriteString(m.letters(s[done:i]) + is)
			done = i + len(was)
		}
	}
	return b.String() + m.letters(s[done:])
}

// letters replaces words.
func (m *Masker) letters(s string) string {
	return replaceLetters(s, func(w string) string {
		if len([]rune(w)) < shortest || keeps(w) && !m.names[strings.ToLower(w)] {
			return w
		}
		return m.Word(w)
	})
}

// shortest is how many letters a word has that tells anything. Shorter ones are codes.
const shortest = 3

// Word returns another word of the same length, with large letters where it has some.
func (m *Masker) Word(w string) string {
	small := strings.ToLower(w)
	other, ok := m.words[small]
	if !ok && m.back {
		return w
	}
	if !ok {
		other = m.invent(small)
		m.words[small], m.taken[other] = other, true
	}
	out := []rune(other)
	for i, c := range []rune(w) {
		if i < len(out) && unicode.IsUpper(c) {
			out[i] = unicode.ToUpper(out[i])
		}
	}
	return string(out)
}

const (
	consonants = "bdfgklmnprstvz"
	vowels     = "aeiou"
)

// invent makes a word that can be spoken and is none that a reader looks for, nor one that is there already.
func (m *Masker) invent(w string) string {
	n := len([]rune(w))
	for try := uint32(0); ; try++ {
		pick := m.random("word", binary.BigEndian.AppendUint32([]byte(w), try))
		var b strings.Builder
		for i := range n {
			from := consonants
			if i%2 == 1 {
				from = vowels
			}
			if try > 200 { // short words are used up
				from = consonants + vowels
			}
			b.WriteByte(from[int(pick[i%len(pick)]+byte(i/len(pick)))%len(from)])
		}
		other := b.String()
		if other != w && !m.taken[other] && !keeps(other) && !m.names[other] {
			return other
		}
		if try%500 == 499 { // all words of this length are in use: two that become one have no way back
			n++
		}
	}
}

// Key returns the masker's key. It is for its owner alone.
func (m *Masker) Key() Key { return m.key }

// Words returns what became what.
func (m *Masker) Words() map[string]string { return m.words }

// Known lists the networks that the masker was made with, in order: with the key they are the whole mapping.
func (m *Masker) Known() []netip.Prefix {
	var out []netip.Prefix
	for p := range m.known {
		out = append(out, p)
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return out
}

// lettersOf lists the runs of letters in a text.
func lettersOf(s string) []string {
	return strings.FieldsFunc(s, func(c rune) bool { return !unicode.IsLetter(c) })
}

// replaceLetters replaces each run of letters.
func replaceLetters(s string, by func(string) string) string {
	var b strings.Builder
	rs := []rune(s)
	for i := 0; i < len(rs); {
		k := i
		for k < len(rs) && unicode.IsLetter(rs[k]) {
			k++
		}
		if k > i {
			b.WriteString(by(string(rs[i:k])))
			i = k
			continue
		}
		b.WriteRune(rs[i])
		i++
	}
	return b.String()
}
