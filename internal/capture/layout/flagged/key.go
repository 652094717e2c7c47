package flagged

import (
	"strings"
	"sync"

	"zarvek/internal/capture/layout"
)

// What the flags in front of a row mean, and the row's number.

// usualFlags are what the letters mean where a listing of pairs shows no key: those of all versions, which agree.
const usualFlags = "X - disabled, I - inactive, D - dynamic, A - active, C - connect, S - static, c - connect, s - " +
	"static, r - rip, b - bgp, " +
	"o - ospf, i - is-is, d - dhcp, v - vpn, m - modem, y - copy, H - hw-offloaded, + - ecmp, B - blackhole, U - " +
	"unreachable, P - prohibit"

// key reads "X - disabled, A - active; c - connect".
func (r *reader) key(s string) {
	// Letters whose words a shortened key leaves out stand in front of the last one: "c, s, o, y - COPY".
	var several []string
	for entry := range strings.FieldsFuncSeq(s, func(c rune) bool { return c == ',' || c == ';' }) {
		k, text, ok := strings.Cut(entry, " - ")
		several = append(several, strings.TrimSpace(k))
		if !ok {
			continue
		}
		for _, k := range several {
			r.legend[k] = strings.ToLower(strings.TrimSpace(text))
			if usual, ok := usualMeanings()[k]; ok && len(several) > 1 && k != several[len(several)-1] {
				r.legend[k] = usual
			}
			if r.legend[k] == "running" {
				r.running = k
			}
		}
		several = several[:0]
	}
}

// usualMeanings are the letters of usualFlags.
var usualMeanings = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for entry := range strings.SplitSeq(usualFlags, ", ") {
		k, text, _ := strings.Cut(entry, " - ")
		out[k] = text
	}
	return out
})

// split takes the number and the flags off the front of a row.
func (r *reader) split(w []string) (flags string, rest []string) {
	if len(w) > 0 {
		if n, ok := layout.Uint([]byte(w[0])); ok {
			r.skipped, r.next = r.skipped || n > r.next, n+1
			w = w[1:]
		}
	}
	for len(w) > 0 && len(w[0]) <= 6 && !strings.ContainsAny(w[0], "./:=") && r.allFlags(w[0]) {
		flags += w[0]
		w = w[1:]
	}
	return flags, w
}

// flagsOf takes the number and the flags off a row; those of a row with a comment stand in the line above, with the
// comment.
func (r *reader) flagsOf(s string) (flags string, rest []string) {
	w := strings.Fields(s)
	flags, rest = r.split(w)
	if r.comment && len(rest) == len(w) { // neither a number nor flags of its own
		flags = r.carried
	}
	r.comment, r.carried = false, ""
	return flags, rest
}

func (r *reader) allFlags(s string) bool {
	for _, c := range s {
		if r.legend[string(c)] == "" {
			return false
		}
	}
	return true
}
