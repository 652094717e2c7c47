package strict

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestLines: an error and an evidence name the line that an editor shows, however lines end; characters that readers
// take differently are refused.
func TestLines(t *testing.T) {
	for _, text := range []string{"a: 1\n\nb: 2\n", "a: 1\r\n\r\nb: 2\r\n", "a: 1\r\rb: 2\r", "\ufeffa: 1\n\nb: 2"} {
		f, docs, err := Open("f", []byte(text), 0)
		require.NoError(t, err)
		require.NoError(t, f.Each(docs[0], "it", nil, func(key string, at, _ *Node) error {
			m := f.Mark(at)
			require.Contains(t, text[m.Off:m.End], key, "%q", text)
			require.Equal(t, map[string]string{"a": "f:1:1", "b": "f:3:1"}[key], f.Place(at), "%q", text)
			return nil
		}))
	}
	for text, want := range map[string]string{
		"a: 1\nb: \x00": "f:2: the character U+0000 does not belong here", "a: \xff": "f:1: byte ff is no UTF-8",
		"a: x\u2028b: 2": "f:1: the character U+2028 does not belong here", "\na: x\u0085b: 2": "f:2: the character U+0085 does not belong here",
		"a: [":                           "f:2:1: not valid YAML: did not find expected node content (while parsing a flow node that begins in line 2)",
		"a: 1\n\tb: 2":                   "f:2:1: not valid YAML: found a tab character that violates indentation (while scanning a plain scalar that begins in line 1)",
		"a:\n" + strings.Repeat("[", 65): "f:2: more than 64 brackets in each other",
	} {
		_, _, err := Open("f", []byte(text), 0)
		require.EqualError(t, err, want)
	}
}

// TestKeys: a key is a word of its own, once.
func TestKeys(t *testing.T) {
	for text, want := range map[string]string{
		"a: 1\na: 2": `f:2:1: "a" stands here twice`, "'a': 1\n\"a\": 2": `f:2:1: "a" stands here twice`, "[x]: 1": "f:1:1: a name is wanted here",
		"- a": "f:1:1: it must be a mapping of names to values", "&m {a: 1}": "f:1:1: it must be a mapping of names to values",
		"b: 1": `f:1:1: there is no key "b" in it; it takes a`, "<<: {a: 1}": `f:1:1: there is no key "<<" in it; it takes a`,
	} {
		f, docs, err := Open("f", []byte(text), 0)
		require.NoError(t, err, text)
		require.EqualError(t, f.Each(docs[0], "it", []string{"a"}, func(string, *Node, *Node) error { return nil }), want)
	}
	for _, text := range []string{"", "# nothing\n", "~\n"} {
		_, docs, err := Open("f", []byte(text), 0)
		require.NoError(t, err)
		require.Empty(t, docs, "%q", text)
	}
}

// TestScalar: a value is what is written, and what stands for something else is none.
func TestScalar(t *testing.T) {
	for in, want := range map[string]string{
		"a: 0123": "0123", "a: 'x: y'": "x: y", "a: null": "null", "a: |\n  two\n  lines\n": "two\nlines\n", "a: 2026-11-27": "2026-11-27",
	} {
		f, docs, err := Open("f", []byte(in), 0)
		require.NoError(t, err)
		require.NoError(t, f.Each(docs[0], "it", nil, func(_ string, _, v *Node) error {
			got, err := f.Scalar(v)
			require.Equal(t, want, got)
			return err
		}))
	}
	for _, in := range []string{"a: &b x", "a: [x]", "a: {b: c}", "a: !!str x", "b: &b x\na: *b"} {
		f, docs, err := Open("f", []byte(in), 0)
		require.NoError(t, err)
		require.ErrorContains(t, f.Each(docs[0], "it", nil, func(_ string, _, v *Node) error {
			_, err := f.Scalar(v)
			return err
		}), "one value is wanted here", in)
	}
}
