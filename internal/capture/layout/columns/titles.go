package columns

import (
	"regexp"
	"strings"
)

// instanceTitle reads a title that names the table of what follows.
func instanceTitle(t string) (string, bool) {
	for _, begin := range []string{"VIRTUAL ROUTER: ", "virtual-router name: ", "Logical Router: ", "logical-router name: ", "VRF: ", "Routing Tables: ", "Routing Table : ", "Routing Table: ", "vrf "} {
		rest, ok := strings.CutPrefix(t, begin)
		if !ok {
			continue
		}
		name, _, _ := strings.Cut(strings.TrimSpace(rest), " ")
		return instanceName(strings.Trim(name, ":")), true
	}
	if !strings.HasPrefix(t, "IP") {
		return "", false
	}
	if m := titleInWords.FindStringSubmatch(t); m != nil {
		return instanceName(m[1] + m[2] + m[3]), true
	}
	return "", false
}

// titleInWords matches "IPv4 Dest-Routes for <NAME> (4 entries)" and "IP Route - NAME".
var titleInWords = regexp.MustCompile(`^IPv[46] Dest-Routes for <([^<>]+)> \(\d+ entries\)$|^IP(?:v6)? Route - (\S+)$|^IPv[46] unicast route table of network instance (\S+)$`)

// instanceName is "default" for the names that the main instance goes by.
func instanceName(name string) string {
	switch strings.ToLower(name) {
	case "", "public", "default", "_public_", "vr-default", "main", "globalrouter", "trust-vr":
		return "default"
	}
	return name
}
