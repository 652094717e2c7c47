package layout

// Named keeps what several lines tell of things by their names, in the order in which they were first told of. The zero
// Named has none.
type Named[T any] struct {
	byName map[string]*T
	All    []*T
}

// At returns the thing of a name, the one that begin makes where there was none.
func (n *Named[T]) At(name string, begin func() *T) *T {
	if x := n.byName[name]; x != nil {
		return x
	}
	if n.byName == nil {
		n.byName = map[string]*T{}
	}
	x := begin()
	n.byName[name], n.All = x, append(n.All, x)
	return x
}
