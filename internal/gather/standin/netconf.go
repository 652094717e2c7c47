package standin

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"sync"
)

// Netconf is a server of RFC 6241 over the framing of RFC 6242.
type Netconf struct {
	Chunked bool   // offers base:1.1; else the older framing only
	Data    string // what stands within <data>
	Error   string // an rpc-error's message instead, "" for none
	Chunk   int    // bytes a chunk, 100 unless told otherwise

	mu       sync.Mutex
	received []string
}

// Received returns the messages that it was sent.
func (n *Netconf) Received() []string {
	n.mu.Lock()
	defer n.mu.Unlock()
	return append([]string(nil), n.received...)
}

const endOfMessage = "]]>]]>"

var messageID = regexp.MustCompile(`message-id="([^"]*)"`)

// Serve holds one session.
func (n *Netconf) Serve(stream io.ReadWriter) {
	hello := `<?xml version="1.0" encoding="UTF-8"?>` +
		`<hello xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><capabilities>` +
		`<capability>urn:ietf:params:netconf:base:1.0</capability>`
	if n.Chunked {
		hello += `<capability>urn:ietf:params:netconf:base:1.1</capability>`
	}
	_, _ = io.WriteString(stream, hello+`</capabilities><session-id>4</session-id></hello>`+endOfMessage)
	in := bufio.NewReader(stream)
	theirs, err := untilEnd(in)
	if err != nil {
		return
	}
	chunked := n.Chunked && strings.Contains(theirs, "base:1.1")
	for {
		var m string
		if chunked {
			m, err = chunks(in)
		} else {
			m, err = untilEnd(in)
		}
		if err != nil {
			return
		}
		n.mu.Lock()
		n.received = append(n.received, m)
		n.mu.Unlock()
		id := messageID.FindStringSubmatch(m)
		if id == nil {
			return
		}
		body := "<data>" + n.Data + "</data>"
		switch {
		case strings.Contains(m, "close-session"):
			body = "<ok/>"
		case n.Error != "":
			body = "<rpc-error><error-type>application</error-type><error-tag>access-denied</error-tag>" +
				"<error-severity>error</error-severity><error-message>" + n.Error + "</error-message></rpc-error>"
		}
		reply := fmt.Sprintf(`<?xml version="1.0" encoding="UTF-8"?>`+
			`<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="%s">%s</rpc-reply>`, id[1], body)
		if !chunked {
			_, err = io.WriteString(stream, reply+endOfMessage)
		} else {
			err = n.inChunks(stream, reply)
		}
		if err != nil {
			return
		}
	}
}

// inChunks writes a message in chunks.
func (n *Netconf) inChunks(w io.Writer, text string) error {
	size := n.Chunk
	if size == 0 {
		size = 100
	}
	var b bytes.Buffer
	for len(text) > 0 {
		k := min(size, len(text))
		fmt.Fprintf(&b, "\n#%d\n%s", k, text[:k])
		text = text[k:]
	}
	b.WriteString("\n##\n")
	_, err := w.Write(b.Bytes())
	return err
}

func untilEnd(r *bufio.Reader) (string, error) {
	var b strings.Builder
	for !strings.HasSuffix(b.String(), endOfMessage) {
		c, err := r.ReadByte()
		if err != nil {
			return "", err
		}
		b.WriteByte(c)
	}
	return strings.TrimSuffix(b.String(), endOfMessage), nil
}

// chunks reads a message in chunks (RFC 6242 section 4.2).
func chunks(r *bufio.Reader) (string, error) {
	var b strings.Builder
	for {
		if _, err := r.ReadString('\n'); err != nil { // the one before the sign
			return "", err
		}
		head, err := r.ReadString('\n')
		if err != nil {
			return "", err
		}
		head = strings.TrimSpace(head)
		if head == "##" {
			return b.String(), nil
		}
		size, err := strconv.Atoi(strings.TrimPrefix(head, "#"))
		if err != nil {
			return "", err
		}
		if _, err := io.CopyN(&b, r, int64(size)); err != nil {
			return "", err
		}
	}
}
