package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"time"

	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/record"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

// A resource is one piece of what a RESTCONF server has (RFC 8040 section 3.5).
type resource struct {
	name   string
	needed bool
	paths  []string // the first that is there counts
}

// resources are those of RFC 8349 and 8343, else what their predecessors had.
var resources = []resource{
	{"routing", true, []string{"ietf-routing:routing", "ietf-routing:routing-state"}},
	{"interfaces", false, []string{"ietf-interfaces:interfaces", "ietf-interfaces:interfaces-state"}},
}

// restconf finds the root (RFC 8040 section 3.1) and asks for what is known to hold routes and interfaces.
func (f *Fetcher) restconf(ctx context.Context, t target.Target, at func(string)) (Reading, error) {
	if t.User == "" {
		return Reading{}, final("no user is named for it; write user: in devices.yaml, or restconf://USER@HOST")
	}
	password, settle, err := f.Secrets.For(t.Name, secrets.Password, fmt.Sprintf("Password of %s: ", t.User))
	if err != nil {
		return Reading{}, final("wants a password of %s, and none is known; give one with -secrets, or gather from a "+
			"terminal", t.User)
	}
	taken := secrets.Untold
	defer func() { settle(taken) }()
	client, err := f.secure(t)
	if err != nil {
		return Reading{}, &reach.Refusal{Err: err}
	}
	defer client.CloseIdleConnections()
	s := &web{client, "https://" + t.Endpoint(), t.User, password, f.longest()}
	at("finding its root")
	root, err := s.root(ctx)
	if err != nil {
		return Reading{}, err
	}
	r := Reading{Family: "restconf"}
	for _, x := range resources {
		found := false
		for _, p := range x.paths {
			at("GET " + p)
			start := time.Now()
			body, status, err := s.get(ctx, root+"/data/"+p, "application/yang-data+json")
			if err != nil {
				return Reading{}, fmt.Errorf("GET %s: %w", p, err)
			}
			c := record.Command{Command: "GET " + p, Purpose: x.name, Start: moment(start), End: moment(time.Now()),
				Bytes: len(body)}
			switch {
			case status == http.StatusUnauthorized || status == http.StatusForbidden:
				taken = secrets.Refused
				return Reading{}, final("does not take the password of %s for %s (status %d)", t.User, p, status)
			case status != http.StatusOK:
				c.Refused = fmt.Sprintf("status %d %s", status, http.StatusText(status))
			case !json.Valid(body):
				return Reading{}, fmt.Errorf("GET %s: its answer is no whole JSON", p)
			default:
				found, taken = true, secrets.Taken
				r.Files = append(r.Files, File{"restconf-" + x.name + ".json", append(body, '\n')})
			}
			r.Commands = append(r.Commands, c)
			if found {
				break
			}
		}
		if x.needed && !found {
			return Reading{}, final("has no data of RFC 8349 (ietf-routing); gather it by another way")
		}
	}
	return r, nil
}

// secure makes a client that trusts the system's certificates, or those of the device's own file, and no others.
func (f *Fetcher) secure(t target.Target) (*http.Client, error) {
	c := &tls.Config{MinVersion: tls.VersionTLS12}
	if t.Trust != "" {
		b, err := os.ReadFile(t.Trust)
		if err != nil {
			return nil, fmt.Errorf("its certificates (trust: %s) cannot be read", t.Trust)
		}
		c.RootCAs = x509.NewCertPool()
		if !c.RootCAs.AppendCertsFromPEM(b) {
			return nil, fmt.Errorf("%s holds no certificate", t.Trust)
		}
	}
	return &http.Client{
		Transport: &http.Transport{TLSClientConfig: c, Proxy: nil, DisableCompression: false, ForceAttemptHTTP2: true},
		Timeout:   f.longest(),
		CheckRedirect: func(*http.Request, []*http.Request) error {
			return http.ErrUseLastResponse // a password goes to the device that was named
		},
	}, nil
}

// web asks one RESTCONF server. It sends GET and nothing else.
type web struct {
	client         *http.Client
	base           string
	user, password string
	wait           time.Duration
}

// get asks for one resource; an answer that is cut off or too large is an error, never half an answer.
func (s *web) get(ctx context.Context, path, accept string) ([]byte, int, error) {
	q, err := http.NewRequestWithContext(ctx, http.MethodGet, s.base+path, nil)
	if err != nil {
		return nil, 0, err
	}
	q.SetBasicAuth(s.user, s.password)
	q.Header.Set("Accept", accept)
	a, err := s.client.Do(q)
	if err != nil {
		return nil, 0, s.word(ctx, err)
	}
	defer a.Body.Close()
	body, err := io.ReadAll(io.LimitReader(a.Body, maxOutput+1))
	switch {
	case err != nil:
		return nil, 0, terminal.ErrCutOff
	case len(body) > maxOutput:
		return nil, 0, terminal.ErrTooMuch
	}
	return body, a.StatusCode, nil
}

// word makes one line of what went wrong.
func (s *web) word(ctx context.Context, err error) error {
	var unknown x509.UnknownAuthorityError
	var name x509.HostnameError
	var invalid x509.CertificateInvalidError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &unknown):
		return final("its certificate is signed by nobody who is trusted; give the signer's with trust: FILE")
	case errors.As(err, &name), errors.As(err, &invalid):
		return final("its certificate does not hold for it: %w", errors.Unwrap(err))
	case os.IsTimeout(err):
		return fmt.Errorf("no whole answer in %v", s.wait)
	}
	if u := errors.Unwrap(err); u != nil {
		return fmt.Errorf("no connection: %w", u)
	}
	return err
}

// hostMeta is the document that tells where a server keeps its data.
const hostMeta = "/.well-known/host-meta"

// root finds where the server keeps its data (RFC 8040 section 3.1).
func (s *web) root(ctx context.Context) (string, error) {
	body, status, err := s.get(ctx, hostMeta, "application/xrd+xml")
	if err != nil {
		return "", err
	}
	var doc struct {
		Links []struct {
			Rel  string `xml:"rel,attr"`
			Href string `xml:"href,attr"`
		} `xml:"Link"`
	}
	if status == http.StatusOK && xml.Unmarshal(body, &doc) == nil {
		for _, l := range doc.Links {
			if l.Rel == "restconf" && strings.HasPrefix(l.Href, "/") && !strings.HasPrefix(l.Href, "//") {
				return strings.TrimSuffix(l.Href, "/"), nil
			}
		}
	}
	return "/restconf", nil // what servers without the document have
}
