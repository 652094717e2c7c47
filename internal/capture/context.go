package capture

import (
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// What a command asked for says which table its output is of, where the output itself does not.

// tableWords stand in front of a table's name: the VRF, the routing instance, the virtual router, a kernel's table.
var tableWords = map[string]bool{
	"vrf": true, "vpn-instance": true, "network-instance": true, "instance": true, "routing-instance": true,
	"virtual-router": true, "vr": true,
	"table": true, "vrouter": true, "logical-router": true, "logical-system": true, "tenant": true, "vdom": true,
	"vsys": true, "context": true,
}

// sameTable are names that mean the default table, or all of them.
var sameTable = map[string]bool{
	"": true, "default": true, "global": true, "main": true, "local": true, "all": true, "254": true, "255": true,
	"0": true, "*": true,
	"inet.0": true, "inet6.0": true, "master": true, "master4": true, "master6": true,
	"ipv4": true, "ipv6": true, "unicast": true, "public": true,
	"detail": true,
}

// partGiven matches a command that another part of the device is given.
var partGiven = lazyregexp.New(`^sudo [\w.-]+ (?:get|diag\w*) `)

// tableName is what a table may be called.
var tableName = lazyregexp.New(`^[A-Za-z0-9][\w.:/-]*$`)

// commandTable returns the table that a command asks for, "" where it names none.
func commandTable(command string) string {
	low, _, _ := strings.Cut(command, "|")
	if m := numberedTable.FindStringSubmatch(low); m != nil {
		return bsdTable(m[1]+m[2], m[3]+m[4])
	}
	words := strings.Fields(low)
	kernel := ofKernel.MatchString(low)
	for i, w := range words {
		switch lw := strings.ToLower(w); {
		case i == 0 && (lw == "set" || lw == "no" || lw == "delete" || lw == "add"):
			return "" // it configures
		case i == 2 && words[0] == "sudo" && partGiven.MatchString(low): // given to a part of the device
			if name := words[1]; !mainPart(name) && tableName.MatchString(name) {
				return name
			}
		case (tableWords[lw] || kernel && i > 1 && strings.HasPrefix("table", lw)) && i+1 < len(words):
			name := strings.Trim(words[i+1], `"'`)
			if sameTable[strings.ToLower(name)] || lw == "vdom" && mainPart(name) || !tableName.MatchString(name) ||
				sourceWords[strings.ToLower(name)] {
				continue
			}
			return strings.TrimSuffix(strings.TrimSuffix(name, ".inet.0"), ".inet6.0")
		}
	}
	return ""
}

// numberedTable matches commands of BSD systems for one of several forwarding tables, or for that of a routing domain.
var numberedTable = lazyregexp.New(`^(?:\S*/)?(?:setfib -?F? ?(\d+) .*\b(?:netstat|route)\b` +
	`|netstat\b.* -[a-zA-Z]*F ?(\d+)|netstat\b.* -[a-zA-Z]*T ?(\d+)|route -T ?(\d+) )`)

// bsdTable names a forwarding table, or a routing domain's, by its number; "" for the first one.
func bsdTable(fib, domain string) string {
	switch {
	case strings.Trim(fib+domain, "0") == "":
		return ""
	case fib != "":
		return "fib " + fib
	}
	return "rdomain " + domain
}

// mainPart reports whether a part of a device is the one that is there before there are others.
func mainPart(name string) bool { return name == "root" || sameTable[strings.ToLower(name)] }

// nameTables gives the tables whose output does not name them the name that the command gave, or the part of the device
// that the prompt names.
func (p *Part) nameTables(src *Source, part string) {
	name := commandTable(p.Command)
	if part != "" && !mainPart(part) {
		for i := range p.Facts.Tables {
			if t := &p.Facts.Tables[i]; t.Name != "default" {
				t.Name = part + "/" + t.Name // another part may have one of the same name
			}
		}
		name = strings.TrimSuffix(part+"/"+name, "/")
	}
	if name == "" && p.Command == "" {
		name = commandTable(bareCommandIn(src, p.Unread))
	}
	if name == "" || len(p.Facts.Tables) == 0 {
		return
	}
	for i := range p.Facts.Tables {
		if t := &p.Facts.Tables[i]; t.Name == "default" {
			t.Name, t.ByRule = name, kernelTable.MatchString(p.Command)
		}
	}
}

// ofKernel matches a command of iproute, whose words may be cut short, and kernelTable one that asks for a table by its
// number or name.
var (
	ofKernel    = lazyregexp.New(`^(?:sudo )?(?:\S*/)?ip\s`)
	kernelTable = lazyregexp.New(`^(?:sudo )?(?:\S*/)?ip\b.*\st(?:a(?:b(?:le?)?)?)?\b`)
)

// bareCommandIn returns the first command for routes among lines that a reader left unread: its prompt was not known as
// one, or is missing.
func bareCommandIn(src *Source, unread []layout.Unread) string {
	for _, u := range unread {
		line := appendClean(nil, src.Text(u.Mark))
		if m := anyPrompt.FindSubmatch(line); m != nil {
			return string(m[1])
		}
	}
	return ""
}

// anyPrompt is a command for routes behind whatever may be a prompt.
var anyPrompt = lazyregexp.New(`^\s*(?:\S{0,60}\s?[$#>%\]]\s*)?((?:show|sho|sh|do|ip|display|dis|get|netstat` +
	`|route|print|birdc|run|vtysh)\s.*)$`)

// commandScopes returns what a listing that was asked for in part answers for all the same: the one address that was
// asked for, or the prefix with all that is in it. A search behind a pipe, a source, an interface answers for nothing.
func commandScopes(command string) []netip.Prefix {
	if strings.Contains(command, "|") {
		return nil
	}
	words := strings.Fields(strings.ToLower(command))
	at := -1
	for i, w := range words {
		if routeWord.MatchString(w) {
			at = i
		}
	}
	if at < 0 {
		return nil
	}
	var out []netip.Prefix
	longer := false
	for i := at + 1; i < len(words); i++ {
		w := words[i]
		if tableWords[w] {
			i++
			continue
		}
		if w == "longer-prefixes" || w == "longer" {
			longer = true
			continue
		}
		if a, err := netip.ParseAddr(w); err == nil && a.Zone() == "" {
			if i+1 < len(words) {
				if m, ok := layout.IPv4([]byte(words[i+1])); ok && a.Is4() {
					n, err := layout.MaskLength(m)
					if err != nil {
						return nil
					}
					out = append(out, netip.PrefixFrom(a, n).Masked())
					i++
					continue
				}
			}
			out = append(out, netip.PrefixFrom(a, a.BitLen()))
			continue
		}
		if p, err := netip.ParsePrefix(w); err == nil {
			out = append(out, p.Masked())
			continue
		}
		if !wholeWords[w] && w != "for" {
			return nil
		}
	}
	if len(out) != 1 || !out[0].IsSingleIP() && !longer {
		return nil
	}
	return out
}
