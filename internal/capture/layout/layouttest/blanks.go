package layouttest

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
)

// token matches what JSON may have blanks around.
var token = regexp.MustCompile(`"(?:[^"\\]|\\.)*"|[{}\[\],:]|[^\s"{}\[\],:]+|\n`)

// Blanks checks that a document in JSON says the same with blanks anywhere between its tokens, whole and damaged:
// readers pass by what is written alike to the last blank. Rows are put between head and tail, a comma and a new line
// between two of them.
func Blanks(t *testing.T, read func([]byte) layout.Reading, head, tail string, rows []string) {
	t.Helper()
	whole := token.FindAllString(head+strings.Join(rows, ",\n")+tail, -1)
	other := 0
	for seed := range uint64(150) {
		rnd := rand.New(rand.NewPCG(seed, 21))
		tokens := slices.Clone(whole)
		if seed > 0 {
			tokens = damage(rnd, tokens)
		}
		plain, spaced := strings.Join(tokens, ""), &strings.Builder{}
		for i, x := range tokens {
			spaced.WriteString(x)
			if rnd.IntN(3) == 0 && i+1 < len(tokens) && tokens[i+1] != "\n" { // lines end with what they say
				spaced.WriteString("  "[rnd.IntN(2):])
			}
		}
		a, b := []byte(plain), []byte(spaced.String())
		one, two := Laws(t, read, a), Laws(t, read, b)
		require.Equal(t, Words(b, two), Words(a, one), "seed %d", seed)
		require.Equal(t, Unread(b, two), Unread(a, one), "seed %d", seed)
		for i := range one.Facts.Tables {
			require.Equal(t, two.Facts.Tables[i].Cut, one.Facts.Tables[i].Cut, "seed %d", seed)
		}
		if len(one.Unread) > 0 {
			other++
		}
	}
	require.Greater(t, other, 50, "damage that nothing comes of")
}

// damage loses, doubles, swaps or changes a few tokens, or all behind one.
func damage(rnd *rand.Rand, tokens []string) []string {
	for range 1 + rnd.IntN(3) {
		i := rnd.IntN(len(tokens) - 1)
		switch rnd.IntN(7) {
		case 0:
			tokens = slices.Delete(tokens, i, i+1)
		case 1:
			tokens = slices.Insert(tokens, i, tokens[i])
		case 2:
			tokens[i], tokens[i+1] = tokens[i+1], tokens[i]
		case 3:
			tokens[i] = []string{"null", "true", "-1", "05", "1.5", `"a\"b"`, `"x"`, "{", "]", ",", "}"}[rnd.IntN(11)]
		case 4:
			tokens = slices.Insert(tokens, i, ",")
		case 5:
			if rnd.IntN(4) == 0 {
				tokens = tokens[:max(i, 2)]
			}
		case 6:
			tokens[i] = fmt.Sprintf("%q", strings.Trim(tokens[i], `"`)+"x")
		}
	}
	return tokens
}
