package cli

import (
	"errors"
	"io"
	"os"
	"syscall"

	"zarvek/internal/source"
)

// exitClosed is the exit code where whoever reads the output has gone, as shells count a program that SIGPIPE ended.
const exitClosed = 141

// output is where a command writes. It remembers the first failure, so that no command can lose it: an answer that
// was not written is no answer.
type output struct {
	to  io.Writer
	err error
}

func (o *output) Write(b []byte) (int, error) {
	if o.err != nil {
		return 0, o.err
	}
	n, err := o.to.Write(b)
	if err == nil && n < len(b) {
		err = io.ErrShortWrite
	}
	o.err = err
	return n, err
}

// file returns the file that is written to, nil where it is none.
func (o *output) file() *os.File {
	f, _ := o.to.(*os.File)
	return f
}

// notWritten is an answer that could not be written.
type notWritten struct{ cause error }

func (e *notWritten) Error() string {
	return "the output could not be written: " + source.Cause(e.cause).Error() + "; what is there is not whole"
}

// closedPipe reports whether the reader of the output has gone, as head does when it has seen enough.
func closedPipe(err error) bool {
	return errors.Is(err, syscall.EPIPE) || errors.Is(err, io.ErrClosedPipe)
}
