package capture

import (
	"bytes"
	"compress/bzip2"
	"errors"
	"fmt"
	"io"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

// MaxUnpacked is how large a compressed capture may be when unpacked.
const MaxUnpacked = 1 << 30

var errExpands = errors.New("unpacks to more than 1 GiB, which is refused; unpack it yourself if it is meant to")

// unpack returns the contents of a gzip, bzip2 or zstd file, and anything else as it is.
func unpack(raw []byte) ([]byte, error) {
	var r io.Reader
	var err error
	kind := ""
	switch {
	case bytes.HasPrefix(raw, []byte{0x1f, 0x8b}):
		kind = "gzip"
		r, err = gzip.NewReader(bytes.NewReader(raw))
	case bytes.HasPrefix(raw, []byte("BZh")) && len(raw) > 10 && raw[3] >= '1' && raw[3] <= '9' && bytes.HasPrefix(raw[4:], []byte{0x31, 0x41, 0x59, 0x26, 0x53, 0x59}):
		kind = "bzip2"
		r = bzip2.NewReader(bytes.NewReader(raw))
	case bytes.HasPrefix(raw, []byte{0x28, 0xb5, 0x2f, 0xfd}):
		kind = "zstd"
		d, e := zstd.NewReader(bytes.NewReader(raw), zstd.WithDecoderMaxMemory(MaxUnpacked), zstd.WithDecoderConcurrency(1))
		if e == nil {
			defer d.Close()
		}
		r, err = d, e
	default:
		return raw, nil
	}
	if err == nil {
		raw, err = io.ReadAll(io.LimitReader(r, MaxUnpacked+1))
	}
	switch {
	case err != nil:
		return nil, fmt.Errorf("not a whole %s file: %w; copy it again", kind, err)
	case len(raw) > MaxUnpacked:
		return nil, errExpands
	}
	return raw, nil
}
