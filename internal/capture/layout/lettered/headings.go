package lettered

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// What stands above the rows: the rest of a key, signs of selection, column names, titles, headings of several rows.

// keyLine matches a line that may go on with a key though it is not indented.
var keyLine = lazyregexp.New(`^[A-Za-z][A-Za-z0-9]{0,6}(?: - [A-Za-z]|: [A-Z][^,]*,)|^[>*+] - [a-zA-Z]`)

// goesOnWithKey reports whether a line that is not indented goes on with a key.
func goesOnWithKey(line []byte) bool {
	if !keyLine.Match(line) {
		return false
	}
	_, title := instanceHeading(line)
	return !title
}

// around matches what some devices print above and below the rows; what it counts is compared elsewhere.
var around = lazyregexp.New(`(?i)^(?:maximum parallel paths: |ip forwarding: enabled\s*$|displaying \S+ routes? ` +
	`|displaying \d+ of \d+ ipv6 routing table entries|ipv6 routing table\s*$|timers: |route leaking:\s*$` +
	`|total (?:number of )?routes?(?: count)? ?[:=] ?\d+\s*$)`)

// endLegend takes stock of a key that was read.
func (r *reader) endLegend() {
	if !r.inLegend {
		return
	}
	r.inLegend = false
	r.addSelected()
	r.PathTypes = r.legend.tellsPaths()
	if r.legend.selects && !r.legend.installs && !signsUsed(r.text, ">*") {
		r.legend.selects = false // it names a sign that no row has
	}
}

// isNames tells the column names that some devices print above lettered rows.
func isNames(line []byte) bool {
	return bytes.Contains(line, []byte("Destination")) &&
		(bytes.Contains(line, []byte("Gateway")) || bytes.Contains(line, []byte("Next")))
}

// looksMarked reports whether rows carry marks of selection, for a text without a legend.
func looksMarked(text []byte) bool {
	return bytes.Contains(text[:min(len(text), maxLook)], []byte(">* "))
}

// addSelected takes a sign that some rows have, and that the key does not explain, for that of the route chosen, as all
// tables with it do: a row without it is none then.
func (r *reader) addSelected() {
	if !r.signsKnown {
		r.signs, r.signsKnown = signsUsed(r.text, ">"), true
	}
	if _, told := r.legend.entries[">"]; !told && r.signs {
		r.legend.add("> - selected route")
	}
}

// signsUsed reports whether any row near the beginning has one of some signs of selection behind its code.
func signsUsed(text []byte, signs string) bool {
	for lo, hi := range layout.Lines(text[:min(len(text), maxLook)]) {
		line := text[lo:hi]
		p, _ := findPrefix(line)
		if p > 0 && isLetter(line[0]) && isCodes(line[:p]) && bytes.ContainsAny(line[:p], signs) {
			return true
		}
	}
	return false
}

// instanceHeading reads the lines that name the table of the rows below: "VRF NAME:", "VRF: NAME", "Routing Table:
// NAME", "Routing table for VRF=NAME", "IPv6 Routing Table - NAME - 10 entries", and longer forms that end in "VRF
// NAME:".
func instanceHeading(line []byte) (string, bool) {
	line = bytes.TrimRight(line, " \t")
	last := line[len(line)-1]
	if len(line) > 200 || line[0] != 'V' && line[0] != 'R' && line[0] != 'I' && last != ':' {
		return "", false
	}
	s := string(line)
	if _, rest, ok := strings.Cut(s, " Routing Table - "); ok && line[0] == 'I' {
		name, _, _ := strings.Cut(rest, " - ")
		if strings.HasSuffix(name, " entries") {
			name = ""
		}
		return instanceName(name), true
	}
	for _, begin := range []string{"VRF: ", "Routing Table: ", "Routing table for VRF="} {
		if name, ok := strings.CutPrefix(s, begin); ok {
			return instanceName(strings.TrimSpace(name)), true
		}
	}
	if m := titleOfInstance.FindStringSubmatch(s); m != nil {
		return instanceName(m[1]), true
	}
	if last != ':' {
		return "", false
	}
	words := strings.Fields(strings.TrimSuffix(s, ":"))
	for i := 0; i+1 < len(words); i++ {
		if !strings.EqualFold(words[i], "vrf") {
			continue
		}
		vrf := instanceName(strings.Trim(words[i+1], ":"))
		if i+3 < len(words) && words[i+2] == "table" && vrf == "" && words[i+3] != "254" {
			return words[i+3], true
		}
		return vrf, true
	}
	return "", false
}

// titleOfInstance matches "Routing Table for Virtual Router <NAME>".
var titleOfInstance = lazyregexp.New(
	`(?i)^routing table (?:for|of) (?:virtual router|vrouter|instance|vrf)[: ]+<?([\w.-]+)>?$`)

// instanceName returns "" for the names that the default instance goes by.
func instanceName(name string) string {
	if strings.EqualFold(name, "default") || strings.EqualFold(name, "trust-vr") || name == "0" {
		return ""
	}
	return name
}

// parent reads a heading that stands for several rows and is no route itself; its prefix is line[from:to].
func (r *reader) parent(line []byte, from, to, lo, hi int) (bool, error) {
	rest := bytes.TrimSpace(line[to:])
	if !bytes.HasPrefix(rest, []byte("is subnetted")) && !bytes.HasPrefix(rest, []byte("is variably subnetted")) {
		return false, nil
	}
	r.flush()
	r.turned = true
	p, err := layout.Prefix(line[from:to], true)
	if err != nil {
		return true, err
	}
	r.heading, r.under = -1, p
	if bytes.HasPrefix(rest, []byte("is subnetted")) {
		r.heading = p.Bits()
	}
	r.Pass(lo, hi, layout.Parent)
	return true, nil
}
