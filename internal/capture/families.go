package capture

import "zarvek/internal/capture/layout/mrt"

// A Family tells what a layout is like, for people.
type Family struct {
	Name, About string
	Sample      string // three lines of made-up data
}

// Families describes the layouts, in the order in which they are asked; binary ones come last.
func Families() []Family {
	var out []Family
	for _, r := range readers {
		out = append(out, Family{r.Name, r.About, r.Sample})
	}
	return append(out, Family{mrt.Name, mrt.About, "(binary)\n\n\n"})
}
