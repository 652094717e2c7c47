package layout

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// Documents reads JSON documents one after the other: read gets a decoder and where its document begins. What follows
// an error is unread; an end in the middle is told as such.
func (c *Collector) Documents(text []byte, read func(dec *json.Decoder, lo int) error) {
	for lo := 0; ; {
		for lo < len(text) && bytes.IndexByte([]byte(" \t\r\n"), text[lo]) >= 0 {
			lo++
		}
		if lo == len(text) {
			break
		}
		dec := json.NewDecoder(bytes.NewReader(text[lo:]))
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
			c.Span(at, len(text), fmt.Errorf("not valid JSON from here on: %w", err))
			break
		}
		lo += int(dec.InputOffset())
	}
	c.Account(text)
}
