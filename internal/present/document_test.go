package present

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/route"
)

// plainEvidence has one short line.
type plainEvidence struct{}

func (plainEvidence) Position(route.Mark) casefile.Position {
	return casefile.Position{File: "f.txt", Line: 7}
}
func (plainEvidence) Text(route.Mark) []byte { return []byte("text\r") }

// TestADocumentIsDrawnAlike: text and Markdown say the same sentences in the same order, and nothing in them is read
// as markup.
func TestADocumentIsDrawnAlike(t *testing.T) {
	e := entry{
		number:         12,
		strong:         "risk",
		words:          "mast*7* <b>leads</b> 10.61.0.0/16 back",
		capturedBehind: []route.Mark{{File: 1, End: 1}, {File: 1, End: 1}},
	}
	e.row("effect", "packets go round")
	e.row("nothing", "")
	e.row("round", "mast7 to valley", "valley to mast7")
	var d document
	d.add(answer{"1 risk", false})
	d.add(e)
	d.add(listing{"Accepted", []string{"loop-1: for now"}})
	d.add(paragraph{"Searched all of it: " + strings.TrimSpace(strings.Repeat("every range ", 12)), 2})

	v := View{Evidence: plainEvidence{}, Lines: true, Width: 60}
	var text, md strings.Builder
	d.writeText(&text, v)
	d.writeMarkdown(&md, v)
	require.Equal(t, `1 risk

12. risk: mast*7* <b>leads</b> 10.61.0.0/16 back
   effect    packets go round
   round     mast7 to valley
             valley to mast7
   f.txt:7 says
       | text

Accepted:
  loop-1: for now
Searched all of it: every range every range every range
  every range every range every range every range every
  range every range every range every range every range
`, text.String())
	require.Equal(t, `**1 risk**

12. **risk**: mast\*7\* &lt;b&gt;leads&lt;/b&gt; 10.61.0.0/16 back
   - effect: packets go round
   - round: mast7 to valley
   - round: valley to mast7
   - f.txt:7 says `+"`text`"+`

Accepted:

- loop-1: for now

Searched all of it: `+strings.TrimSpace(strings.Repeat("every range ", 12))+"\n", md.String())
}

func TestACodeSpanHoldsBackquotes(t *testing.T) {
	for in, want := range map[string]string{"plain": "`plain`", "a`b": "``a`b``", "``": "``` `` ```", "*_<": "`*_<`", " ": "`   `"} {
		require.Equal(t, want, codeSpan(in))
	}
}
