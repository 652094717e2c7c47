package notes

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/route"
)

// two resolves two devices with one interface each.
type two struct{}

func (two) DeviceName(name string) (string, error) {
	if name == "valley" || name == "summit" {
		return name, nil
	}
	return "", fmt.Errorf("no device of this case is called %q", name)
}

func (two) InterfaceName(device, name string) (string, error) {
	if name == "radio0" {
		return name, nil
	}
	return "", fmt.Errorf("%s has no interface %q", device, name)
}

func TestParseChange(t *testing.T) {
	steps, err := ParseChange("tonight.yaml", []byte(`steps:
  - name: open the new way
    add: "valley: 10.61.72.0/24 via 172.28.61.18 preference 200"
    remove:
      summit: 10.61.96.0/20 via 172.28.61.9 in red
  - down: [summit:radio0, valley]
    up: summit:radio0
`), 0, two{})
	require.NoError(t, err)
	require.Len(t, steps, 2)
	require.Equal(t, "open the new way", steps[0].Name)
	require.Equal(t, rehearse.Add, steps[0].Orders[0].Verb)
	require.EqualValues(t, 200, steps[0].Orders[0].Static.Preference.Value)
	require.Equal(t, "172.28.61.9", steps[0].Orders[1].NextHop.String())
	require.Equal(t, "red", steps[0].Orders[1].Table)
	require.Equal(t, "radio0", steps[1].Orders[0].Interface)
	require.Empty(t, steps[1].Orders[1].Interface, "the whole device")
	require.Equal(t, rehearse.Up, steps[1].Orders[2].Verb)

	again, err := ParseChange("saved.yaml", WriteChange(steps), 0, two{})
	require.NoError(t, err, "what is written is read again")
	require.Len(t, again, 2)
	for i := range steps {
		for k := range steps[i].Orders {
			x, y := steps[i].Orders[k], again[i].Orders[k]
			x.Where, y.Where = "", ""
			x.Static.Mark, y.Static.Mark = route.Mark{}, route.Mark{}
			require.Equal(t, x, y)
		}
	}
}

func TestChangeErrors(t *testing.T) {
	for in, want := range map[string]string{
		"":                                       "f: no steps in it; write steps: and a list below",
		"step: []":                               `f:1:1: there is no key "step" in a change; it takes steps, about`,
		"steps:\n  - name: x":                    "f:2:5: a step without orders; it takes add, remove, down and up",
		"steps:\n  - add: valley":                `f:2:10: a route is wanted behind the device; write "DEVICE: PREFIX via ADDRESS preference N"`,
		"steps:\n  - down: nowhere":              `f:2:11: no device of this case is called "nowhere"`,
		"steps:\n  - down: summit:x":             `f:2:11: summit has no interface "x"`,
		"steps:\n  - up: summit":                 "f:2:9: an interface is wanted; write DEVICE:INTERFACE",
		"steps:\n  - remove: {summit: 10.0.0/8}": `f:2:22: "10.0.0/8" is no prefix; write ADDRESS/LENGTH behind the device`,
	} {
		_, err := ParseChange("f", []byte(in), 0, two{})
		require.EqualError(t, err, want, in)
	}
}
