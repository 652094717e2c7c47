package present

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strings"

	"zarvek/internal/core/forward"
)

// A treeNode is one hop of several branches: those that share all hops before it too.
type treeNode struct {
	hop   forward.Hop
	share float64
	kids  []*treeNode
	ends  []forward.Branch // that end behind this hop
}

// tree joins branches where they begin alike.
func tree(branches []forward.Branch) *treeNode {
	root := &treeNode{}
	for _, b := range branches {
		at := root
		for _, h := range b.Hops {
			i := slices.IndexFunc(at.kids, func(k *treeNode) bool { return sameHop(k.hop, h) })
			if i < 0 {
				i = len(at.kids)
				at.kids = append(at.kids, &treeNode{hop: h})
			}
			at = at.kids[i]
			at.share += b.Share
		}
		at.ends = append(at.ends, b)
	}
	return root
}

func sameHop(a, b forward.Hop) bool {
	return a.Device == b.Device && a.Table == b.Table && a.InInterface == b.InInterface && a.Prefix == b.Prefix &&
		a.NextHop == b.NextHop &&
		a.OutInterface == b.OutInterface
}

// treeLines collects the rows of a tree, and what stands below some of them.
type treeLines struct {
	v     View
	dst   forward.End
	rows  [][]string
	below map[int][]string
	seen  map[string]int // a subtree as text: the row at which it was written
}

// branches writes several branches as one tree: hops that they share stand once.
func (v View) branches(w io.Writer, d forward.Direction, dst forward.End) {
	t := treeLines{
		v:     v,
		dst:   dst,
		rows:  [][]string{{"hop", "packets", "device", "route taken", "learned by", "next hop", "captured at"}},
		below: map[int][]string{},
		seen:  map[string]int{},
	}
	for _, b := range d.Branches {
		if len(b.Hops) == 0 {
			t.below[0] = append(t.below[0], t.ending(b))
		}
	}
	t.add(tree(d.Branches), 0)
	var out bytes.Buffer
	columns(&out, "  ", t.rows)
	i := 0
	for line := range strings.Lines(out.String()) {
		io.WriteString(w, line)
		for _, s := range t.below[i] {
			fmt.Fprintf(w, "       %s\n", s)
		}
		i++
	}
}

// add writes the kids of a node, each with what comes behind it.
func (t *treeLines) add(n *treeNode, depth int) {
	for _, k := range n.kids {
		r := t.v.hopRow(k.hop)
		t.rows = append(t.rows, append([]string{fmt.Sprint(depth + 1), percent(k.share)}, r...))
		at := len(t.rows) - 1
		for _, b := range k.ends {
			t.below[at] = append(t.below[at], t.ending(b))
		}
		if len(k.kids) == 0 {
			continue
		}
		key := k.text()
		if row, ok := t.seen[key]; ok {
			t.below[at] = append(
				t.below[at],
				fmt.Sprintf("then as above from %s on (hop %s there)", Clean(k.kids[0].hop.Device), t.rows[row+1][0]),
			)
			continue
		}
		t.seen[key] = at
		t.add(k, depth+1)
	}
}

// text writes all that comes behind a node, without shares.
func (n *treeNode) text() string {
	var b strings.Builder
	for _, k := range n.kids {
		fmt.Fprintf(
			&b,
			"(%s %s %s %s %s %s",
			k.hop.Device,
			k.hop.Table,
			k.hop.InInterface,
			k.hop.Prefix,
			k.hop.NextHop,
			k.hop.OutInterface,
		)
		for _, e := range k.ends {
			fmt.Fprintf(&b, " %s %s", e.Verdict, e.Where)
		}
		b.WriteString(k.text() + ")")
	}
	return b.String()
}

func (t *treeLines) ending(b forward.Branch) string {
	return fmt.Sprintf("%s %s%s%s: %s", percent(b.Share), b.Verdict, where(b), assumed(b), because(b, t.dst.Address))
}

func percent(share float64) string { return fmt.Sprintf("%.0f %%", 100*min(share, 1)) }
