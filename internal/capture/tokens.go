package capture

import (
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A TokenKind says what a word of a captured line is.
type TokenKind string

const (
	AddressToken    TokenKind = "address"
	PrefixToken     TokenKind = "prefix"
	HardwareToken   TokenKind = "hardware-address"
	InterfaceToken  TokenKind = "interface"
	DeviceToken     TokenKind = "device"
	TableToken      TokenKind = "table"
	ProtocolToken   TokenKind = "protocol"
	PreferenceToken TokenKind = "preference"
	MetricToken     TokenKind = "metric"
	AgeToken        TokenKind = "age"
	SecretToken     TokenKind = "secret"
	WordToken       TokenKind = "word"
)

// A Token is one word of a line: Lo and Hi are its bounds in the line's text, in bytes.
type Token struct {
	Lo, Hi int
	Kind   TokenKind
}

// names are the words of a capture that its facts say are names.
type names map[string]TokenKind

// names collects the names of devices, interfaces and tables that stand in a capture.
func (c *Capture) names() names {
	out := names{}
	put := func(name string, k TokenKind) {
		if _, known := out[name]; name != "" && !known {
			out[name] = k
		}
	}
	for i := range c.Parts {
		p := &c.Parts[i]
		put(p.Device, DeviceToken)
		for j := range p.Facts.Tables {
			t := &p.Facts.Tables[j]
			if t.Name != "default" {
				put(t.Name, TableToken)
			}
			for id := range t.Routes.Shared() {
				for _, h := range t.Routes.Attributes(route.AttrID(id)).NextHops {
					put(h.Interface, InterfaceToken)
					put(h.Table, TableToken)
				}
			}
		}
		p.Facts.Each(func(f network.Fact) {
			for _, name := range f.Interfaces() {
				put(name, InterfaceToken)
			}
		})
	}
	return out
}

// secretAfter are the words behind which a secret stands in a configuration.
var secretAfter = map[string]bool{
	"password":           true,
	"secret":             true,
	"key":                true,
	"key-string":         true,
	"community":          true,
	"passphrase":         true,
	"psk":                true,
	"pre-shared-key":     true,
	"md5":                true,
	"authentication-key": true,
}

var protocolOfWord = func() map[string]bool {
	out := map[string]bool{}
	for p := route.Other + 1; p <= route.Aggregate; p++ {
		out[strings.ToLower(p.String())] = true
	}
	return out
}()

// What parts words, and what may stand right behind one without being of it.
const (
	between  = " \t,;()\"'=|<>"
	trailing = ":.*"
)

// tokens parts a line into words and says what each is.
func (n names) tokens(text string) []Token {
	var out []Token
	before := ""
	for lo := 0; lo < len(text); {
		if strings.IndexByte(between, text[lo]) >= 0 {
			lo++
			continue
		}
		hi := lo
		for hi < len(text) && strings.IndexByte(between, text[hi]) < 0 {
			hi++
		}
		next := hi
		for hi > lo+1 && strings.IndexByte(trailing, text[hi-1]) >= 0 && n[text[lo:hi]] == "" &&
			!isAddress(text[lo:hi]) {
			hi--
		}
		word := text[lo:hi]
		if x, y, ok := pair(word); ok {
			out = append(out, Token{lo + x.Lo, lo + x.Hi, x.Kind}, Token{lo + y.Lo, lo + y.Hi, y.Kind})
		} else {
			out = append(out, Token{lo, hi, n.kind(word, before)})
		}
		before, lo = strings.ToLower(word), next
	}
	return out
}

// kind says what a word is, with the one before it.
func (n names) kind(word, before string) TokenKind {
	switch bare := strings.Trim(word, "[]*>"); {
	case secretAfter[before]:
		return SecretToken
	case isAddress(bare):
		return AddressToken
	case isPrefix(bare):
		return PrefixToken
	case n[word] != "":
		return n[word]
	case n[bare] != "":
		return n[bare]
	case isHardware(bare):
		return HardwareToken
	case ages.MatchString(bare):
		return AgeToken
	case before == "metric" && isDigits(bare):
		return MetricToken
	case (before == "distance" || before == "preference") && isDigits(bare):
		return PreferenceToken
	case protocolOfWord[strings.ToLower(bare)]:
		return ProtocolToken
	}
	return WordToken
}

// pair parts "[PREFERENCE/METRIC]" and "*[PROTOCOL/PREFERENCE]".
func pair(word string) (x, y Token, ok bool) {
	open := strings.IndexByte(word, '[')
	inner, closed := strings.CutSuffix(word[max(open, 0):], "]")
	first, second, parted := strings.Cut(strings.TrimPrefix(inner, "["), "/")
	if open < 0 || !closed || !parted || !isDigits(second) {
		return x, y, false
	}
	slash := open + 1 + len(first)
	x, y = Token{open + 1, slash, PreferenceToken}, Token{slash + 1, slash + 1 + len(second), MetricToken}
	if protocolOfWord[strings.ToLower(first)] {
		x.Kind, y.Kind = ProtocolToken, PreferenceToken
		return x, y, true
	}
	return x, y, isDigits(first)
}

func isDigits(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }

func isAddress(s string) bool {
	_, err := netip.ParseAddr(s)
	return err == nil
}

// shortPrefix is how some layouts print a prefix of whole bytes.
var shortPrefix = lazyregexp.New(`^\d{1,3}(?:\.\d{1,3}){1,2}/\d{1,2}$`)

func isPrefix(s string) bool {
	addr, _, ok := strings.Cut(s, "/")
	if !ok || !layout.LooksLikeAddress([]byte(addr)) {
		return shortPrefix.MatchString(s)
	}
	_, err := layout.Prefix([]byte(s), true)
	return err == nil
}

// isHardware tells link-layer addresses: six pairs, or three groups of four, of hexadecimal digits.
func isHardware(s string) bool {
	hex := 0
	for _, c := range s {
		switch {
		case c >= '0' && c <= '9', c >= 'a' && c <= 'f', c >= 'A' && c <= 'F':
			hex++
		case c != ':' && c != '-' && c != '.':
			return false
		}
	}
	return hex == 12 && (len(s) == 17 || len(s) == 14)
}
