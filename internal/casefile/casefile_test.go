package casefile

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

const attached = "Codes: C - connected, S - static\n\nC    10.61.16.0/24 is directly connected, hall0\n"

// write makes a case of files.
func write(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		p := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(text), 0o644))
	}
	return dir
}

func TestDeviceNames(t *testing.T) {
	for _, tt := range []struct {
		name  string
		files map[string]string
		want  []string
	}{
		{"the folder under the case", map[string]string{"valley/a.txt": attached, "midway/deep/down/b.txt": attached}, []string{"midway", "valley"}},
		{"the folder, whatever the prompt says", map[string]string{"valley/a.txt": "other# show ip route\n" + attached, "x/y.txt": attached}, []string{"valley", "x"}},
		{"the prompt in a log", map[string]string{"night.log": "valley# show ip route\n" + attached}, []string{"valley"}},
		{"two devices in one log", map[string]string{"night.log": "valley# show ip route\n" + attached + "midway# show ip route\n" + attached}, []string{"midway", "valley"}},
		{"the file's stem", map[string]string{"valley.txt": attached, "notes.yaml": "hosts: {}\n", ".hidden": attached, ".git/a.txt": attached}, []string{"valley"}},
		{"one folder of folders is looked into", map[string]string{"captures/valley/a.txt": attached, "captures/midway/a.txt": attached, "README.md": "words\n"}, []string{"midway", "valley"}},
		{"one device's folder is not", map[string]string{"valley/a.txt": attached, "valley/old/b.txt": attached}, []string{"valley"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c, err := Load(write(t, tt.files))
			require.NoError(t, err)
			var got []string
			for _, d := range c.Network.Devices().All() {
				got = append(got, d.Name)
			}
			require.Equal(t, tt.want, got)
		})
	}
}

func TestSeveralFormsOfOneTableAreMerged(t *testing.T) {
	c, err := Load(write(t, map[string]string{"valley/a.txt": attached, "valley/b.log": attached,
		"valley/c.json": `[{"dst":"10.61.16.0/24","dev":"hall0","protocol":"kernel","scope":"link","prefsrc":"10.61.16.1","flags":[]}]`}))
	require.NoError(t, err)
	tab := c.Network.Device("valley").Table("default", route.IPv4)
	require.Equal(t, 1, tab.Routes().Len())
	var where []Position
	for _, m := range tab.Evidence(0) {
		where = append(where, c.Position(m))
	}
	require.Equal(t, []Position{{"valley/a.txt", 3}, {"valley/b.log", 3}, {"valley/c.json", 1}}, where)
	require.Contains(t, string(c.Text(tab.Evidence(0)[2])), `"dst":"10.61.16.0/24"`)
}

func TestErrorsSayWhatWhereAndWhatToDo(t *testing.T) {
	file := filepath.Join(write(t, map[string]string{"x": "y"}), "x")
	for dir, want := range map[string]string{
		"/no/such":     "/no/such: there is no such folder; give the case's folder with -case",
		"/no/\x1bsuch": `"/no/\x1bsuch": there is no such folder; give the case's folder with -case`,
		file:           file + ": not a folder; -case takes a folder of captures",
	} {
		_, err := Load(dir)
		require.EqualError(t, err, want)
		require.IsType(t, &Error{}, err)
	}
}

func TestSummaries(t *testing.T) {
	c, err := Load(
		write(
			t,
			map[string]string{"valley/a.txt": attached + "what is this\n", "readme.md": "one\n\ntwo\n", "void.txt": ""},
		),
	)
	require.NoError(t, err)
	all := c.Summaries()
	require.Len(t, all, 3)
	require.Equal(t, "valley", all[0].Name)
	require.Equal(
		t,
		[]CaptureSummary{{File: "valley/a.txt", Layout: "lettered", Routes: 1, Read: 1, Ignored: 1, Unread: 1}},
		all[0].Captures,
	)
	require.Equal(t, []Missing{NoTable6, NoAddresses, NoNeighbours}, all[0].Missing)
	require.Len(t, all[1].Unread, 2)
	require.Nil(t, all[1].Device)
	require.Empty(t, all[2].Unread)
}

// TestAFolderOfSeveralDevices: where prompts in a folder name several, each output is its own device's; where they name
// one, the folder's name counts.
func TestAFolderOfSeveralDevices(t *testing.T) {
	c, err := Load(write(t, map[string]string{
		"night/a.log":  "hub-1# show ip route\n" + attached + "hub-1# exit\n",
		"night/b.log":  "till-9# show ip route\n" + attached + "till-9# exit\n",
		"valley/a.log": "vl01# show ip route\n" + attached + "vl01# exit\n",
	}))
	require.NoError(t, err)
	for name, there := range map[string]bool{"hub-1": true, "till-9": true, "night": false, "valley": true, "vl01": false} {
		require.Equal(t, there, c.Network.Device(name) != nil, name)
	}
}

// TestWhoeverAnswersElsewhere is not the device that somebody left: what comes before a prompt that is known is
// nobody's.
func TestWhoeverAnswersElsewhere(t *testing.T) {
	c, err := Load(write(t, map[string]string{
		"hub-1.log": "hub-1# show ip route\n" + attached + "hub-1# ssh ops@10.9.9.9\nPassword:\n=odd prompt= show ip route\n" +
			strings.ReplaceAll(attached, "10.61", "10.99") + "hub-1# exit\n",
	}))
	require.NoError(t, err)
	tab := c.Network.Device("hub-1").Table("default", route.IPv4)
	require.Equal(t, 1, tab.Routes().Len())
	require.NotContains(t, tab.Routes().At(0).Prefix.String(), "10.99")
	require.NotEmpty(t, c.Summaries()[0].Unread)
	for _, command := range []string{"exit", "ping 10.9.9.9 count 3", "date"} { // no answer has routes
		c, err = Load(write(t, map[string]string{
			"hub-1.log": "hub-1# show ip route\n" + attached + "hub-1# " + command + "\n" + strings.ReplaceAll(attached, "10.61", "10.99"),
		}))
		require.NoError(t, err)
		require.Equal(t, 1, c.Network.Device("hub-1").Table("default", route.IPv4).Routes().Len(), command)
	}
}

// TestAConfigurationNamesItsDevice: what it restricts counts on the device that has other captures under that name;
// where none has, or a folder or a prompt says whose it is, or two names stand there, its own name changes nothing.
func TestAConfigurationNamesItsDevice(t *testing.T) {
	body := "interface eth0\n ip address 10.61.0.1 255.255.0.0\n ip access-group NIGHT in\n"
	for files, want := range map[*map[string]string]bool{
		{"hub-1.log": "hub-1# show ip route\n" + attached + "hub-1# exit\n", "saved.cfg": "hostname hub-1\n" + body}:              true,
		{"hub-1.txt": attached, "saved.cfg": "sysname hub-1\n" + body}:                                                            true,
		{"hub-1.txt": attached, "saved.cfg": "system {\n  host-name hub-1;\n}\n" + body}:                                          true,
		{"hub-1.txt": attached, "saved.cfg": "hostname hub-2\n" + body}:                                                           false,
		{"hub-1.txt": attached, "saved.cfg": "hostname hub-1\nhostname hub-2\n" + body}:                                           false,
		{"hub-1.txt": attached, "other/saved.cfg": "hostname hub-1\n" + body}:                                                     false,
		{"hub-1.txt": attached, "saved.log": "till# show running-config\nhostname hub-1\n" + body + "till# show clock\ntill# \n"}: false,
	} {
		c, err := Load(write(t, *files))
		require.NoError(t, err)
		require.Equal(t, want, c.Network.Device("hub-1").Flows().Len() > 0, *files)
	}
}
