package require

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A SyntaxError is a mistake in a file of requirements. Line and Column count from 1, the column in characters.
type SyntaxError struct {
	Line, Column int
	Text         string
}

func (e *SyntaxError) Error() string { return fmt.Sprintf("%d:%d: %s", e.Line, e.Column, e.Text) }

// Names finds what a name stands for.
type Names interface {
	// Range returns the addresses of a host, a network, a group or a device, and whether there is such a name; near is
	// a name that may be meant.
	Range(name string) (all []netip.Prefix, ok bool, near string)
	// Device returns the whole name of a device; near is one that may be meant.
	Device(name string) (whole string, ok bool, near string)
	// Flow reads a protocol with a port, such as "tcp 443".
	Flow(text string) (network.Flow, error)
}

// Parse reads requirements, one a line, or a subject with a colon and what it requires on indented lines below. What
// stands behind # is a comment. The first mistake ends it.
func Parse(text string, names Names) ([]Requirement, error) {
	var out []Requirement
	subject := ""
	n := 0
	for line := range strings.Lines(text) {
		n++
		line = strings.TrimRight(line, "\r\n")
		if i := comment(line); i >= 0 {
			line = line[:i]
		}
		bare := strings.TrimSpace(line)
		if bare == "" {
			continue
		}
		indented := line[0] == ' ' || line[0] == '\t'
		if !indented {
			subject = ""
			if head, ok := strings.CutSuffix(bare, ":"); ok {
				subject = strings.TrimSpace(head)
				continue
			}
		}
		p := &parser{line: n, names: names}
		if indented && subject != "" {
			p.words = split(subject)
			for i := range p.words {
				p.words[i].column = 1
			}
		}
		p.words = append(p.words, split(line)...)
		p.end = len([]rune(strings.TrimRight(line, " \t"))) + 1
		r, err := p.requirement()
		if err != nil {
			return nil, err
		}
		r.Line, r.Text = n, bare
		if indented && subject != "" {
			r.Text = subject + " " + bare
		}
		out = append(out, r)
	}
	return out, nil
}

// comment returns where a comment begins, -1 for none: at a # with a blank before it, or at the beginning.
func comment(line string) int {
	for i := range line {
		if line[i] == '#' && (i == 0 || line[i-1] == ' ' || line[i-1] == '\t') {
			return i
		}
	}
	return -1
}

// word is one word of a line, or a comma.
type word struct {
	text   string
	column int
	quoted bool
}

// split parts a line into words; a comma is a word of its own, and a name may stand in quotes.
func split(line string) []word {
	var out []word
	r := []rune(line)
	for i := 0; i < len(r); {
		switch {
		case r[i] == ' ' || r[i] == '\t':
			i++
		case r[i] == ',':
			out = append(out, word{text: ",", column: i + 1})
			i++
		case r[i] == '"':
			k := i + 1
			for k < len(r) && r[k] != '"' {
				k++
			}
			out = append(out, word{string(r[i+1 : k]), i + 1, true})
			i = k + 1
		default:
			k := i
			for k < len(r) && r[k] != ' ' && r[k] != '\t' && r[k] != ',' {
				k++
			}
			out = append(out, word{text: string(r[i:k]), column: i + 1})
			i = k
		}
	}
	return out
}

// parser reads the words of one requirement from left to right.
type parser struct {
	line, end int
	words     []word
	at        int
	names     Names
}

func (p *parser) fail(format string, args ...any) error {
	column := p.end
	if p.at < len(p.words) {
		column = p.words[p.at].column
	}
	return &SyntaxError{p.line, column, fmt.Sprintf(format, args...)}
}

// found words what stands at the place, for messages.
func (p *parser) found() string {
	if p.at >= len(p.words) {
		return "the end of the line"
	}
	return strconv.Quote(p.words[p.at].text)
}

// is reports whether one of some words stands at the place, and which.
func (p *parser) is(words ...string) bool {
	return p.at < len(p.words) && !p.words[p.at].quoted && slices.Contains(words, p.words[p.at].text)
}

// take goes on behind a row of words if it stands at the place.
func (p *parser) take(words ...string) bool {
	for i, w := range words {
		if p.at+i >= len(p.words) || p.words[p.at+i].quoted || p.words[p.at+i].text != w {
			return false
		}
	}
	p.at += len(words)
	return true
}

// requirement reads one requirement:
//
//	requirement = "nothing" "loops"
//	            | device "knows" prefix ["by" protocol]
//	            | device "discards" prefix
//	            | ends ("reaches" | "reach") ["only"] ends {qualifier}
//	            | ends "never" ("reaches" | "reach") ends ["," "on" flow]
//	qualifier   = "by" "way" "of" device {"and" device} | "within" number "hops"
//	            | "also" "without" ("any" "one" ("link" | "device") | device [":" interface])
//	            | "," "on" flow
//	ends        = end {("and" | ",") end}
//	end         = address | prefix | name | "every" "lan" | "internet"
func (p *parser) requirement() (Requirement, error) {
	var r Requirement
	if p.take("nothing") {
		if !p.take("loops") {
			return r, p.fail("%s is not understood behind \"nothing\"; write nothing loops", p.found())
		}
		r.Kind = NothingLoops
		return r, p.done()
	}
	if i := slices.IndexFunc(p.words,
		func(w word) bool { return !w.quoted && (w.text == "knows" || w.text == "discards") }); i >= 0 {
		return p.aboutRoute()
	}
	var err error
	if r.From, err = p.ends("reaches", "reach", "never"); err != nil {
		return r, err
	}
	if p.take("never") {
		r.Kind = Never
	}
	if !p.take("reaches") && !p.take("reach") {
		if r.Kind == Never {
			return r, p.fail("%s stands where \"reach\" is wanted", p.found())
		}
		return r, p.fail("%s stands where a verb is wanted: reaches, never reaches, knows or discards", p.found())
	}
	if r.Kind == Reaches && p.take("only") {
		r.Kind = Only
	}
	if r.To, err = p.ends("by", "within", "also", "on"); err != nil {
		return r, err
	}
	for p.at < len(p.words) {
		if err := p.qualifier(&r); err != nil {
			return r, err
		}
	}
	return r, nil
}

// aboutRoute reads what one device's table has to have.
func (p *parser) aboutRoute() (r Requirement, err error) {
	if r.Device, err = p.device(); err != nil {
		return r, err
	}
	switch {
	case p.take("knows"):
		r.Kind = Knows
	case p.take("discards"):
		r.Kind = Discards
	default:
		return r, p.fail("%s stands where \"knows\" or \"discards\" is wanted", p.found())
	}
	if p.at >= len(p.words) {
		return r, p.fail("a prefix is wanted here, as ADDRESS/LENGTH")
	}
	q, perr := netip.ParsePrefix(p.words[p.at].text)
	if perr != nil {
		return r, p.fail("%s is no prefix; write ADDRESS/LENGTH", p.found())
	}
	r.Prefix = q.Masked()
	p.at++
	if r.Kind == Knows && p.take("by") {
		if p.at >= len(p.words) {
			return r, p.fail("a protocol is wanted behind \"by\", such as static or ospf")
		}
		name := p.words[p.at].text
		for x := route.Other; x <= route.Aggregate; x++ {
			if x.String() == name {
				r.Protocol, r.ByProtocol = x, true
			}
		}
		if !r.ByProtocol {
			return r, p.fail("%s is no source of routes; one of direct, static, ospf, isis, rip, bgp and so on is "+
				"wanted", p.found())
		}
		p.at++
	}
	return r, p.done()
}

// done asks that nothing stands behind.
func (p *parser) done() error {
	if p.at < len(p.words) {
		return p.fail("%s is not understood here; the requirement is complete before it", p.found())
	}
	return nil
}

func (p *parser) device() (string, error) {
	if p.at >= len(p.words) {
		return "", p.fail("a device is wanted here")
	}
	name, ok, near := p.names.Device(p.words[p.at].text)
	if !ok {
		return "", p.fail("no device of this case is called %s%s", p.found(), didYouMean(near))
	}
	p.at++
	return name, nil
}

func didYouMean(near string) string {
	if near == "" {
		return ""
	}
	return "; did you mean " + near + "?"
}

// ends reads one or more ends, up to one of some words or a comma with "on" behind it.
func (p *parser) ends(until ...string) ([]End, error) {
	var out []End
	for {
		e, err := p.oneEnd(until)
		if err != nil {
			return nil, err
		}
		out = append(out, e)
		if p.at+1 < len(p.words) && p.is(",") && p.words[p.at+1].text == "on" {
			return out, nil
		}
		if !p.take("and") && !p.take(",") {
			return out, nil
		}
	}
}

// oneEnd reads an end: an address, a prefix, a name, "every lan" or "internet".
func (p *parser) oneEnd(until []string) (End, error) {
	if p.at >= len(p.words) || p.is(until...) {
		return End{}, p.fail("%s stands where an address, a prefix or a name is wanted", p.found())
	}
	w := p.words[p.at]
	switch {
	case p.take("every"):
		if !p.take("lan") {
			return End{}, p.fail("%s is not understood behind \"every\"; write every lan", p.found())
		}
		return End{Name: "every lan", EveryLAN: true}, nil
	case p.take("internet"):
		return End{Name: "internet", Internet: true}, nil
	}
	if q, err := netip.ParsePrefix(w.text); err == nil {
		p.at++
		return End{Name: w.text, Prefixes: []netip.Prefix{q.Masked()}}, nil
	}
	if a, err := netip.ParseAddr(w.text); err == nil && a.Zone() == "" {
		p.at++
		a = a.Unmap()
		return End{Name: w.text, Prefixes: []netip.Prefix{netip.PrefixFrom(a, a.BitLen())}}, nil
	}
	all, ok, near := p.names.Range(w.text)
	if !ok {
		return End{}, p.fail("%s is no address, no prefix, and nothing of the notes or the case is called so%s",
			p.found(), didYouMean(near))
	}
	p.at++
	return End{Name: w.text, Prefixes: all}, nil
}

// qualifier reads what narrows a requirement.
func (p *parser) qualifier(r *Requirement) error {
	switch {
	case p.take(",", "on"), p.take("on"):
		var parts []string
		for p.at < len(p.words) && !p.is("by", "within", "also") {
			parts = append(parts, p.words[p.at].text)
			p.at++
		}
		flow, err := p.names.Flow(strings.Join(parts, " "))
		if err != nil {
			p.at -= len(parts)
			return p.fail("%v", err)
		}
		r.Flow, r.HasFlow = flow, true
		return nil
	case r.Kind != Reaches:
		return p.fail("%s is not understood here; only \", on PROTOCOL PORT\" may follow", p.found())
	case p.take("by", "way", "of"):
		for {
			d, err := p.device()
			if err != nil {
				return err
			}
			r.Way = append(r.Way, d)
			if !p.take("and") {
				return nil
			}
		}
	case p.take("within"):
		if p.at >= len(p.words) {
			return p.fail("a number is wanted behind \"within\"")
		}
		n, err := strconv.Atoi(p.words[p.at].text)
		if err != nil || n < 1 {
			return p.fail("%s stands where a number of hops is wanted", p.found())
		}
		p.at++
		if !p.take("hops") && !p.take("hop") {
			return p.fail("%s stands where \"hops\" is wanted", p.found())
		}
		r.Within = n
		return nil
	case p.take("also", "without", "any", "one", "link"):
		r.Without = AnyLink
		return nil
	case p.take("also", "without", "any", "one", "device"):
		r.Without = AnyDevice
		return nil
	case p.take("also", "without"):
		return p.fail("%s is not understood here; write any one link, or any one device", p.found())
	}
	return p.fail("%s is not understood here; by way of, within N hops, also without any one link, or \", on tcp "+
		"22\" may follow", p.found())
}
