package layout

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// A Decoder is a reader of JSON, of package json or jsontext.
type Decoder interface{ InputOffset() int64 }

// Documents reads JSON documents one after the other: read gets a decoder and where its document begins. What follows
// an error is unread; an end in the middle is told as such.
func Documents[D Decoder](c *Collector, text []byte, open func([]byte) D, read func(dec D, lo int) error) {
	for lo := 0; ; {
		for lo < len(text) && bytes.IndexByte([]byte(" \t\r\n"), text[lo]) >= 0 {
			lo++
		}
		if lo == len(text) {
			break
		}
		dec := open(text[lo:])
		if err := read(dec, lo); err != nil {
			at := lo
			if n := len(c.Spans); n > 0 {
				at = max(at, c.Spans[n-1].Hi)
			}
			ended := errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF)
			if ended || dec.InputOffset() > 0 { // the document had begun: what it would have said behind is not read
				c.CutLast()
			}
			if ended {
				err = ErrCut
			}
			c.Span(at, len(text), fmt.Errorf("not valid JSON from here on: %w", Fault(err)))
			break
		}
		lo += int(dec.InputOffset())
	}
	c.Account(text)
}

// ByJSON opens a text with package json.
func ByJSON(text []byte) *json.Decoder { return json.NewDecoder(bytes.NewReader(text)) }

// Tolerant are the options with which a capture is decoded: a device may write a name twice, and signs that are no
// UTF-8.
var Tolerant = jsonv2.JoinOptions(jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))

// ByTokens opens a text with package jsontext, which is several times faster. The text is not changed.
func ByTokens(text []byte) *jsontext.Decoder {
	return jsontext.NewDecoder(bytes.NewBuffer(text[:len(text):len(text)]), Tolerant)
}

// Tokens is a decoder that can pass by a part of its text whose meaning is known already.
type Tokens struct {
	*jsontext.Decoder
	text []byte
	lead int64 // what the text of the decoder is behind the same place in text
}

// ByPassing opens a text with package jsontext, to pass by parts of it.
func ByPassing(text []byte) *Tokens { return &Tokens{Decoder: ByTokens(text), text: text} }

// InputOffset is how far the text was read or passed by.
func (t *Tokens) InputOffset() int64 { return t.Decoder.InputOffset() + t.lead }

// Rest is what was not read yet.
func (t *Tokens) Rest() []byte { return t.text[t.InputOffset():] }

// Pass goes on behind n bytes of the rest: whole elements or members, with the commas in front of them, of the array or
// object that is being read, which has some before them.
func (t *Tokens) Pass(n int) error {
	var around []byte // what opens the arrays and objects anew, as far as something in each
	tokens := 0
	for i := 1; i <= t.StackDepth(); i++ {
		if kind, _ := t.StackIndex(i); kind == '{' {
			around = append(around, `{"":`...)
			tokens++
		} else {
			around = append(around, '[')
		}
		tokens++
	}
	around = append(around, `""`...)
	rest := t.Rest()[n:]
	d := jsontext.NewDecoder(io.MultiReader(bytes.NewReader(around), bytes.NewReader(rest)), Tolerant)
	for range tokens + 1 {
		if _, err := d.ReadToken(); err != nil {
			return err
		}
	}
	t.Decoder, t.lead = d, int64(len(t.text)-len(rest)-len(around))
	return nil
}

// fewElements is how many are skipped one by one rather than passed by.
const fewElements = 16

// PassElements passes by n elements of the array that is being read, n bytes of the rest in all.
func (t *Tokens) PassElements(elements, n int) error {
	if elements > fewElements {
		return t.Pass(n)
	}
	for range elements {
		if err := t.SkipValue(); err != nil {
			return err
		}
	}
	return nil
}

// NextElement is where the next element or member begins in what follows one that ends at i: behind a comma. It is
// negative where there is none.
func NextElement(text []byte, i int) int {
	return after(text, i, ',')
}

// OnlyElement is where the element of an array begins that stands at i, -1 where none stands there.
func OnlyElement(text []byte, i int) int { return after(text, i, '[') }

// EndsArray is behind an array whose last element ends at i, -1 where another one follows.
func EndsArray(text []byte, i int) int {
	if i = skipBlanks(text, i); i == len(text) || text[i] != ']' {
		return -1
	}
	return i + 1
}

// NextMember is where the value of the next member begins in what follows a member that ends at i. It is negative where
// there is none with a plain name.
func NextMember(text []byte, i int) int {
	if i = NextElement(text, i); i < 0 || i == len(text) || text[i] != '"' {
		return -1
	}
	if i = valueEnds(text, i+1, true); i < 0 || i == len(text) {
		return -1
	}
	return after(text, i+1, ':')
}

// after is behind a sign, with blanks around it, that stands at i; -1 where it does not.
func after(text []byte, i int, sign byte) int {
	if i < 0 {
		return -1
	}
	if i = skipBlanks(text, i); i == len(text) || text[i] != sign {
		return -1
	}
	return skipBlanks(text, i+1)
}

// Fault is what is wrong with a document, without where.
func Fault(err error) error {
	if bad := (*jsontext.SyntacticError)(nil); errors.As(err, &bad) {
		return bad.Err
	}
	return err
}

// Unfit words what in a value does not fit the type that it was decoded into; nil for other errors.
func Unfit(err error) error {
	bad := (*jsonv2.SemanticError)(nil)
	if !errors.As(err, &bad) {
		return nil
	}
	kind := bad.JSONKind.String()
	if bad.JSONKind == '0' {
		kind += " " + string(bad.JSONValue)
	}
	var names []string
	for name := range bad.JSONPointer.Tokens() {
		if strings.Trim(name, "0123456789") != "" { // else a place in a list
			names = append(names, name)
		}
	}
	return fmt.Errorf("%w: %s in %q", ErrNumber, kind, strings.Join(names, "."))
}

func skipBlanks(b []byte, i int) int {
	for i < len(b) && (b[i] == ' ' || b[i] == '\t' || b[i] == '\n' || b[i] == '\r') {
		i++
	}
	return i
}
