package nftables

import (
	"encoding/json"
	"slices"
)

// verdicts reads a map of values of a field to what becomes of packets that have them; known is false where it cannot
// be, maybe tells that later rules of the chain may not be met by some.
func (w *walker) verdicts(all []match, raw json.RawMessage, k key, depth int) (known, maybe bool) {
	var m struct {
		Key  json.RawMessage
		Data struct{ Set [][2]json.RawMessage }
	}
	if json.Unmarshal(raw, &m) != nil || len(m.Data.Set) == 0 || len(m.Data.Set)*len(all) > maxRules {
		return false, false
	}
	for _, pair := range m.Data.Set {
		left, _ := json.Marshal(map[string]any{"op": "==", "left": m.Key, "right": pair[0]})
		var verdict map[string]json.RawMessage
		if json.Unmarshal(pair[1], &verdict) != nil {
			return false, false
		}
		some := w.narrow(slices.Clone(all), left, k)
		for verb, with := range verdict {
			_, leaves := w.act(some, verb, with, k, depth+1)
			maybe = maybe || leaves
		}
	}
	return true, maybe
}
