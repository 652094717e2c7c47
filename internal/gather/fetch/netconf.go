package fetch

import (
	"bufio"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"

	"zarvek/internal/gather/record"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

// Words of NETCONF: the end of a message in its first framing and the capability of the second (RFC 6242 sections 4.2,
// 4.3).
const (
	endOfMessage = "]]>]]>"
	base11       = "urn:ietf:params:netconf:base:1.1"
)

const hello = `<?xml version="1.0" encoding="UTF-8"?>` +
	`<hello xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><capabilities>` +
	`<capability>urn:ietf:params:netconf:base:1.0</capability><capability>` + base11 +
	`</capability></capabilities></hello>`

// getAll asks for the state of interfaces with their addresses and neighbours, and of routing (RFC 8343, 8344, 8349),
// in one message, so that all of it is of one moment.
const getAll = `<get><filter type="subtree"><interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"/>` +
	`<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"/></filter></get>`

// netconf asks for all state with one get, which every server must answer (RFC 6241 section 7.7).
func (f *Fetcher) netconf(ctx context.Context, t target.Target, at func(string)) (Reading, error) {
	client, done, err := f.Dialer.Dial(ctx, t)
	if err != nil {
		return Reading{}, err
	}
	defer done()
	stop := context.AfterFunc(ctx, func() { client.Close() })
	defer stop()
	slow := f.opening(client)
	n, err := openNetconf(client, f.longest())
	slow.Stop()
	if err != nil {
		return Reading{}, err
	}
	defer n.channel.Close()
	if err := n.hello(); err != nil {
		return Reading{}, err
	}
	at("get")
	start := time.Now()
	reply, err := n.call(1, getAll)
	if err != nil {
		return Reading{}, fmt.Errorf("get: %w", err)
	}
	c := record.Command{Command: "get", Purpose: "routes", Start: moment(start), End: moment(time.Now()),
		Bytes: len(reply)}
	var doc struct {
		Errors []struct {
			Message string `xml:"error-message"`
			Tag     string `xml:"error-tag"`
		} `xml:"rpc-error"`
		Data struct {
			Routing *struct{} `xml:"routing"`
		} `xml:"data"`
	}
	switch err := xml.Unmarshal(reply, &doc); {
	case err != nil:
		return Reading{}, errors.New("its answer to get is no whole XML")
	case len(doc.Errors) > 0:
		return Reading{}, final("does not take get: %s: %q", doc.Errors[0].Tag, shorten(doc.Errors[0].Message))
	case doc.Data.Routing == nil:
		return Reading{}, final("has no data of RFC 8349 (ietf-routing); gather it by another way")
	}
	_, _ = n.call(2, "<close-session/>")
	return Reading{Family: "netconf", Files: []File{{"netconf.xml", append(reply, '\n')}},
		Commands: []record.Command{c}}, nil
}

// netconf is one session.
type netconf struct {
	channel *ssh.Session
	in      *bufio.Reader
	out     io.Writer
	chunked bool
	wait    time.Duration
}

// openNetconf opens the subsystem (RFC 6242); a server that refuses it is asked no second time.
func openNetconf(client *ssh.Client, wait time.Duration) (*netconf, error) {
	ch, err := client.NewSession()
	if err != nil {
		return nil, fmt.Errorf("opens no session: %w", err)
	}
	in, err := ch.StdoutPipe()
	out, err2 := ch.StdinPipe()
	if err = errors.Join(err, err2); err == nil {
		err = ch.RequestSubsystem("netconf")
	}
	if err != nil {
		ch.Close()
		return nil, final("speaks no NETCONF on this port")
	}
	return &netconf{channel: ch, in: bufio.NewReaderSize(in, 64<<10), out: out, wait: wait}, nil
}

// hello exchanges what both can do.
func (n *netconf) hello() error {
	if _, err := io.WriteString(n.out, hello+endOfMessage); err != nil {
		return terminal.ErrCutOff
	}
	theirs, err := n.read()
	if err != nil {
		return fmt.Errorf("hello: %w", err)
	}
	n.chunked = bytes.Contains(theirs, []byte(base11))
	if !bytes.Contains(theirs, []byte("urn:ietf:params:netconf:base:1.")) {
		return errors.New("says no hello of NETCONF")
	}
	return nil
}

// call sends one message and returns the reply to it.
func (n *netconf) call(id int, what string) ([]byte, error) {
	m := fmt.Sprintf(`<?xml version="1.0" encoding="UTF-8"?>`+
		`<rpc xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="%d">%s</rpc>`, id, what)
	if n.chunked {
		m = fmt.Sprintf("\n#%d\n%s\n##\n", len(m), m)
	} else {
		m += endOfMessage
	}
	if _, err := io.WriteString(n.out, m); err != nil {
		return nil, terminal.ErrCutOff
	}
	return n.read()
}

// read returns one message, within the time that a device has.
func (n *netconf) read() ([]byte, error) {
	slow := time.AfterFunc(n.wait, func() { n.channel.Close() })
	defer slow.Stop()
	m, err := n.message()
	if err != nil && !slow.Stop() {
		return nil, fmt.Errorf("%w: no whole answer in %v", terminal.ErrTooLong, n.wait)
	}
	return m, err
}

func (n *netconf) message() ([]byte, error) {
	if n.chunked {
		return readChunks(n.in, maxOutput)
	}
	return readToEnd(n.in, maxOutput)
}

// readToEnd reads a message of the first framing.
func readToEnd(r *bufio.Reader, most int) ([]byte, error) {
	var out bytes.Buffer
	for {
		part, err := r.ReadSlice('>')
		out.Write(part)
		if err != nil && !errors.Is(err, bufio.ErrBufferFull) {
			return nil, terminal.ErrCutOff
		}
		if out.Len() > most {
			return nil, terminal.ErrTooMuch
		}
		if bytes.HasSuffix(out.Bytes(), []byte(endOfMessage)) {
			return bytes.TrimSpace(bytes.TrimSuffix(out.Bytes(), []byte(endOfMessage))), nil
		}
	}
}

var errFraming = errors.New("its chunks are not those of RFC 6242")

// readChunks reads a message of the second framing.
func readChunks(r *bufio.Reader, most int) ([]byte, error) {
	var out bytes.Buffer
	for {
		if c, err := r.ReadByte(); err != nil {
			return nil, terminal.ErrCutOff
		} else if c != '\n' {
			return nil, errFraming
		}
		head, err := r.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			return nil, errFraming
		}
		if err != nil {
			return nil, terminal.ErrCutOff
		}
		size, ok := strings.CutPrefix(strings.TrimSuffix(string(head), "\n"), "#")
		switch n, err := strconv.ParseUint(size, 10, 32); {
		case ok && size == "#" && out.Len() > 0:
			return out.Bytes(), nil
		case !ok || err != nil || n == 0 || size[0] == '0' || size[0] == '+':
			return nil, errFraming
		case out.Len()+int(n) > most:
			return nil, terminal.ErrTooMuch
		default:
			if _, err := io.CopyN(&out, r, int64(n)); err != nil {
				return nil, terminal.ErrCutOff
			}
		}
	}
}
