package layout

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Documents reads JSON documents one after the other: read gets a decoder and where its document begins. What follows
// an error is unread; an end in the middle is told as such.
func Documents(c *Collector, text []byte, read func(dec *Tokens, lo int) error) {
	for lo := 0; ; {
		for lo < len(text) && bytes.IndexByte([]byte(" \t\r\n"), text[lo]) >= 0 {
			lo++
		}
		if lo == len(text) {
			break
		}
		dec := ByPassing(text[lo:])
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

// Tolerant are the options with which a capture is decoded: a device may write a name twice, and signs that are no
// UTF-8.
var Tolerant = jsonv2.JoinOptions(jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))

// ByTokens opens a text with package jsontext, which is several times faster. The text is not changed.
func ByTokens(text []byte) *jsontext.Decoder {
	return jsontext.NewDecoder(bytes.NewBuffer(text[:len(text):len(text)]), Tolerant)
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
