// Package lazyregexp exists because the readers know several hundred regular expressions of which one capture needs a
// few: compiling all of them takes a good part of the time in which a small question is answered. A Regexp is compiled
// when it is first asked. In a test it is compiled at once, so that a faulty one is found though nothing asks it.
package lazyregexp

import (
	"os"
	"regexp"
	"strings"
	"sync"
)

// Regexp is a regular expression of the package regexp, with those of its methods that are in use. Several goroutines
// may use it at once.
type Regexp struct {
	get func() *regexp.Regexp
}

var inTest = len(os.Args) > 0 && strings.HasSuffix(strings.TrimSuffix(os.Args[0], ".exe"), ".test")

// New returns the Regexp of an expression. It panics at the first use, and in a test at once, if the expression is not
// a valid one.
func New(expression string) *Regexp {
	r := &Regexp{get: sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })}
	if inTest {
		r.get()
	}
	return r
}

// Each method is the one of the package regexp.

func (r *Regexp) Match(b []byte) bool                        { return r.get().Match(b) }
func (r *Regexp) MatchString(s string) bool                  { return r.get().MatchString(s) }
func (r *Regexp) Find(b []byte) []byte                       { return r.get().Find(b) }
func (r *Regexp) FindIndex(b []byte) []int                   { return r.get().FindIndex(b) }
func (r *Regexp) FindSubmatch(b []byte) [][]byte             { return r.get().FindSubmatch(b) }
func (r *Regexp) FindString(s string) string                 { return r.get().FindString(s) }
func (r *Regexp) FindStringIndex(s string) []int             { return r.get().FindStringIndex(s) }
func (r *Regexp) FindStringSubmatch(s string) []string       { return r.get().FindStringSubmatch(s) }
func (r *Regexp) FindStringSubmatchIndex(s string) []int     { return r.get().FindStringSubmatchIndex(s) }
func (r *Regexp) FindAllIndex(b []byte, n int) [][]int       { return r.get().FindAllIndex(b, n) }
func (r *Regexp) FindAllSubmatch(b []byte, n int) [][][]byte { return r.get().FindAllSubmatch(b, n) }
func (r *Regexp) FindAllSubmatchIndex(b []byte, n int) [][]int {
	return r.get().FindAllSubmatchIndex(b, n)
}
func (r *Regexp) FindAllString(s string, n int) []string     { return r.get().FindAllString(s, n) }
func (r *Regexp) FindAllStringIndex(s string, n int) [][]int { return r.get().FindAllStringIndex(s, n) }
func (r *Regexp) FindAllStringSubmatch(s string, n int) [][]string {
	return r.get().FindAllStringSubmatch(s, n)
}
func (r *Regexp) FindAllStringSubmatchIndex(s string, n int) [][]int {
	return r.get().FindAllStringSubmatchIndex(s, n)
}
func (r *Regexp) ReplaceAll(b, to []byte) []byte       { return r.get().ReplaceAll(b, to) }
func (r *Regexp) ReplaceAllString(s, to string) string { return r.get().ReplaceAllString(s, to) }
func (r *Regexp) ReplaceAllStringFunc(s string, f func(string) string) string {
	return r.get().ReplaceAllStringFunc(s, f)
}
func (r *Regexp) Split(s string, n int) []string { return r.get().Split(s, n) }
func (r *Regexp) SubexpNames() []string          { return r.get().SubexpNames() }
func (r *Regexp) SubexpIndex(name string) int    { return r.get().SubexpIndex(name) }
