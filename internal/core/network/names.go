package network

import (
	"cmp"

	"github.com/maruel/natural"
)

// CompareNames orders the names of devices, interfaces and tables as people count: mast2 before mast10.
func CompareNames(a, b string) int { return cmp.Or(natural.Compare(a, b), cmp.Compare(a, b)) }
