package capture

import (
	"errors"
	"math/rand/v2"
	"net/netip"
	"reflect"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// packed returns the bytes of a kept reading, as a file would hold them.
func packed(t *testing.T, c *Capture, raw []byte) []byte {
	t.Helper()
	pieces, err := c.Pack(raw)
	require.NoError(t, err)
	return slices.Concat(pieces...)
}

// TestAKeptReadingIsTheReading: whatever was read of a sample is there again, word for word, under the number that the
// file has by then, and every line of it.
func TestAKeptReadingIsTheReading(t *testing.T) {
	routes := 0
	for name, raw := range samples(t) {
		before, err := Read(name, raw, 3)
		require.NoError(t, err, name)
		for _, number := range []uint32{3, 70} {
			want, err := Read(name, raw, number)
			require.NoError(t, err, name)
			got, err := Unpack(packed(t, before, raw), name, number, func() ([]byte, error) { return raw, nil })
			require.NoError(t, err, name)
			require.Equal(t, want.Hostname(), got.Hostname(), name)
			require.Equal(t, want.Prompts, got.Prompts, name)
			require.Equal(t, want.Source.Noise, got.Source.Noise, name)
			require.Equal(t, want.Source.Name, got.Source.Name)
			require.Len(t, got.Parts, len(want.Parts), name)
			for i := range want.Parts {
				p, q := want.Parts[i], got.Parts[i]
				require.Len(t, q.Facts.Tables, len(p.Facts.Tables), name)
				for j := range p.Facts.Tables {
					a, b := &p.Facts.Tables[j].Routes, &q.Facts.Tables[j].Routes
					require.Equal(t, a.Len(), b.Len(), name)
					require.Equal(t, a.Shared(), b.Shared(), name)
					require.Equal(t, a.EachOnce(), b.EachOnce(), name)
					for k := range a.Len() {
						require.Equal(t, a.At(k), b.At(k), name)
						require.Equal(t, want.Source.Text(a.At(k).Mark), got.Source.Text(b.At(k).Mark), name)
						require.Equal(t, want.Source.Line(a.At(k).Mark.Off), got.Source.Line(b.At(k).Mark.Off), name)
						routes++
					}
					p.Facts.Tables[j].Routes, q.Facts.Tables[j].Routes = route.List{}, route.List{}
				}
				for j, u := range p.Unread {
					p.Unread[j].Reason = errors.New(u.Reason.Error())
				}
				require.Equal(t, p, q, name)
			}
			require.Equal(t, want.Source.Size(), got.Source.Size(), name)
		}
	}
	require.Greater(t, routes, 4000)
}

// TestNothingKeptIsHidden: what is kept has no field that CBOR would pass over without a word, but for those that Pack
// writes itself, and the numbers of parts, which only a network that is built has.
func TestNothingKeptIsHidden(t *testing.T) {
	own := map[string]bool{"capture.Part.abridged": true, "network.ListRule.part": true, "network.AppliedFilter.part": true}
	seen := map[reflect.Type]bool{
		reflect.TypeFor[route.List](): true, reflect.TypeFor[layout.Unread](): true,
		reflect.TypeFor[netip.Addr](): true, reflect.TypeFor[netip.Prefix](): true,
	}
	var look func(x reflect.Type)
	look = func(x reflect.Type) {
		switch x.Kind() {
		case reflect.Slice, reflect.Array:
			look(x.Elem())
		case reflect.Struct:
			if seen[x] {
				return
			}
			seen[x] = true
			for i := range x.NumField() {
				f := x.Field(i)
				if name := x.String() + "." + f.Name; !own[name] {
					require.True(t, f.IsExported(), "%s: export it, or let Pack write it", name)
				}
				look(f.Type)
			}
		case reflect.Map, reflect.Pointer, reflect.Interface, reflect.Func, reflect.Chan:
			t.Errorf("%s cannot be kept as it is", x)
		}
	}
	look(reflect.TypeFor[kept]())
	require.Greater(t, len(seen), 30)
}

// TestEveryAttributeIsKept fills attributes with whatever a field may hold.
func TestEveryAttributeIsKept(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 300 {
		var all []*route.Attributes
		for range r.IntN(6) {
			a := &route.Attributes{}
			fillAny(r, reflect.ValueOf(a).Elem())
			all = append(all, a)
		}
		got, err := unpackAttributes(packAttributes(all))
		require.NoError(t, err)
		require.Len(t, got, len(all))
		for i := range all {
			require.Equal(t, all[i], got[i])
		}
	}
}

// fillAny sets every field of a value at random.
func fillAny(r *rand.Rand, v reflect.Value) {
	if v.Type() == reflect.TypeFor[netip.Addr]() {
		addrs := []string{"10.61.4.1", "fd61::1", "fe80::5%mast0", "::ffff:10.61.4.1", "0.0.0.0", "::"}
		if n := r.IntN(len(addrs) + 1); n < len(addrs) {
			v.Set(reflect.ValueOf(netip.MustParseAddr(addrs[n])))
		}
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			fillAny(r, v.Field(i))
		}
	case reflect.Slice:
		switch n := r.IntN(4); n {
		case 0:
		default:
			v.Set(reflect.MakeSlice(v.Type(), n-1, n-1))
			for i := range n - 1 {
				fillAny(r, v.Index(i))
			}
		}
	case reflect.Bool:
		v.SetBool(r.IntN(2) == 0)
	case reflect.String:
		v.SetString([]string{"", "mast0", "a\xffb", "inter-area"}[r.IntN(4)])
	case reflect.Uint8, reflect.Uint32, reflect.Uint64:
		v.SetUint(r.Uint64() >> r.IntN(64) & (1<<min(v.Type().Bits(), 63) - 1))
	default:
		panic(v.Type())
	}
}

// TestBytesThatAreNoKeptReading: what is cut or damaged where the store's checks would not see it ends in an error.
func TestBytesThatAreNoKeptReading(t *testing.T) {
	raw := samples(t)["sample of "+readers[0].Name]
	c, err := Read("x", raw, 1)
	require.NoError(t, err)
	whole := packed(t, c, raw)
	for n := range len(whole) {
		_, err := Unpack(slices.Clone(whole[:n]), "x", 1, nil)
		require.Error(t, err, "cut after %d bytes", n)
	}
	_, err = Unpack(append(slices.Clone(whole), make([]byte, 8)...), "x", 1, nil)
	require.Error(t, err)
}

func TestAFileThatChangedSinceItsReadingWasKept(t *testing.T) {
	raw := samples(t)["sample of "+readers[0].Name]
	c, err := Read("x", raw, 1)
	require.NoError(t, err)
	again, err := Unpack(packed(t, c, raw), "x", 1, func() ([]byte, error) { return nil, errors.New("another file") })
	require.NoError(t, err)
	m := again.Parts[0].Facts.Tables[0].Routes.At(0).Mark
	require.Equal(t, changedSince, string(again.Source.Text(m)))
	require.Zero(t, again.Source.Line(m.Off))
}
