package capture

import (
	"crypto/sha256"
	"fmt"
	"maps"
	"net/netip"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
	"zarvek/internal/kepttest"
)

// TestReadingsStay: what is read of every sample is what was read of it when somebody last looked. A change of a reader
// shows here as lines of facts; look at each before they are written anew with -update.
func TestReadingsStay(t *testing.T) {
	const kept, whole = "testdata/readings.txt", 60
	got := &txtar.Archive{}
	all := samples(t)
	for _, name := range slices.Sorted(maps.Keys(all)) {
		if strings.Contains(name, "/shared/") {
			continue
		}
		c, err := Read(name, all[name], 1)
		require.NoError(t, err, name)
		lines := readingLines(c)
		if n := len(lines); n > whole {
			sum := sha256.Sum256([]byte(strings.Join(lines, "\n")))
			lines = append(lines[:whole:whole], fmt.Sprintf("and %d more, %x in all", n-whole, sum[:8]))
		}
		data := strings.Join(lines, "\n")
		if data != "" {
			data += "\n"
		}
		name = strings.TrimPrefix(strings.ReplaceAll(name, "../", ""), "cmd/zarvek/testdata/")
		got.Files = append(got.Files, txtar.File{Name: name, Data: []byte(data)})
	}
	kepttest.Compare(t, kept, got)
}

// readingLines tells a reading in lines: each fact with the lines that it rests on.
func readingLines(c *Capture) []string {
	var out []string
	for i := range c.Parts {
		p := &c.Parts[i]
		out = append(out, strings.TrimRight(fmt.Sprintf("%s %s %s %s", p.Layout, p.Device, p.Space, p.Command), " "))
		facts := reflect.ValueOf(&p.Facts).Elem()
		for j := range facts.NumField() {
			out = append(out, factLines(c, facts.Type().Field(j).Name, facts.Field(j))...)
		}
		for _, u := range p.Unread {
			out = append(out, fmt.Sprintf("  unread %d: %s", c.Source.Line(u.Mark.Off), u.Reason))
		}
	}
	return out
}

// factLines tells one kind of facts, a line each; a table's routes stand below it.
func factLines(c *Capture, name string, v reflect.Value) []string {
	if v.Kind() != reflect.Slice {
		if s := told(c, v); s != "" {
			return []string{"  " + name + " " + s}
		}
		return nil
	}
	var out []string
	for i := range v.Len() {
		out = append(out, "  "+name+" "+told(c, v.Index(i)))
		if routes := v.Index(i); routes.Kind() == reflect.Struct && routes.FieldByName("Routes").IsValid() {
			list := routes.FieldByName("Routes").Addr().Interface().(*route.List)
			for k := range list.Len() {
				out = append(out, "    "+told(c, reflect.ValueOf(list.At(k))))
			}
		}
	}
	return out
}

// told writes a value without what is zero in it; evidence as the lines where it stands.
func told(c *Capture, v reflect.Value) string {
	if v.IsZero() {
		return ""
	}
	switch x := v.Interface().(type) {
	case route.Mark:
		return fmt.Sprintf(":%d", c.Source.Line(x.Off))
	case netip.Addr, netip.Prefix, fmt.Stringer:
		return fmt.Sprint(x)
	case route.List:
		return ""
	}
	switch v.Kind() {
	case reflect.Struct:
		var out []string
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				if s := told(c, v.Field(i)); s != "" {
					out = append(out, f.Name+"="+s)
				}
			}
		}
		return "{" + strings.Join(out, " ") + "}"
	case reflect.Slice, reflect.Array:
		var out []string
		for i := range v.Len() {
			out = append(out, told(c, v.Index(i)))
		}
		return "[" + strings.Join(out, " ") + "]"
	case reflect.Pointer:
		return told(c, v.Elem())
	}
	return fmt.Sprint(v.Interface())
}
