package present

import (
	"cmp"
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/require"
)

// RequireText writes what became of requirements, those that do not hold first.
func RequireText(w io.Writer, file string, all []require.Verdict, v View) error {
	d := v.requireDocument(file, all)
	d.writeText(w, v)
	return nil
}

// RequireMarkdown writes it for a ticket.
func RequireMarkdown(w io.Writer, file string, all []require.Verdict, v View) error {
	d := v.requireDocument(file, all)
	d.writeMarkdown(w, v)
	return nil
}

var verdictStates = map[require.State]string{require.Holds: "holds", require.Untold: "cannot be told",
	require.Fails: "fails"}

// requireDocument lists what fails and what cannot be told before what holds.
func (v View) requireDocument(file string, all []require.Verdict) document {
	var d document
	n := map[require.State]int{}
	for _, x := range all {
		n[x.State]++
	}
	words := fmt.Sprintf("all %s hold", count(len(all), "requirement", "requirements"))
	if len(all) == 1 {
		words = "the requirement holds"
	}
	if n[require.Fails]+n[require.Untold] > 0 {
		words = fmt.Sprintf("%d of %s failed", n[require.Fails], count(len(all), "requirement", "requirements"))
		if n[require.Fails] == 0 {
			words = fmt.Sprintf("none of %s failed", count(len(all), "requirement", "requirements"))
		}
		if n[require.Untold] > 0 {
			words += fmt.Sprintf(", %d cannot be told", n[require.Untold])
		}
	}
	d.add(answer{words, n[require.Fails]+n[require.Untold] == 0})
	number := 0
	for _, state := range []require.State{require.Fails, require.Untold} {
		for i := range all {
			x := &all[i]
			if x.State != state {
				continue
			}
			number++
			e := entry{number: number, strong: verdictStates[state], words: Clean(x.Requirement.Text)}
			e.row("stands", fmt.Sprintf("%s:%d", Clean(file), x.Requirement.Line))
			e.row("because", v.faultWords(x))
			if x.Failed != "" {
				e.row("without", Clean(x.Failed))
			}
			if x.Trip != nil {
				e.row("see", fmt.Sprintf("zarvek trace %s %s%s%s", x.From, x.To, flowOption(x), Clean(v.Option)))
			}
			d.add(e)
		}
	}
	var good []string
	for _, x := range all {
		if x.State == require.Holds {
			good = append(good, fmt.Sprintf("%s  %s:%d", Clean(x.Requirement.Text), Clean(file), x.Requirement.Line))
		}
	}
	d.listed("Hold", good, 1<<30)
	return d
}

func flowOption(x *require.Verdict) string {
	if !x.Requirement.HasFlow {
		return ""
	}
	f := x.Requirement.Flow
	s := " -flow " + f.Protocol
	if f.DestinationPort > 0 {
		s += fmt.Sprint("::", f.DestinationPort)
	}
	return s
}

// faultWords say why a requirement does not hold, with the example.
func (v View) faultWords(x *require.Verdict) string {
	r := x.Requirement
	switch x.Fault {
	case require.NotReached:
		if x.Trip != nil {
			return headlineOf(*x.Trip, x.Trip.Source.Address.String(),
				x.Trip.Destination.Address.String()) + v.lineInTheWay(*x.Trip)
		}
	case require.Reached:
		if x.State == require.Untold {
			return headlineOf(*x.Trip, x.From.String(), x.To.String()) + v.lineInTheWay(*x.Trip)
		}
		b, _ := x.Trip.Forward.Worst()
		verb := "arrive"
		if x.Trip.Forward.Verdict == forward.Leaves {
			verb = "leave the captured devices"
		}
		return fmt.Sprintf("packets from %s to %s %s%s", x.From, x.To, verb, where(b))
	case require.OtherWay:
		return fmt.Sprintf("packets from %s to %s go %s", x.From, x.To, wayWords(x.Trip))
	case require.TooLong:
		return fmt.Sprintf("packets from %s to %s pass %d devices: %s", x.From, x.To, longestWay(x.Trip),
			wayWords(x.Trip))
	case require.Looping:
		if x.Finding != nil {
			return summary(x.Finding) + " (" + x.Finding.ID + ")"
		}
	case require.NoSuchRoute:
		return fmt.Sprintf("%s has no route to just %s in use", Clean(r.Device), r.Prefix)
	case require.OtherSource:
		return fmt.Sprintf("%s has %s by %s  %s", Clean(r.Device), r.Prefix, learned(x.Route.Attributes),
			v.place(x.Route.Mark))
	case require.NotDiscarded:
		return fmt.Sprintf("%s sends %s to %s  %s", Clean(r.Device), r.Prefix,
			strings.Join(ways(x.Route.Attributes), " and "), v.place(x.Route.Mark))
	case require.NobodyThere:
		return "no captured network has the addresses of the source, or not of all that it names"
	case require.NobodyAsked:
		return "no captured device decides over packets to all of these addresses: nobody can have them or answers " +
			"there, they are of another family, or both ends are in one network"
	case require.NoTable:
		device := cmp.Or(r.Device, x.Device)
		return fmt.Sprintf("the table of %s was not captured, or not all of it", Clean(device))
	}
	return x.Fault.String()
}

// wayWords lists the devices of the packets' ways.
func wayWords(rt *forward.RoundTrip) string {
	var out []string
	for _, b := range rt.Forward.Branches {
		var names []string
		for _, h := range b.Hops {
			names = append(names, Clean(h.Device))
		}
		out = append(out, strings.Join(names, " to "))
	}
	return strings.Join(out, ", or ")
}

func longestWay(rt *forward.RoundTrip) int {
	n := 0
	for _, b := range rt.Forward.Branches {
		n = max(n, len(b.Hops))
	}
	return n
}

type jsonRequirement struct {
	Text    string  `json:"requirement"`
	Line    int     `json:"line"`
	State   string  `json:"state"`
	Fault   *string `json:"fault"`
	Because *string `json:"because"`
	Pairs   int     `json:"pairs-judged"`
	From    *string `json:"example-source"`
	To      *string `json:"example-destination"`
	Without *string `json:"without"`
}

// RequireJSON writes what became of requirements as one document.
func RequireJSON(w io.Writer, file string, all []require.Verdict, v View) error {
	doc := struct {
		File         string            `json:"file"`
		Requirements []jsonRequirement `json:"requirements"`
	}{file, []jsonRequirement{}}
	for i := range all {
		x := &all[i]
		j := jsonRequirement{Text: x.Requirement.Text, Line: x.Requirement.Line, State: x.State.String(),
			Pairs: x.Pairs, Without: text(x.Failed)}
		if x.State != require.Holds {
			j.Fault, j.Because = text(x.Fault.String()), text(v.faultWords(x))
			j.From, j.To = address(x.From), address(x.To)
		}
		doc.Requirements = append(doc.Requirements, j)
	}
	return writeJSON(w, doc)
}

type junitSuite struct {
	XMLName  xml.Name    `xml:"testsuite"`
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Skipped  int         `xml:"skipped,attr"`
	Cases    []junitCase `xml:"testcase"`
}

type junitCase struct {
	Name    string     `xml:"name,attr"`
	Class   string     `xml:"classname,attr"`
	Failure *junitText `xml:"failure"`
	Skipped *junitText `xml:"skipped"`
}

type junitText struct {
	Message string `xml:"message,attr"`
}

// RequireJUnit writes the form that build pipelines read as test results. What cannot be told is a failure, or skipped
// where that is allowed.
func RequireJUnit(w io.Writer, file string, all []require.Verdict, allow bool, v View) error {
	s := junitSuite{Name: file, Tests: len(all)}
	for i := range all {
		x := &all[i]
		c := junitCase{Name: fmt.Sprintf("%d: %s", x.Requirement.Line, Clean(x.Requirement.Text)), Class: file}
		switch {
		case x.State == require.Untold && allow:
			c.Skipped = &junitText{"cannot be told: " + v.faultWords(x)}
			s.Skipped++
		case x.State != require.Holds:
			c.Failure = &junitText{verdictStates[x.State] + ": " + v.faultWords(x)}
			s.Failures++
		}
		s.Cases = append(s.Cases, c)
	}
	out, err := xml.MarshalIndent(s, "", " ")
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "%s%s\n", xml.Header, out)
	return err
}

// Learned writes requirements that hold now, as a file to begin with.
func Learned(w io.Writer, all []require.Lesson) error {
	fmt.Fprintln(w, "# What holds now, as the captures tell; keep what must hold, and take out what need not.")
	for _, l := range all {
		if _, err := fmt.Fprintln(w, l.Text); err != nil {
			return err
		}
	}
	return nil
}
