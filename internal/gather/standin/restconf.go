package standin

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
)

// Restconf is a server of RFC 8040.
type Restconf struct {
	User, Password string
	Root           string            // where its data are, "/restconf" unless told otherwise
	Data           map[string]string // JSON by what stands behind ROOT/data/
	*httptest.Server

	mu       sync.Mutex
	received []string
}

// Received returns the methods and paths that it was asked for.
func (r *Restconf) Received() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]string(nil), r.received...)
}

// Listen starts it, with a certificate of its own.
func (r *Restconf) Listen() {
	if r.Root == "" {
		r.Root = "/restconf"
	}
	r.Server = httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		r.mu.Lock()
		r.received = append(r.received, q.Method+" "+q.URL.Path)
		r.mu.Unlock()
		if q.URL.Path == "/.well-known/host-meta" {
			_, _ = w.Write([]byte(`<XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0"><Link rel="restconf" href="` +
				r.Root + `"/></XRD>`))
			return
		}
		user, password, _ := q.BasicAuth()
		if user != r.User || password != r.Password {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		text, ok := r.Data[strings.TrimPrefix(q.URL.Path, r.Root+"/data/")]
		if !ok {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", "application/yang-data+json")
		_, _ = w.Write([]byte(text))
	}))
}
