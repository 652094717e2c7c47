package present

import (
	"bytes"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/gather"
	"zarvek/internal/gather/record"
	"zarvek/internal/gather/target"
)

func TestGatherTextSaysWhatFailedAndWhatWasNotTaken(t *testing.T) {
	at := time.Date(2026, 11, 27, 3, 10, 4, 0, time.UTC)
	one := func(name string, commands ...record.Command) gather.Outcome {
		return gather.Outcome{Target: target.Target{Name: name}, State: gather.Done, Bytes: 12345, Gathered: record.Gathered{
			From: "ssh://night@" + name, Family: "lettered", Start: at, End: at.Add(1500 * time.Millisecond), Commands: commands,
		}}
	}
	taken := record.Command{Command: "show ip route"}
	refused := func(c string, more bool) record.Command {
		return record.Command{Command: c, Refused: "% Unknown", Else: more}
	}
	all := []gather.Outcome{
		one("summit", taken, refused("show ip route vrf all", false), refused("show ip route vrf *", true), refused("show interfaces", false), record.Command{Command: "show interface", Else: true}),
		one("valley", taken, refused("show ip route vrf all", false)),
		one("mast7", taken, record.Command{Command: "vtysh", Refused: "sh: vtysh: not found"}),
		{Target: target.Target{Name: "hut"}, State: gather.Failed, Tries: 2, Err: errors.New("says nothing \x1b[31mmore")},
	}
	all[1].Moved = []record.Move{{Command: "show ip route", First: at, Second: at.Add(9 * time.Second), Gone: 1}}
	all[1].Scrubbed = 2
	var b bytes.Buffer
	require.NoError(t, GatherText(&b, "night", all, View{}))
	require.Equal(t, `3 of 4 devices captured into night; 1 failed

Not captured:
  hut  says nothing \x1b[31mmore (2 tries)

  device  by                  family    answers  bytes   seconds  asked from
  summit  ssh://night@summit  lettered  2        12 345  1.5      03:10:04 UTC
  valley  ssh://night@valley  lettered  1        12 345  1.5      03:10:04 UTC
  mast7   ssh://night@mast7   lettered  1        12 345  1.5      03:10:04 UTC

Not taken, which matters only where a device has what is asked for:
  summit, valley: show ip route vrf all

The table of valley changed while it was read: between 03:10:04 and 03:10:13 UTC 1 route went and 0 routes came (show ip route).

In what valley said 2 secrets of yours stood, made unreadable before it was kept.

To try the others again: zarvek gather -missing -case night
`, b.String())
}
