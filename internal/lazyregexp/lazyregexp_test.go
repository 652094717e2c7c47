package lazyregexp

import (
	"reflect"
	"regexp"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestMethodsAnswerAsThoseOfRegexp(t *testing.T) {
	const expression, text = `(?P<key>\w+)=(\d+)`, "a=1, bc=23; d=x"
	mine, theirs := reflect.ValueOf(New(expression)), reflect.ValueOf(regexp.MustCompile(expression))
	args := map[reflect.Type]reflect.Value{
		reflect.TypeFor[string]():              reflect.ValueOf(text),
		reflect.TypeFor[[]byte]():              reflect.ValueOf([]byte(text)),
		reflect.TypeFor[int]():                 reflect.ValueOf(-1),
		reflect.TypeFor[func(string) string](): reflect.ValueOf(func(s string) string { return "<" + s + ">" }),
	}
	for i := range mine.NumMethod() {
		name := mine.Type().Method(i).Name
		want, got := theirs.MethodByName(name), mine.Method(i)
		if !assert.True(t, want.IsValid(), name) || !assert.Equal(t, want.Type(), got.Type(), name) {
			continue
		}
		var in []reflect.Value
		for j := range got.Type().NumIn() {
			in = append(in, args[got.Type().In(j)])
		}
		assert.Equal(t, want.Call(in)[0].Interface(), got.Call(in)[0].Interface(), name)
	}
}

func TestFaultyOnesAreFoundInTests(t *testing.T) {
	assert.Panics(t, func() { New(`(`) })
}

func TestManyMayAskAtOnce(t *testing.T) {
	r := New(`^a+$`)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() { assert.True(t, r.MatchString("aaa")) })
	}
	all.Wait()
}
