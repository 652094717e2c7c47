package network

import (
	"iter"
	"slices"
)

// Items is a list that can be read and not changed. The zero Items is empty.
type Items[T any] struct{ all []T }

// All yields the items in order, each with its number.
func (s Items[T]) All() iter.Seq2[int, T] { return slices.All(s.all) }

// Len returns how many items there are.
func (s Items[T]) Len() int { return len(s.all) }

// At returns item i, counted from 0.
func (s Items[T]) At(i int) T { return s.all[i] }

// Any reports whether f holds for some item.
func (s Items[T]) Any(f func(T) bool) bool { return slices.ContainsFunc(s.all, f) }

// Between returns the items from lo on, before hi.
func (s Items[T]) Between(lo, hi int) Items[T] { return Items[T]{s.all[lo:hi:hi]} }

// Index returns the number of the first item for which f holds, -1 for none.
func (s Items[T]) Index(f func(T) bool) int { return slices.IndexFunc(s.all, f) }

// Same reports whether two lists are one, without looking at the items.
func (s Items[T]) Same(o Items[T]) bool {
	return len(s.all) == len(o.all) && (len(s.all) == 0 || &s.all[0] == &o.all[0])
}

// Copy returns the items as a list of the caller's own.
func (s Items[T]) Copy() []T { return slices.Clone(s.all) }
