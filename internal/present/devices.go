package present

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/casefile"
	"zarvek/internal/core/route"
)

var missingWords = map[casefile.Missing]string{
	casefile.NoTable4: "IPv4 table", casefile.NoTable6: "IPv6 table", casefile.NoAddresses: "addresses",
	casefile.NoNeighbours: "neighbours", casefile.TableCut: "end of a table",
	casefile.TableLacks: "rows of a table", casefile.TableFiltered: "what a filter left out",
}

// A DevicesQuery says what is shown beside the devices.
type DevicesQuery struct {
	Files  bool // one row for each capture
	Unread bool // each unread line

	LeftOut  []casefile.LeftOut
	Gathered []casefile.Gathering
}

// DevicesText writes what was read of each device.
func DevicesText(w io.Writer, all []casefile.Summary, q DevicesQuery, v View) error {
	devices, routes, unreadIn, unreadOther := 0, 0, 0, 0
	var others []string
	for _, s := range all {
		if s.Device == nil {
			others = append(others, s.Captures[0].File)
			unreadOther += len(s.Unread)
			continue
		}
		devices++
		unreadIn += len(s.Unread)
		for _, t := range s.Device.Tables().All() {
			routes += t.Routes().Len()
		}
	}
	also := ""
	if len(others) > 0 {
		also = fmt.Sprintf(", and nothing of %s", count(len(others), "other file", "other files"))
	}
	v.headline(
		w,
		devices > 0,
		"%s, %s read; %s not read%s",
		count(devices, "device", "devices"),
		count(routes, "route", "routes"),
		count(unreadIn, "line", "lines"),
		also,
	)
	rows := [][]string{
		{"device", "IPv4 routes", "IPv6 routes", "addresses", "captures", "lines not read", "layouts", "not captured"},
	}
	for _, s := range all {
		if s.Device == nil {
			continue
		}
		files := map[string]bool{}
		for _, c := range s.Captures {
			files[c.File] = true
		}
		var miss []string
		for _, m := range s.Missing {
			miss = append(miss, missingWords[m])
		}
		rows = append(
			rows,
			[]string{
				Clean(s.Name),
				routesOf(s, route.IPv4),
				routesOf(s, route.IPv6),
				strconv.Itoa(s.Device.Addresses().Len()),
				strconv.Itoa(
					len(files),
				),
				strconv.Itoa(len(s.Unread)),
				Clean(strings.Join(layoutNames(s), ", ")),
				strings.Join(miss, ", "),
			},
		)
	}
	if devices > 0 {
		fmt.Fprintln(w)
		columns(w, "  ", rows)
	}
	if devices > 0 {
		fmt.Fprintln(w)
		columns(w, "  ", tableRows(all))
	}
	if len(others) > 0 {
		fmt.Fprintf(
			w,
			"\nNothing could be read from %s (%s).\n",
			Clean(list(others, 6)),
			count(unreadOther, "line", "lines"),
		)
	}
	untoldNotes(w, all)
	for _, s := range all {
		if s.Device != nil {
			devicesNotes(w, s)
			v.filterNotes(w, s)
			v.blendedNote(w, s)
		}
	}
	gatheredNotes(w, q.Gathered)
	leftOut(w, "Left out of the case:", q.LeftOut)
	if q.Files {
		captureRows(w, all)
	}
	if q.Unread {
		unreadRows(w, all, v)
	} else if unreadIn+unreadOther > 0 {
		fmt.Fprintln(w, "\nTo see the lines that were not read, and why: zarvek devices -unread")
	}
	return nil
}

// maxLeftOut is how many things that were left out are listed.
const maxLeftOut = 12

// leftOut lists what lies there and was not taken, and why.
func leftOut(w io.Writer, title string, all []casefile.LeftOut) {
	if len(all) == 0 {
		return
	}
	fmt.Fprintf(w, "\n%s\n", title)
	var rows [][]string
	for _, x := range all[:min(len(all), maxLeftOut)] {
		rows = append(rows, []string{Clean(x.Name), x.Why})
	}
	columns(w, "  ", rows)
	if n := len(all) - maxLeftOut; n > 0 {
		fmt.Fprintf(w, "  and %d more (-as json lists all)\n", n)
	}
}

// jsonLeftOut is what was left out.
type jsonLeftOut struct {
	Name string `json:"name"`
	Why  string `json:"why"`
}

func jsonLeft(all []casefile.LeftOut) []jsonLeftOut {
	out := []jsonLeftOut{}
	for _, x := range all {
		out = append(out, jsonLeftOut(x))
	}
	return out
}

// tableRows counts the routes of each table by who they were learned from.
func tableRows(all []casefile.Summary) [][]string {
	rows := [][]string{{"device", "table", "family", "routes learned by"}}
	for _, s := range all {
		for _, t := range s.Tables {
			var parts []string
			for _, c := range t.Counts {
				parts = append(parts, fmt.Sprintf("%s %s", c.Protocol, grouped(c.Routes)))
			}
			rows = append(
				rows,
				[]string{Clean(s.Name), Clean(t.Table.Name), familyName(t.Table.Family), strings.Join(parts, ", ")},
			)
		}
	}
	return rows
}

// layoutNames lists the layouts of a device's captures once each, in the order of the captures.
func layoutNames(s casefile.Summary) []string {
	var out []string
	for _, c := range s.Captures {
		if c.Layout != "" && !slices.Contains(out, c.Layout) {
			out = append(out, c.Layout)
		}
	}
	return out
}

// devicesNotes tells what of a device's captures limits every answer about it.
func devicesNotes(w io.Writer, s casefile.Summary) {
	for _, m := range s.Missing {
		if m == casefile.NoAddresses {
			fmt.Fprintf(w, "\n%s: no addresses captured; who owns which is deduced, or stays unknown.\n", Clean(s.Name))
		}
	}
	n := 0
	for _, t := range s.Device.Tables().All() {
		n += t.Differences().Len()
	}
	if n > 0 {
		fmt.Fprintf(
			w,
			"\n%s: its captures differ on %s; zarvek table %s lists them.\n",
			Clean(s.Name),
			count(n, "prefix", "prefixes"),
			Clean(s.Name),
		)
	}
}

// blendedNote says that a device's captures are those of several.
func (v View) blendedNote(w io.Writer, s casefile.Summary) {
	if m := s.Device.Blended(); m.Known() {
		fmt.Fprintf(w, "\n%s: its captures show interfaces or attached networks that have nothing in common (%s), as of "+
			"two devices, namespaces or instances: what it does is not known.\n", Clean(s.Name), v.place(m))
	}
}

// filterNotes says how much of a device's filters was read.
func (v View) filterNotes(w io.Writer, s casefile.Summary) {
	c := s.Device.CountFilters()
	if c.Lines+len(c.Open) == 0 {
		return
	}
	open := "all of what was captured of its filters is understood"
	if len(c.Open) > 0 {
		open = fmt.Sprintf("%s not understood or not read (%s): packets that meet them are unknown",
			count(len(c.Open), "line is", "lines are"), strings.Join(v.somePlaces(c.Open, 3), ", "))
	}
	fmt.Fprintf(w, "\n%s: %s read; %s.\n", Clean(s.Name),
		count(c.Lines, "line of filter rules", "lines of filter rules"), open)
}

func routesOf(s casefile.Summary, f route.Family) string {
	n := 0
	for _, t := range s.Device.Tables().All() {
		if t.Family == f {
			n += t.Routes().Len()
		}
	}
	return strconv.Itoa(n)
}

// list joins names, at most n of them.
func list(names []string, n int) string {
	if len(names) <= n {
		return strings.Join(names, ", ")
	}
	return strings.Join(names[:n], ", ") + fmt.Sprintf(" and %d more files", len(names)-n)
}

// captureRows lists every capture with what was read of it, so that no file is passed over in silence.
func captureRows(w io.Writer, all []casefile.Summary) {
	fmt.Fprintln(w)
	rows := [][]string{{"capture", "layout", "routes", "lines read", "ignored", "not read"}}
	for _, s := range all {
		for _, c := range s.Captures {
			name := c.Layout
			if name == "" {
				name = "not recognised"
			}
			rows = append(
				rows,
				[]string{
					Clean(c.File),
					name,
					strconv.Itoa(c.Routes),
					strconv.Itoa(c.Read),
					strconv.Itoa(c.Ignored),
					strconv.Itoa(c.Unread),
				},
			)
		}
	}
	columns(w, "  ", rows)
}

func unreadRows(w io.Writer, all []casefile.Summary, v View) {
	fmt.Fprintln(w)
	for _, s := range all {
		for _, u := range s.Unread {
			fmt.Fprintf(w, "%s: %s\n", v.place(u.Mark), Clean(u.Reason.Error()))
			fmt.Fprintf(w, "    | %s\n", Clean(shorten(string(v.Evidence.Text(u.Mark)))))
		}
	}
}

func shorten(s string) string {
	if len(s) > maxShown {
		return s[:maxShown] + fmt.Sprintf("… (%d bytes more)", len(s)-maxShown)
	}
	return s
}

type jsonCapture struct {
	File    string  `json:"file"`
	Layout  *string `json:"layout"`
	Routes  int     `json:"routes-read"`
	Read    int     `json:"lines-read"`
	Ignored int     `json:"lines-ignored"`
	Unread  int     `json:"lines-unread"`
}

type jsonUnread struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

type jsonDevice struct {
	Device     string        `json:"device"`
	Captures   []jsonCapture `json:"captures"`
	Tables     []jsonCount   `json:"tables"`
	Addresses  []string      `json:"addresses"`
	Missing    []string      `json:"not-captured"`
	UnreadLine []jsonUnread  `json:"unread-lines"`
	Filters    *jsonFilters  `json:"filters,omitempty"`
	Gathered   *jsonGathered `json:"gathered,omitempty"`
}

type jsonFilters struct {
	Lines int         `json:"rule-lines-read"`
	Open  []jsonPlace `json:"not-understood"`
}

type jsonCount struct {
	Table       string         `json:"table"`
	Family      string         `json:"family"`
	Routes      int            `json:"routes"`
	ByProtocol  map[string]int `json:"routes-by-source-protocol"`
	Differences int            `json:"differences"`
}

// DevicesJSON writes the same as one document. Files of which nothing was read stand under "other-files".
func DevicesJSON(w io.Writer, all []casefile.Summary, q DevicesQuery, v View) error {
	doc := struct {
		Devices []jsonDevice  `json:"devices"`
		Others  []jsonDevice  `json:"other-files"`
		LeftOut []jsonLeftOut `json:"left-out"`
	}{[]jsonDevice{}, []jsonDevice{}, jsonLeft(q.LeftOut)}
	for _, s := range all {
		j := jsonDevice{
			Device:     s.Name,
			Captures:   []jsonCapture{},
			Tables:     []jsonCount{},
			Addresses:  []string{},
			Missing:    []string{},
			UnreadLine: []jsonUnread{},
		}
		for _, c := range s.Captures {
			j.Captures = append(j.Captures, jsonCapture{c.File, text(c.Layout), c.Routes, c.Read, c.Ignored, c.Unread})
		}
		for _, m := range s.Missing {
			j.Missing = append(j.Missing, missingWords[m])
		}
		for _, u := range s.Untold {
			j.Missing = append(j.Missing, untoldNames[u])
		}
		for _, u := range s.Unread {
			p := v.Evidence.Position(u.Mark)
			j.UnreadLine = append(
				j.UnreadLine,
				jsonUnread{p.File, p.Line, string(v.Evidence.Text(u.Mark)), u.Reason.Error()},
			)
		}
		if s.Device == nil {
			doc.Others = append(doc.Others, j)
			continue
		}
		j.Gathered = gatheredOf(q.Gathered, s.Name)
		if c := s.Device.CountFilters(); c.Lines+len(c.Open) > 0 {
			j.Filters = &jsonFilters{c.Lines, v.marked(c.Open)}
		}
		for _, t := range s.Tables {
			by := map[string]int{}
			for _, c := range t.Counts {
				by[c.Protocol.String()] = c.Routes
			}
			j.Tables = append(
				j.Tables,
				jsonCount{
					t.Table.Name,
					t.Table.Family.String(),
					t.Table.Routes().Len(),
					by,
					t.Table.Differences().Len(),
				},
			)
		}
		for _, a := range s.Device.Addresses().All() {
			j.Addresses = append(j.Addresses, a.Prefix.String())
		}
		doc.Devices = append(doc.Devices, j)
	}
	return writeJSON(w, doc)
}
