package layout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestShapes: objects that differ in plain values alone have one shape; what is told apart is no part of the rest.
func TestShapes(t *testing.T) {
	const object = `{"m:a": "x", "b": 5, "c": {"a": "y", "n": [1, true, "z"], "e": "q\"r", "f": -7}}`
	for text, want := range map[string]string{
		object:                                  `"x" "y" same`,
		strings.Replace(object, `"x"`, `""`, 1): `"" "y" same`,
		strings.Replace(object, `"y"`, `"yy"`, 1) + "}": `"x" "yy" same`,
		strings.Replace(object, `5`, `55`, 1):           `"x" "y" other`,
		strings.Replace(object, `"z"`, `"zz"`, 1):       `"x" "y" other`,
		strings.Replace(object, `5`, `05`, 1):           "",
		strings.Replace(object, `5`, `5.5`, 1):          "",
		strings.Replace(object, `5`, `-5`, 1):           "",
		strings.Replace(object, `5`, `"5"`, 1):          "",
		strings.Replace(object, `"x"`, `"\n"`, 1):       "",
		strings.Replace(object, `"x"`, "\"\n\"", 1):     "",
		strings.Replace(object, `true`, `false`, 1):     "",
		strings.Replace(object, `q\"r`, `qr`, 1):        "",
		strings.Replace(object, `: 5`, `:5`, 1):         "",
		object[:len(object)-1]:                          "",
		object[:9]:                                      "",
		"":                                              "",
	} {
		s := NewShapes("a", "c/a")
		s.Learn([]byte(object))
		require.Equal(t, len(object), s.Match([]byte(object)))
		rest := string(s.Rest())
		end, got := s.Match([]byte(text)), ""
		if end > 0 {
			require.Contains(t, []string{"", "}"}, text[end:])
			got = `"` + string(s.Values()[0]) + `" "` + string(s.Values()[1]) + `" other`
			if string(s.Rest()) == rest {
				got = strings.Replace(got, "other", "same", 1)
			}
		}
		require.Equal(t, want, got, text)
	}
	for _, text := range []string{`{"a":"x","a":"y"}`, `{"a":{}}`, `{"a":[1]}`, `{"a":null}`, `{"a":-1}`, `{"a":1.5}`, `{"a":"\n"}`} {
		s := NewShapes("a")
		s.Learn([]byte(text))
		require.Zero(t, s.Match([]byte(text)), text)
	}
	s := NewShapes("a")
	for i := range 2 * mostShapes {
		s.Learn([]byte(`{"a":` + strings.Repeat(" ", i) + `1}`))
	}
	require.Len(t, s.known, mostShapes)
	require.Positive(t, s.Match([]byte(`{"a":1}`)))
}

// TestShapesOfElements is TestShapes of XML.
func TestShapesOfElements(t *testing.T) {
	const object = "<r x=\"1\">\n <m:a y=\"2\">x</m:a><b>5</b><c><a>y</a><d/></c>\n</r>"
	for text, want := range map[string]string{
		object:                                  `"x" "y" same`,
		strings.Replace(object, ">x<", "><", 1): `"" "y" same`,
		strings.Replace(object, ">x<", ">x\ny<", 1):                                   "\"x\ny\" \"y\" same",
		strings.Replace(object, ">5<", ">55<", 1):                                     `"x" "y" other`,
		strings.Replace(object, ">5<", ">\x00<", 1):                                   "",
		strings.Replace(object, ">5<", ">"+strings.Repeat("5", longestText+1)+"<", 1): "",
		strings.Replace(object, `"1"`, `"2"`, 1):                                      "",
		strings.Replace(object, ">5<", "><e/><", 1):                                   "",
		object[:len(object)-1]:                                                        "",
	} {
		s := NewShapes("a", "c/a")
		s.LearnElement([]byte(object))
		require.Equal(t, len(object), s.Match([]byte(object)))
		rest, got := string(s.Rest()), ""
		if s.Match([]byte(text)) > 0 {
			got = `"` + string(s.Values()[0]) + `" "` + string(s.Values()[1]) + `" other`
			if string(s.Rest()) == rest {
				got = strings.Replace(got, "other", "same", 1)
			}
		}
		require.Equal(t, want, got, text)
	}
	for _, text := range []string{"<r><a>1</a><a>2</a></r>", "<r><a><b/></a></r>", "<r><!-- --><a>1</a></r>", "<r><a>1</a>", "r", "<>"} {
		s := NewShapes("a")
		s.LearnElement([]byte(text))
		require.Zero(t, s.Match([]byte(text)), text)
	}
}

// TestPassingBy: a decoder goes on behind what was passed by as if it had read that.
func TestPassingBy(t *testing.T) {
	for _, many := range []int{1, fewElements + 1} {
		more := strings.Repeat(`, {"x": 1}`, many)
		for tail, want := range map[string]string{
			`, 5 ], "k": 6}`: `5 ] k 6 } EOF`,
			`], "k": 6}`:     `] k 6 } EOF`,
			`]]`:             `] bad`,
			`, ]`:            `bad`,
			`5`:              `bad`,
			``:               `EOF`,
		} {
			d := ByPassing([]byte(`{"r":[{"x": 1}` + more + tail))
			for range 3 {
				_, err := d.ReadToken()
				require.NoError(t, err)
			}
			require.NoError(t, d.SkipValue())
			require.NoError(t, d.PassElements(many, len(more)))
			require.Equal(t, tail, string(d.Rest()))
			got := ""
			for range 6 {
				x, err := d.ReadToken()
				switch {
				case err != nil && Fault(err).Error() == "EOF" || err != nil && strings.Contains(err.Error(), "unexpected EOF"):
					got += "EOF"
				case err != nil:
					got += "bad"
				default:
					got += x.String() + " "
					continue
				}
				break
			}
			require.Equal(t, want, got, "%d, %q", many, tail)
		}
	}
}
