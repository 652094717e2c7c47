package forward

import "slices"

// An Asymmetry is how the way back differs from the way out.
type Asymmetry struct {
	Found             bool
	Part, Meet        string   // devices, where each direction has one way only; "" elsewhere
	OnlyOut, OnlyBack []string // devices that see one direction only
}

// Asymmetry compares the two ways; nothing is found where the reply was not walked for real.
func (rt *RoundTrip) Asymmetry() Asymmetry {
	var a Asymmetry
	if rt.Return == nil || rt.ReturnAlone {
		return a
	}
	out, back := devices(rt.Forward), devices(*rt.Return)
	for _, d := range out {
		if !slices.Contains(back, d) {
			a.OnlyOut = append(a.OnlyOut, d)
		}
	}
	for _, d := range back {
		if !slices.Contains(out, d) {
			a.OnlyBack = append(a.OnlyBack, d)
		}
	}
	if rt.Return.Verdict != Arrives { // what a lost reply did not reach says nothing
		a.OnlyOut = nil
	}
	a.Found = len(a.OnlyOut)+len(a.OnlyBack) > 0
	if !a.Found || len(rt.Forward.Branches) != 1 || len(rt.Return.Branches) != 1 || rt.Return.Verdict != Arrives {
		return a
	}
	slices.Reverse(back)
	for i := 0; i < min(len(out), len(back)) && out[i] == back[i]; i++ {
		a.Part = out[i]
	}
	for i := 1; i <= min(len(out), len(back)) && out[len(out)-i] == back[len(back)-i]; i++ {
		a.Meet = out[len(out)-i]
	}
	return a
}

// devices lists the devices of a direction in the order in which its branches pass them.
func devices(d Direction) []string {
	var out []string
	for _, b := range d.Branches {
		for _, h := range b.Hops {
			if !slices.Contains(out, h.Device) {
				out = append(out, h.Device)
			}
		}
	}
	return out
}
