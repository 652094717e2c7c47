package strict

import (
	"testing"

	"github.com/goccy/go-yaml/ast"
	"github.com/stretchr/testify/require"
)

// TestScalar: a value is what is written, and what stands for something else is none.
func TestScalar(t *testing.T) {
	for in, want := range map[string]string{
		"a: 0123": "0123", "a: 'x: y'": "x: y", "a: null": "null", "a: |\n  two\n  lines\n": "two\nlines\n", "a: 2026-11-27": "2026-11-27",
	} {
		f, docs, err := Open("f", []byte(in), 0)
		require.NoError(t, err)
		require.NoError(t, f.Each(docs[0], "it", nil, func(_ string, _, v ast.Node) error {
			got, err := f.Scalar(v)
			require.Equal(t, want, got)
			return err
		}))
	}
	for _, in := range []string{"a: &b x", "a: [x]", "a: {b: c}", "a: !!str x", "b: &b x\na: *b"} {
		f, docs, err := Open("f", []byte(in), 0)
		require.NoError(t, err)
		require.ErrorContains(t, f.Each(docs[0], "it", nil, func(_ string, _, v ast.Node) error {
			_, err := f.Scalar(v)
			return err
		}), "one value is wanted here", in)
	}
}
