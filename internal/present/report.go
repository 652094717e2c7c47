package present

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"net/netip"
	"strconv"
	"strings"
	"sync"

	"zarvek/internal/casefile"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/require"
	"zarvek/internal/core/route"
)

// A ReportView is everything that a report shows of a case.
type ReportView struct {
	Name         string // of the case
	Audit        AuditView
	Mend         MendView     // how devices write the cures of the audit
	Compared     *CompareView // with the case before; nil for none
	Requirements []require.Verdict
	RequireFile  string
	Map          MapView
	MapWords     string
	Matrices     []*audit.Matrix
	Trace        func(from, to netip.Addr) forward.RoundTrip
	Devices      []casefile.Summary
	Notes        int // findings that are left out
}

//go:embed reportpage
var reportFiles embed.FS

var reportPage = sync.OnceValues(func() (*template.Template,
	error) {
	return template.ParseFS(reportFiles, "reportpage/page.html")
})

// Limits that keep a page of 200 devices below 10 MB.
const (
	maxTraced   = 40     // ends of a matrix of which every cell has its own trace
	maxGrid     = 150    // ends of a matrix that is shown
	maxListed   = 15_000 // routes that are listed with their lines
	tracesID    = "traces"
	maxBranches = 4 // of one way
)

type reportSection struct {
	ID, Name string
	Answer   string // for the head of the page
	Parts    []reportPart
	Picture  *reportPicture
	Grids    []reportGrid
	Traces   []reportTrace
	Devices  []reportDevice
}

type reportPicture struct {
	Source        template.URL
	Alt, Words    string
	Width, Height int
}

// ReportHTML writes a report as one page that needs nothing else. Captured text reaches it only by html/template, which
// escapes it, and its content policy runs no script but the page's own.
func ReportHTML(w io.Writer, r ReportView, v View) error {
	v.Lines = true
	css, err := reportFiles.ReadFile("reportpage/page.css")
	if err != nil {
		return err
	}
	js, err := reportFiles.ReadFile("reportpage/page.js")
	if err != nil {
		return err
	}
	sections, err := v.sections(r)
	if err != nil {
		return err
	}
	page := struct {
		Title, About, Answer, Footer, Policy, TracesID string
		Good                                           bool
		CSS                                            template.CSS
		JS                                             template.JS
		Also, Sections                                 []reportSection
	}{
		Title: "Routing of " + Clean(r.Name), About: "Routing of " + Clean(r.Name) + ": " +
			coveredWords(r), Answer: auditHeadline(r.Audit),
		Good: len(r.Audit.Findings) == 0, TracesID: tracesID, CSS: template.CSS(css), JS: template.JS(js),
		Sections: sections,
		Footer: "Judged from captures by zarvek. What they do not show is called unknown; what was concluded is " +
			"called deduced.",
		Policy: fmt.Sprintf("default-src 'none'; img-src data:; style-src '%s'; script-src '%s'; base-uri 'none'; "+
			"form-action 'none'", digest(css), digest(js)),
	}
	for _, s := range sections {
		if s.Answer != "" && s.ID != "findings" {
			page.Also = append(page.Also, s)
		}
	}
	form, err := reportPage()
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := form.Execute(&b, page); err != nil {
		return err
	}
	_, err = w.Write(b.Bytes())
	return err
}

// digest is how a content policy names a text (Content Security Policy level 3).
func digest(text []byte) string {
	sum := sha256.Sum256(text)
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
}

// coveredWords says how much was read, so that the reader of a page can judge what it rests on.
func coveredWords(r ReportView) string {
	devices, routes := 0, 0
	for _, s := range r.Devices {
		if s.Device == nil {
			continue
		}
		devices++
		for _, t := range s.Device.Tables().All() {
			routes += t.Routes().Len()
		}
	}
	return count(devices, "device", "devices") + ", " + count(routes, "route", "routes") + " read"
}

// sections are the parts of the page in the order of their weight; what was not asked for has none.
func (v View) sections(r ReportView) ([]reportSection, error) {
	findings := v.reportFindings(r)
	out := []reportSection{{ID: "findings", Name: "Findings", Parts: v.parts(findings, "finding")}}
	if c := r.Compared; c != nil {
		d := v.compareDocument(*c)
		out = append(out, reportSection{ID: "compared", Name: "Since " + Clean(c.Sides[0].Name),
			Answer: compareHeadline(c.Result), Parts: v.parts(d, "change")})
	}
	if len(r.Requirements) > 0 {
		d := v.requireDocument(r.RequireFile, r.Requirements)
		out = append(out, reportSection{ID: "requirements", Name: "Requirements", Answer: d.parts[0].(answer).words,
			Parts: v.parts(d, "requirement")})
	}
	drawn, err := r.picture()
	if err != nil {
		return nil, err
	}
	return append(out, reportSection{ID: "map", Name: "Map", Picture: drawn}, v.reportMatrix(r),
		reportSection{ID: "devices", Name: "Devices", Devices: v.reportDevices(r)}), nil
}

// reportFindings is the audit's document with the lines to type of the cures.
func (v View) reportFindings(r ReportView) document {
	d := v.auditDocument(r.Audit)
	for i := range r.Audit.Findings {
		e := d.parts[i+1].(entry)
		if c := r.Audit.Cures.Found[r.Audit.Findings[i].ID]; c != nil && c.Cure != nil {
			n := len(e.rows) - 1 // the finding's name stays the last
			called := e.rows[n]
			e.rows = e.rows[:n:n]
			v.typed(&e, c, r.Mend)
			e.rows = append(e.rows, called)
			d.parts[i+1] = e
		}
	}
	if r.Notes > 0 {
		d.add(paragraph{words: "Left out: " + count(r.Notes, "finding worth a note", "findings worth a note") +
			" (zarvek audit -severity note" + Clean(v.Option) + ")."})
	}
	return d
}

// picture is the map, as an image that can do nothing but be looked at.
func (r ReportView) picture() (*reportPicture, error) {
	drawing := r.Map.picture().Drawing()
	var b bytes.Buffer
	if err := drawing.SVG(&b); err != nil {
		return nil, err
	}
	return &reportPicture{
		Source: template.URL("data:image/svg+xml;base64," + base64.StdEncoding.EncodeToString(b.Bytes())),
		Alt:    r.Map.headline(), Words: r.MapWords, Width: int(drawing.Width), Height: int(drawing.Height),
	}, nil
}

type reportDevice struct {
	ID, Name, Missing string
	Captures          [][]string
	Unread            []reportUnread
	Tables            []reportTable
}

type reportUnread struct{ Place, Why, Text string }

type reportTable struct {
	Name  string
	Heads []string
	Rows  [][]string
}

// reportDevices lists the devices with their tables; very large tables are not written out, or no browser would open
// the page.
func (v View) reportDevices(r ReportView) []reportDevice {
	total := 0
	for _, s := range r.Devices {
		for _, t := range s.Tables {
			total += t.Table.Routes().Len()
		}
	}
	var out []reportDevice
	for i, s := range r.Devices {
		d := reportDevice{ID: "device-" + strconv.Itoa(i+1), Name: Clean(s.Name)}
		if s.Device == nil {
			d.Name = Clean(s.Captures[0].File) + ": nothing could be read from it"
		}
		var miss []string
		for _, m := range s.Missing {
			miss = append(miss, missingWords[m])
		}
		d.Missing = strings.Join(miss, ", ")
		for _, c := range s.Captures {
			name := c.Layout
			if name == "" {
				name = "not recognised"
			}
			d.Captures = append(d.Captures,
				[]string{Clean(c.File), Clean(name), strconv.Itoa(c.Routes), strconv.Itoa(c.Read),
					strconv.Itoa(c.Ignored), strconv.Itoa(c.Unread)})
		}
		for _, u := range s.Unread {
			d.Unread = append(d.Unread,
				reportUnread{v.place(u.Mark), Clean(u.Reason.Error()), Clean(shorten(string(v.Evidence.Text(u.Mark))))})
		}
		for _, t := range s.Tables {
			name := fmt.Sprintf("Table %s, %s: %s", Clean(t.Table.Name), familyName(t.Table.Family),
				count(t.Table.Routes().Len(), "route", "routes"))
			if total > maxListed {
				d.Tables = append(d.Tables, reportTable{name, []string{"next hop", "learned by", "destinations"},
					byNextHop(t.Table)})
				continue
			}
			d.Tables = append(d.Tables,
				reportTable{name, []string{"destination", "learned by", "preference", "metric", "next hop", "state",
					"captured at"}, v.rowsOf(t.Table)})
		}
		out = append(out, d)
	}
	return out
}

// rowsOf lists a table's routes with the lines that show them.
func (v View) rowsOf(t *network.Table) [][]string {
	var out [][]string
	known := wordings{}
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		a := known.of(r.Attributes)
		state := stateWord(r)
		if state == "" {
			state = "in use"
		}
		out = append(out, []string{r.Prefix.String(), a.learned, a.preference, number(r.Metric),
			strings.Join(a.ways, "; "), state, v.place(r.Mark)})
	}
	return out
}

// byNextHop puts the routes that are in use together that lead one way: in a large case a page has no room for more.
func byNextHop(t *network.Table) [][]string {
	type way struct{ hops, by string }
	at := map[way]int{}
	var out [][]string
	var nets []pairSet
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		if !r.Is(route.Installed) {
			continue
		}
		k := way{strings.Join(ways(r.Attributes), "; "), r.Protocol.String()}
		n, ok := at[k]
		if !ok {
			n = len(out)
			at[k] = n
			out, nets = append(out, []string{k.hops, k.by, ""}), append(nets, pairSet{})
		}
		nets[n].add(r.Prefix)
	}
	for i := range out {
		out[i][2] = prefixList(nets[i].list, len(nets[i].list))
	}
	return out
}

// ReportMarkdown writes the same for a ticket, without the map, the matrix and the tables.
func ReportMarkdown(w io.Writer, r ReportView, v View) error {
	d := v.reportFindings(r)
	fmt.Fprintf(w, "# Routing of %s\n\n%s\n\n", markdown(Clean(r.Name)), markdown(coveredWords(r)))
	d.writeMarkdown(w, v)
	if c := r.Compared; c != nil {
		fmt.Fprintf(w, "\n## Since %s\n\n", markdown(Clean(c.Sides[0].Name)))
		d := v.compareDocument(*c)
		d.writeMarkdown(w, v)
	}
	if len(r.Requirements) > 0 {
		fmt.Fprint(w, "\n## Requirements\n\n")
		d := v.requireDocument(r.RequireFile, r.Requirements)
		d.writeMarkdown(w, v)
	}
	fmt.Fprint(w, "\n## Devices\n\n")
	for _, x := range v.reportDevices(r) {
		fmt.Fprintf(w, "- %s: %s", markdown(x.Name), count(len(x.Captures), "capture", "captures"))
		if x.Missing != "" {
			fmt.Fprintf(w, "; not captured: %s", markdown(x.Missing))
		}
		if n := len(x.Unread); n > 0 {
			fmt.Fprintf(w, "; %s not read", count(n, "line", "lines"))
		}
		fmt.Fprintln(w)
	}
	return nil
}
