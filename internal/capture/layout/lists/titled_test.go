package lists

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

func TestTitled(t *testing.T) {
	const text = "== [onboard]\n\t==[up0]\n\t\tmode: static\n\t\tip: 172.28.61.2 255.255.255.252\n\t\tipv6: ::/0\n\t\tstatus: down\n\t\tspeed: n/a\n" +
		"\t==[tills]\n\t\tmode: static\n\t\tip: 10.61.64.1 255.255.255.0\n\t\tstatus: up\n\t==[spare]\n\t\tip: 0.0.0.0 0.0.0.0\n\t\tstatus: down\n"
	for what, tt := range map[string]struct {
		text         string
		want, unread []string
	}{
		"all": {text, []string{"up0 2", "tills 1", "spare 2", "172.28.61.2/30 up0", "10.61.64.1/24 tills"}, nil},
		"a title is missing": {"==[up0]\n\tip: 172.28.61.2 255.255.255.252\n\tstatus: down\n\tip: 10.61.64.1 255.255.255.0\n\tstatus: up\n",
			[]string{"up0 2", "172.28.61.2/30 up0"}, []string{"4 a continuation without a route before it", "5 a continuation without a route before it"}},
		"no mask": {"==[up0]\n\tip: 172.28.61.2 255.0.255.0\n\tstatus: up\n", []string{"up0 1"}, []string{"2 mask is not contiguous: 255.0.255.0"}},
	} {
		in := []byte(tt.text)
		r := layouttest.Laws(t, ReadTitled, in)
		var got []string
		for _, i := range r.Facts.Interfaces {
			got = append(got, fmt.Sprint(i.Name, " ", uint8(i.State)))
		}
		for _, a := range r.Facts.Addresses {
			got = append(got, fmt.Sprint(a.Prefix, " ", a.Interface))
		}
		require.Equal(t, tt.want, got, what)
		require.Equal(t, tt.unread, layouttest.Unread(in, r), what)
		require.Positive(t, recogniseTitled(in), what)
	}
	require.Zero(t, recogniseTitled([]byte("== [ up0 ]\nname: up0   mode: static   status: down\n")))
}

func FuzzReadTitled(f *testing.F) {
	f.Add([]byte(Titled.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadTitled, in) })
}
