package yang

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"zarvek/internal/capture/layout"
)

// node is an element of a document, JSON or XML alike: lists are children of one name.
type node struct {
	name     string // without the module's prefix
	text     string
	children []*node
	lo, hi   int  // hi is 0 where the document ends inside
	own      *own // for a route like one before, whose children are its own otherwise
	alikes   *alikes
}

// maxDepth is deeper than any of the models goes.
const maxDepth = 64

var errDepth = errors.New("nested deeper than any of the models")

// child returns the first child of that name, or nil; it may be called on nil.
func (n *node) child(name string) *node {
	if n == nil {
		return nil
	}
	if n.own != nil {
		c := n.own.like.child(name)
		for i, own := range ownNames {
			if own == name && c != nil {
				return &node{name: name, text: string(n.own.values[i]), lo: n.lo, hi: n.hi}
			}
		}
		return c
	}
	for _, c := range n.children {
		if c.name == name {
			return c
		}
	}
	return nil
}

// at follows a path of names.
func (n *node) at(path ...string) *node {
	for _, p := range path {
		n = n.child(p)
	}
	return n
}

// value returns the text of a child, "" where there is none.
func (n *node) value(path ...string) string {
	if c := n.at(path...); c != nil {
		return c.text
	}
	return ""
}

// all returns the whole children of that name.
func (n *node) all(name string) []*node {
	var out []*node
	if n != nil {
		for _, c := range n.children {
			if c.name == name && c.hi > 0 {
				out = append(out, c)
			}
		}
	}
	return out
}

// find visits every node of that name; routes have none inside that is looked for.
func (n *node) find(name string, visit func(*node)) {
	for _, c := range n.children {
		switch c.name {
		case name:
			visit(c)
		case "route":
		default:
			c.find(name, visit)
		}
	}
}

// wholes are what is read as a whole, or not at all.
var wholes = layout.WordSet("route ipv4-entry ipv6-entry interface next-hop next-hop-group")

// brokenOff is where the outermost of them begins in which the document ends, at where it ends in none.
func (n *node) brokenOff(at int) int {
	for len(n.children) > 0 {
		if n = n.children[len(n.children)-1]; n.hi > 0 {
			break
		}
		if wholes[n.name] {
			return n.lo
		}
	}
	return at
}

func localName(s string) string { return s[strings.LastIndexByte(s, ':')+1:] }

// parseJSON reads the JSON documents of a text (RFC 7951) as one tree. On an error the tree holds what came before;
// within tells that a document had begun.
func parseJSON(text []byte) (root *node, at int, within bool, err error) {
	root = &node{}
	p := jsonParser{text: text, names: map[string]string{}, likes: newLikes()}
	for at < len(text) {
		for at < len(text) && bytes.IndexByte([]byte(" \t\r\n"), text[at]) >= 0 {
			at++
		}
		if at == len(text) {
			return root, at, false, nil
		}
		p.d, p.base = layout.ByPassing(text[at:]), at
		err := p.value(root, "", 0)
		at = p.offset()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = io.ErrUnexpectedEOF
			}
			return root, at, p.d.InputOffset() > 0 || errors.Is(err, io.ErrUnexpectedEOF), layout.Fault(err)
		}
	}
	return root, at, false, nil
}

type jsonParser struct {
	d     *layout.Tokens
	base  int
	text  []byte
	likes likes
	names map[string]string // without the module's prefix, by all of them as they stand in the text
}

func (p *jsonParser) offset() int { return p.base + int(p.d.InputOffset()) }

// value adds what comes next to parent under a name: each element of an array, the members of an object below a node.
func (p *jsonParser) value(parent *node, name string, depth int) error {
	if depth > maxDepth {
		return errDepth
	}
	before := p.offset()
	switch p.d.PeekKind() {
	case '[':
		if _, err := p.d.ReadToken(); err != nil {
			return err
		}
		for p.d.PeekKind() != ']' {
			if err := p.value(parent, name, depth+1); err != nil {
				return err
			}
			if mayBeAlike[name] {
				if err := p.passAlike(parent, name); err != nil {
					return err
				}
			}
		}
		_, err := p.d.ReadToken()
		return err
	case '{':
		if _, err := p.d.ReadToken(); err != nil {
			return err
		}
		n := &node{name: name, lo: p.offset() - 1}
		parent.children = append(parent.children, n)
		for p.d.PeekKind() != '}' {
			key, err := p.name()
			if err != nil {
				return err
			}
			if err := p.value(n, key, depth+1); err != nil {
				return err
			}
		}
		_, err := p.d.ReadToken()
		if n.hi = p.offset(); err == nil && mayBeAlike[name] {
			p.likes.keepObject(n, p.text)
		}
		return err
	}
	t, err := p.d.ReadToken()
	if err != nil {
		return err
	}
	n := &node{name: name, lo: before, hi: p.offset()}
	if t.Kind() != 'n' {
		n.text = t.String()
	}
	parent.children = append(parent.children, n)
	return nil
}

// passAlike adds the routes that follow in a list as long as their like was parsed.
func (p *jsonParser) passAlike(parent *node, name string) error {
	rest, at := p.d.Rest(), p.offset()
	behind, n := 0, 0
	for p.likes.seen.Some() {
		lo := layout.NextElement(rest, behind)
		if lo < 0 {
			break
		}
		size := p.likes.route(p.text[at+lo:])
		if size == 0 || !p.likes.takes(parent, name, p.text, at+lo, at+lo+size) {
			break
		}
		behind = lo + size
		n++
	}
	return p.d.PassElements(n, behind)
}

// name reads the name of a member. There are few of them.
func (p *jsonParser) name() (string, error) {
	raw, err := p.d.ReadValue()
	if err != nil {
		return "", err
	}
	name, known := p.names[string(raw)]
	if !known {
		plain, _ := jsontext.AppendUnquote(nil, raw)
		name = localName(string(plain))
		p.names[string(raw)] = name
	}
	return name, nil
}

// parseXML reads an XML document as a tree. No entity but XML's own five is known, and nothing is ever fetched.
func parseXML(text []byte) (root *node, at int, within bool, err error) {
	if root, ok := plainXML(text); ok {
		return root, len(text), false, nil
	}
	return anyXML(text)
}

// anyXML is parseXML by package xml.
func anyXML(text []byte) (root *node, at int, within bool, err error) {
	root = &node{}
	d := xml.NewDecoder(bytes.NewReader(text))
	stack := []*node{root}
	for {
		lo := int(d.InputOffset())
		t, err := d.Token()
		if errors.Is(err, io.EOF) && len(stack) == 1 {
			return root, len(text), false, nil
		}
		if err != nil {
			return root, lo, len(stack) > 1, err
		}
		top := stack[len(stack)-1]
		switch t := t.(type) {
		case xml.StartElement:
			if len(stack) > maxDepth {
				return root, lo, true, errDepth
			}
			n := &node{name: t.Name.Local, lo: lo}
			top.children = append(top.children, n)
			stack = append(stack, n)
		case xml.EndElement:
			top.hi = int(d.InputOffset())
			top.text = strings.TrimSpace(top.text)
			stack = stack[:len(stack)-1]
		case xml.CharData:
			if len(top.text) < 1000 {
				top.text += string(t)
			}
		case xml.Directive:
			return root, lo, true, errors.New("a document type declaration, which these documents do not have")
		}
	}
}
