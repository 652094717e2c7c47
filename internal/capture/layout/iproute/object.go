package iproute

import (
	"encoding/json"
	"reflect"
	"strconv"

	"github.com/go-json-experiment/json/jsontext"
)

// object has the names of every kind of object that is read; which are present tells the kind.
type object struct {
	lo, hi int
	bare   bool          // a prefix alone on its line
	asked  bool          // what the kernel would do with one address, which is no route of its table
	weight uint32        // of a next hop that stands on a line of its own
	texts  []addressText // addresses in the text form

	// routes, and partly the others
	Type     word     `json:"type"`
	Dst      word     `json:"dst"`
	Gateway  word     `json:"gateway"`
	Via      *via     `json:"via"`
	Dev      string   `json:"dev"`
	Table    word     `json:"table"`
	Protocol word     `json:"protocol"`
	Scope    word     `json:"scope"`
	PrefSrc  word     `json:"prefsrc"`
	Metric   *uint64  `json:"metric"`
	Pref     string   `json:"pref"`
	Flags    []string `json:"flags"`
	NextHops []hop    `json:"nexthops"`
	Encap    string   `json:"encap"`
	From     word     `json:"from"` // the sources that it is for

	// answers for one address
	UID   json.RawMessage `json:"uid"`
	Cache json.RawMessage `json:"cache"`

	// links and addresses
	Ifname    string            `json:"ifname"`
	OperState string            `json:"operstate"`
	MAC       string            `json:"address"`
	LinkType  string            `json:"link_type"`
	Master    string            `json:"master"`
	Info      linkInfo          `json:"linkinfo"`
	Remote    string            `json:"broadcast"` // of a tunnel: its far end
	AddrInfo  []json.RawMessage `json:"addr_info"`

	// neighbours
	LLAddr string   `json:"lladdr"`
	State  []string `json:"state"`

	// rules
	Priority *uint32         `json:"priority"`
	Src      word            `json:"src"`
	SrcLen   *int            `json:"srclen"`
	DstLen   *int            `json:"dstlen"`
	IIF      string          `json:"iif"`
	OIF      string          `json:"oif"`
	Action   word            `json:"action"`
	Goto     *uint64         `json:"goto"`
	Not      json.RawMessage `json:"not"`
	Nop      json.RawMessage `json:"nop"`
	FWMark   word            `json:"fwmark"`
	FWMask   word            `json:"fwmask"`
	other    bool            // it asks for something else
	TOS      word            `json:"tos"`
	L3MDev   json.RawMessage `json:"l3mdev"`
	IPProto  word            `json:"ipproto"`
	SPort    word            `json:"sport"`
	SPortLo  word            `json:"sport_start"`
	SPortHi  word            `json:"sport_end"`
	DPort    word            `json:"dport"`
	DPortLo  word            `json:"dport_start"`
	DPortHi  word            `json:"dport_end"`
	UIDRange json.RawMessage `json:"uid_start"`
	TunID    json.RawMessage `json:"tun_id"`
	Suppress *int            `json:"suppress_prefixlen"`
	SuppIf   json.RawMessage `json:"suppress_ifgroup"`
}

type via struct {
	Host string `json:"host"`
}

type hop struct {
	Gateway word     `json:"gateway"`
	Via     *via     `json:"via"`
	Dev     string   `json:"dev"`
	Weight  uint32   `json:"weight"`
	Flags   []string `json:"flags"`
	Encap   string   `json:"encap"`
}

type address struct {
	Local     string `json:"local"`
	PrefixLen *int   `json:"prefixlen"`
	Peer      string `json:"address"`
	DADFailed bool   `json:"dadfailed"`
}

// narrow reports whether a route is for packets from some sources only, or an answer was asked for one.
func (o *object) narrow() bool {
	switch o.From {
	case "", "all", "default", "::", "::/0", "0.0.0.0", "0.0.0.0/0":
		return false
	}
	return true
}

// serves reports whether a route is for packets of one type of service only (RFC 1349).
func (o *object) serves() bool {
	switch o.TOS {
	case "", "0", "0x0", "0x00", "CS0", "default":
		return false
	}
	return true
}

// word is a name that iproute prints as a number where it knows none (ip -N).
type word string

// UnmarshalJSON takes a string or a number.
func (w *word) UnmarshalJSON(b []byte) error {
	if len(b) > 0 && b[0] == '"' {
		s, err := jsontext.AppendUnquote(nil, b)
		*w = word(s)
		return err
	}
	if string(b) == "null" {
		return nil
	}
	if _, err := strconv.ParseUint(string(b), 10, 64); err != nil {
		return &json.UnmarshalTypeError{Value: string(b[:min(len(b), 40)]), Type: reflect.TypeFor[string]()}
	}
	*w = word(b)
	return nil
}
