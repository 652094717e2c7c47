package layout

import "zarvek/internal/core/route"

// As says what a line that carries no fact was taken for.
type As uint8

const (
	Other         As = iota // known to carry nothing, and nothing more is said of it
	Key                     // defines letters or signs
	Parent                  // heads the rows of a class A, B or C network, and is no route itself
	LastResort              // repeats where the default route leads
	Title                   // names what stands below it
	Ruler                   // a drawn line
	Names                   // names columns
	Count                   // counts routes
	PrefixHeading           // a prefix whose routes stand below it
	Part                    // of what another line tells: a record over several lines, a column printed by itself
	Text                    // of a greeting, or of another text over several lines
	Remark                  // says that the listing lacks lines
)

// Passed is a line that a reader knows to carry no fact.
type Passed struct {
	Mark route.Mark
	As   As
}

// Pass accounts for a line that carries no fact.
func (c *Collector) Pass(lo, hi int, as As) {
	c.Passed = append(doubled(c.Passed), Passed{Mark(lo, hi), as})
}
