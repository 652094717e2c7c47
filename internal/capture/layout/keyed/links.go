package keyed

import (
	"encoding/json"
	"strings"
)

// byName is an interface that stands under its name.
type byName struct {
	Name     string          `json:"name"`
	State    string          `json:"interfaceStatus"`
	Protocol string          `json:"lineProtocolStatus"`
	MAC      string          `json:"physicalAddress"`
	VRF      string          `json:"vrf"`
	Address  json.RawMessage `json:"interfaceAddress"`
}

// pair is an address with its length.
type pair struct {
	Address string `json:"address"`
	Length  scalar `json:"maskLen"`
}

// addresses are those of an interface, in the brief and in the full form.
type addresses struct {
	Brief     pair   `json:"ipAddr"`
	Primary   pair   `json:"primaryIp"`
	Secondary []pair `json:"secondaryIpsOrderedList"`
}

// link takes an interface with its state and its addresses; 0.0.0.0 stands for none.
func (r *reader) link(o *byName, lo, hi int) error {
	if o.Name == "" || o.State == "" && o.Protocol == "" {
		return errOther
	}
	var all list[addresses]
	if len(o.Address) > 0 {
		if err := json.Unmarshal(o.Address, &all); err != nil {
			return errOther
		}
	}
	r.interfaceIs(o.Name, o.MAC, []string{o.State, o.Protocol}, lo, hi)
	for _, a := range all {
		for _, p := range append([]pair{a.Brief, a.Primary}, a.Secondary...) {
			if p.Address == "" || p.Address == "0.0.0.0" {
				continue
			}
			if err := r.address(o.Name, p.Address, string(p.Length), o.VRF, lo, hi); err != nil {
				return err
			}
		}
	}
	return nil
}

// entry is a neighbour of a list.
type entry struct {
	Address   string `json:"address"`
	MAC       string `json:"hwAddress"`
	Interface string `json:"interface"`
}

func (r *reader) neighbour(o *entry, lo, hi int) error {
	dev, _, _ := strings.Cut(o.Interface, ",") // behind it stands the port of a switch
	return r.neighbourIs(o.Address, o.MAC, dev, lo, hi)
}
