package layouttest

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
)

// Alone checks that each row of a large table says what it says as the only one: readers remember rows that say the
// same of other prefixes. Rows are put between head and tail, parted by sep.
func Alone(t *testing.T, read func([]byte) layout.Reading, head, sep, tail string, rows []string) {
	t.Helper()
	all := []byte(head + strings.Join(rows, sep) + tail)
	got := byLine(all, read(all))
	above := strings.Count(head, "\n")
	line := above
	alone := map[string]map[int][]string{}
	for _, row := range rows {
		want, ok := alone[row]
		if !ok {
			one := []byte(head + row + tail)
			want = byLine(one, read(one))
			alone[row] = want
		}
		n := strings.Count(row+sep, "\n")
		for k := range n {
			if w := want[above+1+k]; fmt.Sprint(w) != fmt.Sprint(got[line+1+k]) {
				require.Equal(t, w, got[line+1+k], "row %d: %s", line+1+k, row)
			}
		}
		line += n
	}
}

// byLine returns the words of what each line of a text says, and why it is unread.
func byLine(in []byte, r layout.Reading) map[int][]string {
	ends := []int{}
	for i := 0; ; {
		n := bytes.IndexByte(in[i:], '\n')
		if n < 0 {
			break
		}
		i += n + 1
		ends = append(ends, i)
	}
	out := map[int][]string{}
	at := 1
	for i := range r.Facts.Tables {
		x := &r.Facts.Tables[i]
		for j := range x.Routes.Len() {
			a := x.Routes.At(j)
			for at > 1 && ends[at-2] > int(a.Mark.Off) {
				at--
			}
			for at <= len(ends) && ends[at-1] <= int(a.Mark.Off) {
				at++
			}
			out[at] = append(out[at], routeWords(x.Name, a))
		}
	}
	for _, u := range Unread(in, r) {
		no, why, _ := strings.Cut(u, " ")
		n, _ := strconv.Atoi(no)
		out[n] = append(out[n], why)
	}
	return out
}

// placeholder matches what stands for a prefix or a metric, as wide as it is where it has blanks.
var placeholder = regexp.MustCompile(`<([PM]) *>`)

// Rows writes n rows of a large table, made of a few forms: <P> stands for a prefix of each row's own, <M> for a metric
// that is mostly its own too.
func Rows(n int, prefix func(i int) string, forms ...string) []string {
	rnd := rand.New(rand.NewPCG(7, 3))
	out := make([]string, n)
	for i := range out {
		metric := uint64(rnd.IntN(3))
		switch rnd.IntN(3) {
		case 0:
			metric = uint64(rnd.IntN(100_000))
		case 1:
			metric = rnd.Uint64() >> rnd.IntN(64)
		}
		out[i] = placeholder.ReplaceAllStringFunc(forms[rnd.IntN(len(forms))], func(at string) string {
			text := prefix(i)
			if at[1] == 'M' {
				text = fmt.Sprint(metric)
			}
			if strings.Contains(at, " ") {
				text = fmt.Sprintf("%-*s", len(at), text)
			}
			return text
		})
	}
	return out
}

// IPv4 writes the prefix of a row.
func IPv4(i int) string { return fmt.Sprintf("%d.%d.%d.0/24", 20+i>>16, i>>8&255, i&255) }

// IPv6 is the like of IPv4.
func IPv6(i int) string { return fmt.Sprintf("fd61:%x:%x::/48", i>>16+1, i&65535+1) }
