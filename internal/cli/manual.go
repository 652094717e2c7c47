package cli

import (
	"flag"
	"fmt"
	"io"
	"slices"
	"strings"
)

// manual writes the page of the manual (man(7) macros) from the same table of commands as the help.
func manual(w io.Writer) error {
	m := &roff{w: w}
	m.macro(".TH ZARVEK 1")
	m.macro(".SH NAME")
	m.text("zarvek - reads captured routing tables, explains choices, and follows packets there and back")
	m.macro(".SH SYNOPSIS")
	m.macro(".B zarvek")
	m.text("COMMAND [options] ARGUMENTS")
	m.macro(".SH DESCRIPTION")
	m.text("Reads routing tables and configurations captured from routers and firewalls of many makers, explains " +
		"what each device chose and why, " +
		"searches the whole network for packets that get lost, and puts changes on paper before they are typed. " +
		"Captures are read as they are, and never changed.")
	m.macro(".PP")
	m.text("A case is a folder with the captures of one network: one folder a device, or session logs whose prompts " +
		"name the device. " +
		"Options may stand before or after arguments; commands and device names may be shortened.")
	m.macro(".SH COMMANDS")
	for _, c := range commands() {
		m.macro(".SS " + escape(strings.TrimSpace(c.name+" [options] "+c.args)))
		m.text(strings.ToUpper(c.short[:1]) + c.short[1:] + ".")
		m.paragraphs(c.long)
		m.options(c, func(name string) bool { return !slices.Contains(everywhere, name) })
	}
	m.macro(".SH OPTIONS OF ALL COMMANDS ON A CASE")
	m.options(devicesCommand(), func(name string) bool { return slices.Contains(everywhere, name) })
	m.macro(".SH NOTES.YAML")
	m.paragraphs(notesHelp)
	m.macro(".SH EXIT STATUS")
	for _, x := range [][2]string{
		{"0", "answered, and nothing bad in the answer"}, {"1",
			"answered, with bad news: not two-way, something found, something worse"},
		{"2", "wrong usage"}, {"3", "a case or capture that cannot be used, or an answer that could not be written"},
	} {
		m.item(x[0], x[1])
	}
	m.macro(".SH ENVIRONMENT")
	m.item("ZARVEK_CASE", "the case, where -case does not name one")
	m.item("NO_COLOR", "where it is set, no colours are used by themselves")
	m.macro(".SH FILES")
	m.item("notes.yaml", "in the case: what captures cannot show")
	m.item("change.yaml", "in the case: a change that every command takes as done (zarvek rehearse -save)")
	m.item("provenance.json", "in the case: where captures came from (zarvek collect)")
	return m.err
}

// roff writes a page; the first error ends it.
type roff struct {
	w   io.Writer
	err error
}

// macro writes a line that the formatter obeys.
func (m *roff) macro(line string) {
	if m.err == nil {
		_, m.err = fmt.Fprintln(m.w, line)
	}
}

func (m *roff) text(s string) { m.macro(escape(s)) }

func (m *roff) item(name, what string) {
	m.macro(".TP")
	m.macro(".B " + escape(name))
	m.text(what)
}

// paragraphs writes a long help: running text flows, and what is indented stands as it is.
func (m *roff) paragraphs(long string) {
	for p := range strings.SplitSeq(strings.Trim(long, "\n"), "\n\n") {
		if p == "" {
			continue
		}
		m.macro(".PP")
		as := strings.Contains("\n"+p, "\n  ")
		if as {
			m.macro(".nf")
		}
		for line := range strings.SplitSeq(p, "\n") {
			m.text(line)
		}
		if as {
			m.macro(".fi")
		}
	}
}

// everywhere are the options of all commands on a case; they are told once.
var everywhere = []string{"case", "color", "evidence", "layout"}

// options writes those options of a command that are to be told here.
func (m *roff) options(c command, told func(name string) bool) {
	fs := c.flags()
	fs.VisitAll(func(f *flag.Flag) {
		if !told(f.Name) {
			return
		}
		name, usage := flag.UnquoteUsage(f)
		m.item(strings.TrimSpace("-"+f.Name+" "+name), usage)
	})
}

// flags are a command's options.
func (c command) flags() *flag.FlagSet {
	fs := flag.NewFlagSet(c.name, flag.ContinueOnError)
	if !c.plain {
		(&env{}).common(fs, c)
	}
	c.setup(fs)
	return fs
}

// escape writes text so that the formatter shows it as it is.
func escape(s string) string {
	s = strings.NewReplacer(`\`, `\e`, "-", `\-`, "'", `\(aq`, "…", "...").Replace(s)
	if strings.HasPrefix(s, ".") {
		s = `\&` + s
	}
	return s
}
