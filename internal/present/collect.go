package present

import (
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/casefile"
	"zarvek/internal/collect"
)

// A Collected is one collected file with what was read in it.
type Collected struct {
	collect.Item
	Parts []casefile.Stretch // empty for content that was there already
}

func layoutsOf(parts []casefile.Stretch) (names []string, routes, unread int) {
	seen := map[string]bool{}
	for _, p := range parts {
		routes, unread = routes+p.Routes, unread+p.Unread
		if p.Layout != "" && !seen[p.Layout] {
			seen[p.Layout] = true
			names = append(names, p.Layout)
		}
	}
	return names, routes, unread
}

// CollectText writes what was collected, or would be.
func CollectText(w io.Writer, dir string, all []Collected, r collect.Result, dry bool, v View) error {
	fresh, known, routes := 0, 0, 0
	for _, c := range all {
		if c.Known {
			known++
			continue
		}
		fresh++
		_, n, _ := layoutsOf(c.Parts)
		routes += n
	}
	verb := "collected"
	if dry {
		verb = "would collect"
	}
	also := ""
	if known > 0 {
		also = fmt.Sprintf("; %s there already", count(known, "is", "are"))
	}
	v.headline(
		w,
		fresh+known > 0,
		"%s %s with %s into %s%s",
		verb,
		count(fresh, "file", "files"),
		count(routes, "route", "routes"),
		Clean(dir),
		also,
	)
	fmt.Fprintln(w)
	rows := [][]string{{"file in the case", "bytes", "layout", "routes", "lines not read", "came from"}}
	for _, c := range all {
		names, n, unread := layoutsOf(c.Parts)
		l := strings.Join(names, ", ")
		switch {
		case c.Known:
			l = "same content is there"
		case l == "":
			l = "not recognised"
		}
		rows = append(
			rows,
			[]string{
				Clean(c.File),
				strconv.FormatInt(c.Bytes, 10),
				Clean(l),
				strconv.Itoa(n),
				strconv.Itoa(unread),
				Clean(c.Original),
			},
		)
	}
	columns(w, "  ", rows)
	prompted := slices.ContainsFunc(all, func(c Collected) bool {
		return slices.ContainsFunc(c.Parts, func(p casefile.Stretch) bool { return p.Device != "" })
	})
	leftOut(w, "Not collected:", r.Left)
	for _, f := range r.Flat {
		if !prompted {
			fmt.Fprintf(
				w,
				"\n%s holds files only, so each is taken as a device of its own. If they are of one device: -device "+
					"%s\n",
				Clean(f),
				Clean(filepath.Base(f)),
			)
		}
	}
	return nil
}

// CollectJSON writes the same as one document.
func CollectJSON(w io.Writer, dir string, all []Collected, r collect.Result, dry bool) error {
	type item struct {
		collect.Item
		Known   bool     `json:"known"`
		Layouts []string `json:"layouts"`
		Routes  int      `json:"routes-read"`
		Unread  int      `json:"lines-unread"`
	}
	doc := struct {
		Case  string        `json:"case"`
		Dry   bool          `json:"dry-run"`
		Files []item        `json:"files"`
		Left  []jsonLeftOut `json:"left-out"`
	}{dir, dry, []item{}, jsonLeft(r.Left)}
	for _, c := range all {
		names, routes, unread := layoutsOf(c.Parts)
		if names == nil {
			names = []string{}
		}
		doc.Files = append(doc.Files, item{c.Item, c.Known, names, routes, unread})
	}
	return writeJSON(w, doc)
}

// LayoutsText writes the layout families with a look-alike of each.
func LayoutsText(w io.Writer, all []capture.Family, v View) error {
	v.headline(
		w,
		true,
		"%s are read; zarvek layouts FILE tells which took which part of a file",
		count(len(all), "layout", "layouts"),
	)
	for _, f := range all {
		fmt.Fprintf(w, "\n%s: %s\n", f.Name, f.About)
		for line := range strings.Lines(f.Sample) {
			if strings.TrimSpace(line) != "" {
				fmt.Fprintf(w, "    | %s\n", Clean(strings.TrimRight(line, "\n")))
			}
		}
	}
	return nil
}

// LayoutsJSON writes the families as one document.
func LayoutsJSON(w io.Writer, all []capture.Family) error {
	type family struct {
		Name   string `json:"layout"`
		About  string `json:"about"`
		Sample string `json:"sample"`
	}
	doc := struct {
		Layouts []family `json:"layouts"`
	}{}
	for _, f := range all {
		doc.Layouts = append(doc.Layouts, family{f.Name, f.About, f.Sample})
	}
	return writeJSON(w, doc)
}

// PreviewText writes which reader took which part of a file, and why.
func PreviewText(w io.Writer, file string, parts []casefile.Stretch, v View) error {
	names, routes, unread := layoutsOf(parts)
	v.headline(
		w,
		len(names) > 0,
		"%s: %s, %s read, %s not read",
		Clean(file),
		orWord(strings.Join(names, ", "), "no known layout"),
		count(routes, "route", "routes"),
		count(unread, "line", "lines"),
	)
	if len(parts) == 0 {
		return nil
	}
	fmt.Fprintln(w)
	rows := [][]string{{"lines", "device", "command", "taken as", "routes", "read", "ignored", "not read", "because"}}
	for _, p := range parts {
		why := "no reader recognised a line of it"
		if p.Own {
			why = "its name: a case's own file"
		} else if p.Layout != "" {
			why = fmt.Sprintf("best match of all readers (score %d)", p.Score)
		}
		rows = append(
			rows,
			[]string{
				fmt.Sprintf("%d-%d", p.First, p.Last),
				orWord(Clean(p.Device), "-"),
				orWord(Clean(shortCommand(p.Command)), "-"),
				orWord(Clean(p.Layout), "nothing"),
				strconv.Itoa(p.Routes),
				strconv.Itoa(p.Read),
				strconv.Itoa(p.Ignored),
				strconv.Itoa(p.Unread),
				why,
			},
		)
	}
	columns(w, "  ", rows)
	return nil
}

func shortCommand(s string) string {
	if len(s) > 40 {
		return s[:40] + "…"
	}
	return s
}

// PreviewJSON writes the same as one document.
func PreviewJSON(w io.Writer, file string, parts []casefile.Stretch) error {
	type part struct {
		First   int     `json:"first-line"`
		Last    int     `json:"last-line"`
		Device  *string `json:"device"`
		Command *string `json:"command"`
		Layout  *string `json:"layout"`
		Score   int     `json:"score"`
		Routes  int     `json:"routes-read"`
		Read    int     `json:"lines-read"`
		Ignored int     `json:"lines-ignored"`
		Unread  int     `json:"lines-unread"`
	}
	doc := struct {
		File  string `json:"file"`
		Parts []part `json:"parts"`
	}{file, []part{}}
	for _, p := range parts {
		doc.Parts = append(
			doc.Parts,
			part{
				p.First,
				p.Last,
				text(p.Device),
				text(p.Command),
				text(p.Layout),
				p.Score,
				p.Routes,
				p.Read,
				p.Ignored,
				p.Unread,
			},
		)
	}
	return writeJSON(w, doc)
}
