package yang

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestPlainXML(t *testing.T) {
	for in, want := range map[string]bool{
		routingXML:                      true,
		"<a><b>1</b><b/></a>":           true,
		"<a x='1' y:z=\"2\"\n>1</a>\n":  true,
		"<a>1</a><b>2</b>":              true,
		"<a>  1 2\n</a>":                true,
		"<?xml version='1.0'?>\n<a/>":   true,
		"<a":                            false,
		"<a>":                           false,
		"<a></b>":                       false,
		"<o:a></a>":                     false,
		"<a>&lt;</a>":                   false,
		"<a><![CDATA[1]]></a>":          false,
		"<a><!-- 1 --></a>":             false,
		"<!DOCTYPE a><a/>":              false,
		"<a>1<b/></a>":                  false,
		"<a><b/>1</a>":                  false,
		"x<a/>":                         false,
		"<a>\r\n</a>":                   false,
		"<a x=1/>":                      false,
		"<a x=\"<\"/>":                  false,
		"<a x=\"1\"y=\"2\"/>":           false,
		"<a:b:c/>":                      false,
		"<1/>":                          false,
		"<a>é</a>":                      false,
		"<?xml version='1.1'?><a/>":     false,
		"<a>1</a><?xml version='1.0'?>": false,
		"</a>":                          false,
	} {
		got, ok := plainXML([]byte(in))
		require.Equal(t, want, ok, in)
		if ok {
			root, at, within, err := anyXML([]byte(in))
			require.NoError(t, err, in)
			require.Equal(t, len(in), at, in)
			require.False(t, within, in)
			root.text = "" // blanks between documents
			require.Equal(t, root, got, in)
		}
	}
}

// FuzzPlainXML: what is read as plain is what package xml makes of it.
func FuzzPlainXML(f *testing.F) {
	for _, s := range []string{routingXML, "<a x='1'>1<b/></a>", "<?xml version='1.0'?><a>&lt;<![CDATA[1]]></a>"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, in []byte) {
		got, ok := plainXML(in)
		if !ok {
			return
		}
		root, at, _, err := anyXML(in)
		require.NoError(t, err)
		require.Equal(t, len(in), at)
		root.text = ""
		require.Equal(t, root, got)
	})
}
