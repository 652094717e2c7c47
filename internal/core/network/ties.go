package network

// tieStatics ties the static routes that statements of their own say are watched.
func (f *deviceFacts) tieStatics() {
	for _, w := range f.Watches {
		for i := range f.Statics {
			s := &f.Statics[i]
			if w.NextHop.Interface != "" && w.NextHop.Interface != s.NextHop.Interface ||
				w.NextHop.Address.IsValid() && w.NextHop.Address != s.NextHop.Address {
				continue
			}
			if s.Tie.Session = s.Tie.Session || w.Tie.Session; w.Tie.Object != "" {
				s.Tie.Object = w.Tie.Object
			}
		}
	}
}
