package layouttest

import (
	"fmt"

	"zarvek/internal/capture/layout"
)

// Translations writes the translations of a reading in short.
func Translations(r layout.Reading) (got []string) {
	for _, x := range r.Facts.Policy.Translations {
		s := "source"
		if x.Destination {
			s = "destination"
		}
		if x.Keep {
			s = "keep"
		}
		if x.Own {
			s += " of its own"
		}
		if x.ToOwn {
			s += " to itself"
		}
		if x.Protocol != "" {
			s += " " + x.Protocol
		}
		if x.From.IsValid() {
			s += " from " + x.From.String()
		}
		if !x.FromPorts.Any() {
			s += fmt.Sprint(" port ", x.FromPorts.Lo)
		}
		if x.To.IsValid() {
			s += " to " + x.To.String()
		}
		if !x.ToPorts.Any() {
			s += fmt.Sprint(" ", x.ToPorts.Lo)
		}
		s += " " + x.In + ">" + x.Out
		if x.NotIn+x.NotOut != "" {
			s += " not " + x.NotIn + ">" + x.NotOut
		}
		if !x.Keep {
			s += " becomes " + x.Becomes.String()
		}
		if x.BecomesPort != 0 {
			s += fmt.Sprint(":", x.BecomesPort)
		}
		if x.Undecided {
			s += " perhaps"
		}
		got = append(got, s)
	}
	return got
}
