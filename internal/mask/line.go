package mask

import (
	"net/netip"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"zarvek/internal/lazyregexp"
)

// Line returns what a line becomes. Columns keep their place: where a word grows, blanks behind it are taken away as
// far as two or more stand there, and where it shrinks some are added.
func (m *Masker) Line(line string) string {
	if blob.MatchString(line) {
		return digits.ReplaceAllString(line, "0")
	}
	free, secret := freeText.FindStringIndex(line), secrets.FindStringIndex(line)
	switch {
	case free != nil && (secret == nil || free[0] <= secret[0]):
		lo, hi := free[1], len(line)
		if line[lo-1] == '"' { // in quotes: what stands behind is something else
			if i := strings.IndexByte(line[lo:], '"'); i >= 0 {
				hi = lo + i
			}
		}
		return m.understood(line[:lo]) + m.Own(line[lo:hi]) + m.rest(line[hi:])
	case secret != nil:
		lo, hi := secret[1], len(line)
		if strings.ContainsAny(line[secret[0]:lo], ":=") { // a value that says where it ends
			hi = lo + len(secretValue.FindString(line[lo:]))
		}
		return m.understood(line[:lo]) + m.secret(line[lo:hi]) + m.rest(line[hi:])
	}
	return m.understood(line)
}

// rest goes on behind somebody's own words.
func (m *Masker) rest(s string) string {
	if s == "" {
		return ""
	}
	return m.Line(s)
}

var (
	// secretValue is what stands behind "password=" or in JSON.
	secretValue = lazyregexp.New(`^[^\s";,{}\[\]]+`)
	// blob is a line of hexadecimal groups: a certificate, a key.
	blob   = lazyregexp.New(`^\s*(?:[0-9A-Fa-f]{8}\s+){2,}[0-9A-Fa-f]*\s*$`)
	digits = lazyregexp.New(`[0-9A-Fa-f]`)
	// longSecret is text that no name looks like: a key in base 64.
	longSecret = lazyregexp.New(`^[A-Za-z0-9+=]{24,}`)
	figures    = lazyregexp.New(`\d`)
)

var (
	// freeText begins what people write for people, or names of their own.
	freeText = lazyregexp.New(`(?i)(?:^|[\s/"{])(?:description|descr|remark|comment|banner|alias|ifalias` +
		`|location|contact|annotation|message|announcement|motd)["\s:=]+`)
	// secrets begins what must never be shown.
	secrets = lazyregexp.New(`(?i)(?:^|[\s/"{-])(?:password|passwd|secret|community|communities|key|key-string` +
		`|authentication-key|pre-shared-key|psk|psksecret|md5|passphrase|username|user|login|engineid|auth|priv|2c` +
		`|ssh-rsa|ssh-ed25519|ssh-dss)["\s:=]+`)
)

// Own returns what a text becomes that somebody wrote for people: all of it is other words, and numbers go too.
func (m *Masker) Own(s string) string {
	return replaceLetters(strings.Map(func(c rune) rune {
		if unicode.IsDigit(c) {
			return '0'
		}
		return c
	}, s), m.Word)
}

// secret blots out each word that is no word that readers look for, nor an address, nor one of a letter or two.
func (m *Masker) secret(s string) string {
	return word.ReplaceAllStringFunc(s, func(w string) string {
		if keeps(w) || len(w) == 1 || len(w) == 2 && len(lettersOf(w)) == 1 {
			return w
		}
		if was, is := m.address(w); was == w {
			return is
		}
		return strings.Repeat("x", utf8.RuneCountInString(w))
	})
}

var word = lazyregexp.New(`[^\s";{}\[\]]+`)

// understood replaces addresses, hardware addresses and words of a text.
func (m *Masker) understood(line string) string {
	var b strings.Builder
	drift := 0
	flags := len(leadingFlags.FindString(line))
	emit := func(was, is string) {
		b.WriteString(is)
		drift += utf8.RuneCountInString(is) - utf8.RuneCountInString(was)
	}
	for i := 0; i < len(line); {
		c := line[i]
		if c == ' ' {
			k := i
			for k < len(line) && line[k] == ' ' {
				k++
			}
			n := k - i
			if n >= 2 && k < len(line) {
				n = max(n-drift, 1)
				drift -= k - i - n
			}
			b.WriteString(strings.Repeat(" ", n))
			i = k
			continue
		}
		if i == 0 || !joins(line[i-1]) {
			if x := hex.FindString(line[i:]); x != "" { // a mask, or flags
				b.WriteString(x)
				i += len(x)
				continue
			}
			if x := longSecret.FindString(line[i:]); x != "" && len(figures.FindAllString(x, 3)) == 3 &&
				!strings.ContainsAny(x[:1], "=+") {
				b.WriteString(strings.Repeat("x", len(x)))
				i += len(x)
				continue
			}
			if was, is := m.address(line[i:]); was != "" {
				emit(was, is)
				i += len(was)
				continue
			}
		}
		r, size := utf8.DecodeRuneInString(line[i:])
		if !unicode.IsLetter(r) {
			b.WriteString(line[i : i+size])
			i += size
			continue
		}
		k := i
		for k < len(line) {
			r, size := utf8.DecodeRuneInString(line[k:])
			if !unicode.IsLetter(r) {
				break
			}
			k += size
		}
		if k <= flags || endFlags.MatchString(line[i:k]) {
			emit(line[i:k], line[i:k])
		} else {
			emit(line[i:k], m.letters(line[i:k]))
		}
		i = k
	}
	return b.String()
}

var (
	// leadingFlags are letters behind a row's number that tell what a route is, such as DAC.
	leadingFlags = lazyregexp.New(`^\s*\d+\s+(?:[A-Z][A-Za-z+]{0,3}\s+)+`)
	// endFlags are the letters of a kernel's table, such as UGHS: up, by a gateway, a host, static.
	endFlags = lazyregexp.New(`^U[GHRDMACSLWXYZBIcbdgrsw]{0,6}$`)
)

// joins reports whether a character belongs to the word before an address, so that there is none.
func joins(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '.'
}

var (
	hex    = lazyregexp.New(`^0x[0-9A-Fa-f]+\b`)
	v4     = lazyregexp.New(`^\d{1,3}(?:\.\d{1,3}){3}(?:/(\d{1,2}))?`)
	v4Part = lazyregexp.New(`^(\d{1,3}(?:\.\d{1,3}){1,2})/(\d{1,2})`)
	v6     = lazyregexp.New(`^[0-9A-Fa-f:]*:[0-9A-Fa-f:]*(?:\d{1,3}(?:\.\d{1,3}){3})?(?:/(\d{1,3}))?`)
	// v4Name is an address as it stands in names that may hold no dots.
	v4Name = lazyregexp.New(`^\d{1,3}(?:(?:-\d{1,3}){3}|(?:_\d{1,3}){3})`)
	more   = lazyregexp.New(`^[-_.]?\d`)
	mac    = lazyregexp.New(`^(?:[0-9A-Fa-f]{2}([:-]))(?:[0-9A-Fa-f]{2}[:-]){4}[0-9A-Fa-f]{2}` +
		`|^(?:[0-9A-Fa-f]{4}\.){2}[0-9A-Fa-f]{4}`)
)

// address finds an address, a prefix or a hardware address at the beginning of a text, and what it becomes.
func (m *Masker) address(s string) (was, is string) {
	if hw := mac.FindString(s); hw != "" && !follows(s[len(hw):], ":-.") {
		return hw, m.hardware(hw)
	}
	if x := v4.FindStringSubmatch(s); x != nil && !follows(s[len(x[0]):], ".") {
		if is, ok := m.ip(x[0]); ok {
			return x[0], is
		}
		if len(x[1]) > 0 { // 10.0.0.1/eth0: what stands behind is no length
			bare := strings.TrimSuffix(x[0], "/"+x[1])
			if is, ok := m.ip(bare); ok {
				return bare, is
			}
		}
		return "", ""
	}
	if x := v4Name.FindString(s); x != "" && !more.MatchString(s[len(x):]) {
		sep := x[strings.IndexAny(x, "-_")]
		if is, ok := m.ip(strings.ReplaceAll(x, string(sep), ".")); ok {
			return x, strings.ReplaceAll(is, ".", string(sep))
		}
	}
	if x := v4Part.FindStringSubmatch(s); x != nil && !follows(s[len(x[0]):], ".") {
		n := strings.Count(x[1], ".") + 1
		if p, err := netip.ParsePrefix(x[1] + strings.Repeat(".0", 4-n) + "/" + x[2]); err == nil {
			parts := strings.Split(m.Prefix(p).Addr().String(), ".")
			return x[0], strings.Join(parts[:n], ".") + "/" + x[2]
		}
	}
	if x := v6.FindStringSubmatch(s); x != nil {
		for _, text := range []string{x[0], strings.TrimRight(x[0], ":")} {
			if is, ok := m.ip(text); ok {
				return text, is
			}
		}
	}
	return "", ""
}

// ip maps an address or a prefix in words.
func (m *Masker) ip(s string) (string, bool) {
	text, length, slash := strings.Cut(s, "/")
	a, err := netip.ParseAddr(text)
	if err != nil {
		return "", false
	}
	to := m.Addr(a)
	if !slash {
		return like(text, to), true
	}
	bits, err := strconv.Atoi(length)
	if err != nil || bits > a.BitLen() {
		return "", false
	}
	if p, _ := a.Prefix(bits); p.Addr() == a { // a network's own address
		to = m.Prefix(p).Addr()
	}
	return like(text, to) + "/" + length, true
}

// like writes an address with large letters where the original has them.
func like(was string, to netip.Addr) string {
	if was == strings.ToUpper(was) && was != strings.ToLower(was) {
		return strings.ToUpper(to.String())
	}
	return to.String()
}

// hardware maps a hardware address; whether it is a group's or a local one stays, and so do all zeros and all ones.
func (m *Masker) hardware(s string) string {
	digits := strings.Map(func(c rune) rune {
		if strings.ContainsRune(":-.", c) {
			return -1
		}
		return unicode.ToLower(c)
	}, s)
	if strings.Trim(digits, "0") == "" || strings.Trim(digits, "f") == "" {
		return s
	}
	sum := m.random("hardware", []byte(digits))
	var out strings.Builder
	k := 0
	for _, c := range s {
		if strings.ContainsRune(":-.", c) {
			out.WriteRune(c)
			continue
		}
		x := "0123456789abcdef"[sum[k]&15]
		if k == 1 {
			x = byte(unicode.ToLower(c))
		}
		if unicode.IsUpper(c) {
			x = byte(unicode.ToUpper(rune(x)))
		}
		out.WriteByte(x)
		k++
	}
	return out.String()
}

// follows reports whether a text goes on with one of some characters and a figure or letter.
func follows(rest, chars string) bool {
	if len(rest) < 2 || !strings.ContainsRune(chars, rune(rest[0])) {
		return false
	}
	c := rune(rest[1])
	return unicode.IsDigit(c) || unicode.IsLetter(c)
}
