package hierarchy

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestGroupsThatDoNotStandInTheText may hold filters.
func TestGroupsThatDoNotStandInTheText(t *testing.T) {
	const port = "set interfaces up0 unit 0 family inet address 172.28.61.2/30\n"
	for text, restricts := range map[string]bool{
		port:                              false,
		port + "set apply-groups NIGHT\n": true,
		port + "set interfaces up0 apply-groups NIGHT\n":                                true,
		port + "set groups NIGHT system host-name mast\nset apply-groups NIGHT\n":       false,
		port + "set apply-groups NIGHT\nset groups NIGHT system host-name mast\n":       false,
		port + "set groups DAY system host-name mast\nset apply-groups [ NIGHT DAY ]\n": true,
		port + "set apply-groups \"${node}\"\n":                                         false,
		"groups {\n    NIGHT {\n        system {\n            host-name mast;\n        }\n    }\n}\napply-groups [ NIGHT ];\n" +
			"interfaces {\n    up0 {\n        unit 0 {\n            family inet {\n                address 172.28.61.2/30;\n" +
			"            }\n        }\n    }\n}\n": false,
		"apply-groups [ NIGHT ];\ninterfaces {\n    up0 {\n        unit 0 {\n            family inet {\n" +
			"                address 172.28.61.2/30;\n            }\n        }\n    }\n}\n": true,
		port + "set security policies default-policy deny-all\n":   true,
		port + "set security policies default-policy permit-all\n": false,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.Equal(t, restricts, len(r.Facts.Policy.Flows) > 0, text)
	}
}
