package casefile

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"path"
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/filename"
	"zarvek/internal/mask"
	"zarvek/internal/source"
)

// A MaskedFile is one file of a copy that may be shown.
type MaskedFile struct {
	Name string // with slashes
	Text []byte
}

// A MaskedCase is a copy that may be shown, and what it lacks.
type MaskedCase struct {
	Files   []MaskedFile
	LeftOut []LeftOut
	Dropped int // lines that are not understood
}

// Names lists what the case's devices, hosts and named networks are called.
func (c *Case) Names() []string {
	var out []string
	for _, d := range c.Network.Devices().All() {
		out = append(out, d.Name)
	}
	for _, h := range c.Network.Hosts().All() {
		out = append(out, h.Name)
	}
	for n := range c.Named {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// Networks lists every network that the case knows: of routes, addresses, statics and notes.
func (c *Case) Networks() []netip.Prefix {
	seen := map[netip.Prefix]bool{}
	var out []netip.Prefix
	add := func(p netip.Prefix) {
		if p = p.Masked(); p.IsValid() && !seen[p] {
			seen[p] = true
			out = append(out, p)
		}
	}
	for _, d := range c.Network.Devices().All() {
		for _, t := range d.Tables().All() {
			for i := range t.Routes().Len() {
				add(t.Routes().Prefix(i))
			}
		}
		for _, a := range d.Addresses().All() {
			add(a.Prefix)
		}
		for _, s := range d.Statics().All() {
			add(s.Prefix)
		}
		for _, r := range d.Rules().All() {
			add(r.From)
			add(r.To)
		}
		for _, f := range d.Flows().All() {
			add(f.From)
			add(f.To)
		}
	}
	for _, list := range c.Named {
		for _, p := range list {
			add(p)
		}
	}
	return out
}

// Mask makes a copy of the case in which every address, name and secret is another one. Lines that are not understood
// are left out, unless they are to be kept: then their words become others too. The lines of a file keep their numbers.
// A case that was loaded from a cache has no lines to mask.
func (c *Case) Mask(m *mask.Masker, keepUnread bool) (*MaskedCase, error) {
	out := &MaskedCase{}
	taken := map[string]bool{}
	for _, f := range c.Files {
		if f.Kept() {
			return nil, errors.New("its captures were not read for this: give -no-cache")
		}
		if why := unmaskable(f); why != "" {
			out.LeftOut = append(out.LeftOut, LeftOut{f.Source.Name, why})
			continue
		}
		var b bytes.Buffer
		var below mask.Aligner
		banner := "" // what ends a text for people
		for _, l := range f.Gloss(nil) {
			switch {
			case banner != "":
				b.WriteString(m.Own(l.Text))
				if strings.Contains(l.Text, banner) {
					banner = ""
				}
			// such as a pager's prompt: it may tell of a cut
			case l.Kind == capture.NoiseLine && m.Line(l.Text) == l.Text:
				b.WriteString(l.Text)
			case l.Kind == capture.NoiseLine, l.Kind == capture.UnreadLine && !keepUnread:
				out.Dropped++
			case l.Layout == "SNMP walk" && l.Kind != capture.PromptLine && l.Kind != capture.BlankLine:
				text, ok := m.WalkLine(l.Text)
				if b.WriteString(text); !ok {
					out.Dropped++
				}
			default:
				b.WriteString(below.Align(l.Text, m.Line(l.Text)))
				if x := bannerLine.FindStringSubmatch(l.Text); x != nil && strings.Count(l.Text, x[1]) == 1 {
					banner = x[1]
				}
			}
			b.WriteByte('\n')
		}
		name := free(maskedName(m, f), taken)
		taken[name] = true
		out.Files = append(out.Files, MaskedFile{name, b.Bytes()})
	}
	for _, own := range []string{NotesFile, ChangeFile} {
		raw, err := source.ReadFile(c.at.path(own), source.MaxRecord)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, errorf("%s: cannot be read: %v", own, source.Cause(err))
		}
		var b bytes.Buffer
		for line := range strings.Lines(string(raw)) {
			b.WriteString(strings.TrimRight(m.Line(remark.ReplaceAllString(line, "")), " \r\n") + "\n")
		}
		out.Files = append(out.Files, MaskedFile{own, b.Bytes()})
	}
	for _, n := range c.at.layouts {
		out.LeftOut = append(out.LeftOut, LeftOut{n, "describes a layout, and may tell names in any form"})
	}
	return out, nil
}

// bannerLine begins a text for people, and tells by which sign it ends.
var bannerLine = regexp.MustCompile(`^\s*banner\s+\S+\s+(\^[A-Z]|[^\w\s"'])`)

// remark is what stands behind a # in the case's own files.
var remark = regexp.MustCompile(`(?:^|\s)#.*$`)

// unmaskable says why a capture cannot be masked, "" where it can.
func unmaskable(f *File) string {
	read := false
	for i := range f.Parts {
		switch p := &f.Parts[i]; {
		case strings.HasPrefix(p.Layout, "MRT "):
			return "is no text; what zarvek table -as json tells of it can be masked"
		case p.Layout != "":
			read = true
		}
	}
	if !read {
		return "nothing was read of it"
	}
	return ""
}

// free returns a name that no other file has, by endings that say nothing of whose it is.
func free(name string, taken map[string]bool) string {
	if _, ending := filename.Stem(path.Base(name)); taken[name] && ending == "" {
		name += ".txt"
	}
	try := name
	for n := 1; taken[try]; n++ {
		try = fmt.Sprintf("%s.%d", name, n)
	}
	return try
}

// packed are endings of files that are unpacked in the copy.
var packed = regexp.MustCompile(`(?i)\.(?:gz|bz2|xz|zst)\b`)

// maskedName is a file's name in the copy: below its device's folder where that tells whose it is.
func maskedName(m *mask.Masker, f *File) string {
	stem, ending := filename.Stem(path.Base(strings.ReplaceAll(f.Source.Name, "!", "/")))
	base := m.Text(stem) + packed.ReplaceAllString(ending, "")
	if dir, _ := path.Split(strings.ReplaceAll(f.Source.Name, "!", "/")); f.named || dir != "" {
		folder := f.Device
		if !f.named {
			folder = path.Base(dir)
		}
		return m.Text(folder) + "/" + base
	}
	return base
}
