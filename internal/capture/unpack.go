package capture

import (
	"errors"

	"zarvek/internal/source"
)

var errExpands = errors.New("unpacks to more than 1 GiB, which is refused; unpack it yourself if it is meant to")

// unpack returns the contents of a compressed file, and anything else as it is.
func unpack(raw []byte) ([]byte, error) {
	out, err := source.Unpack(raw, source.MaxUnpacked)
	if errors.Is(err, source.ErrBudget) {
		err = errExpands
	}
	return out, err
}
