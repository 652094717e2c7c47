package yang

import (
	"bytes"
	"strings"

	"zarvek/internal/lazyregexp"
)

// Devices print these documents in a small part of XML: elements, attributes and text in ASCII, and nothing else. Of
// that part the tree is made here, several times faster than by way of package xml's tokens; anything else is left to
// that.

// prolog is the declaration that such a document may begin with.
var prolog = lazyregexp.New(`^<\?xml version=(?:"1\.0"|'1\.0')(?: encoding=(?:"(?:UTF|utf)-8"|'(?:UTF|utf)-8'))? ?\?>`)

// plainXML reads a document of that part of XML that is whole; false for any other text.
func plainXML(text []byte) (root *node, ok bool) {
	p := plainParser{text: text, at: len(prolog.Find(text)), likes: newLikes()}
	root = &node{}
	stack, names := []*node{root}, [][]byte{nil} // the open elements, and what they are called
	for p.at < len(text) {
		segment, plain := p.segment()
		top := stack[len(stack)-1]
		if !plain || len(segment) > 0 && (len(stack) == 1 || top.text != "" || len(top.children) > 0) {
			return nil, false // text beside elements
		}
		if len(segment) > 0 {
			top.text = string(segment)
		}
		if p.at == len(text) {
			break
		}
		lo := p.at
		if p.at++; p.at < len(text) && text[p.at] == '/' {
			p.at++
			if name := p.name(); len(stack) == 1 || !bytes.Equal(name, names[len(names)-1]) || !p.closes() {
				return nil, false
			}
			if top.hi = p.at; mayBeAlike[top.name] {
				p.likes.keepElement(top, text)
			}
			stack, names = stack[:len(stack)-1], names[:len(names)-1]
			continue
		}
		name := p.name()
		if name == nil || len(stack) > maxDepth || top.text != "" {
			return nil, false
		}
		n := &node{name: p.local(name), lo: lo}
		if mayBeAlike[n.name] && p.likes.seen.Some() {
			if size := p.likes.route(text[lo:]); size > 0 && p.likes.takes(top, n.name, text, lo, lo+size) {
				p.at = lo + size
				continue
			}
		}
		top.children = append(top.children, n)
		switch p.attributes() {
		case open:
			stack, names = append(stack, n), append(names, name)
		case empty:
			n.hi = p.at
		default:
			return nil, false
		}
	}
	return root, len(stack) == 1
}

// plainParser goes through such a text.
type plainParser struct {
	text  []byte
	at    int
	known map[string]string // local names by names as they stand: there are few of them
	likes likes
}

// segment reads the text up to the next tag, without blanks around it; false where it is none of that part.
func (p *plainParser) segment() (segment []byte, plain bool) {
	rest := p.text[p.at:]
	if i := bytes.IndexByte(rest, '<'); i >= 0 {
		rest = rest[:i]
	}
	p.at += len(rest)
	for _, c := range rest {
		if c >= 0x7f || c < ' ' && c != '\n' && c != '\t' || c == '&' || c == ']' {
			return nil, false
		}
	}
	return bytes.Trim(rest, " \t\n"), true
}

// name reads a name with at most one prefix; nil where there is none.
func (p *plainParser) name() []byte {
	from, colons := p.at, 0
	for ; p.at < len(p.text); p.at++ {
		switch c := p.text[p.at]; {
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c == '_':
		case (c >= '0' && c <= '9' || c == '-' || c == '.') && p.at > from && p.text[p.at-1] != ':':
		case c == ':' && p.at > from && colons == 0:
			colons++
		default:
			if p.at == from || p.text[p.at-1] == ':' {
				return nil
			}
			return p.text[from:p.at]
		}
	}
	return nil
}

// local is a name without its prefix.
func (p *plainParser) local(name []byte) string {
	s, ok := p.known[string(name)]
	if !ok {
		if p.known == nil {
			p.known = map[string]string{}
		}
		s = strings.Clone(localName(string(name)))
		p.known[string(name)] = s
	}
	return s
}

// How a start tag ends. The zero tagEnd is in no way of that part.
type tagEnd uint8

const (
	_     tagEnd = iota
	open         // its element goes on
	empty        // it is the whole element
)

// attributes reads the rest of a start tag.
func (p *plainParser) attributes() tagEnd {
	for {
		blanks := p.at
		for p.at < len(p.text) && (p.text[p.at] == ' ' || p.text[p.at] == '\n' || p.text[p.at] == '\t') {
			p.at++
		}
		switch rest := p.text[p.at:]; {
		case len(rest) > 0 && rest[0] == '>':
			p.at++
			return open
		case bytes.HasPrefix(rest, []byte("/>")):
			p.at += 2
			return empty
		case p.at == blanks || p.name() == nil || p.at == len(p.text) || p.text[p.at] != '=' || !p.quoted():
			return 0
		}
	}
}

// quoted reads the value of an attribute behind its "=".
func (p *plainParser) quoted() bool {
	p.at++
	if p.at >= len(p.text) || p.text[p.at] != '"' && p.text[p.at] != '\'' {
		return false
	}
	sign := p.text[p.at]
	for p.at++; p.at < len(p.text); p.at++ {
		switch c := p.text[p.at]; {
		case c == sign:
			p.at++
			return true
		case c < ' ' || c >= 0x7f || c == '<' || c == '&':
			return false
		}
	}
	return false
}

// closes reads the end of an end tag.
func (p *plainParser) closes() bool {
	if p.at < len(p.text) && p.text[p.at] == '>' {
		p.at++
		return true
	}
	return false
}
