package present

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"zarvek/internal/casefile"
	"zarvek/internal/gather"
	"zarvek/internal/gather/family"
	"zarvek/internal/gather/record"
	"zarvek/internal/gather/target"
)

// GatherText writes what became of each device of a gathering.
func GatherText(w io.Writer, dir string, all []gather.Outcome, v View) error {
	n := map[gather.State]int{}
	for _, o := range all {
		n[o.State]++
	}
	also := ""
	if n[gather.Failed] > 0 {
		also += fmt.Sprintf("; %d failed", n[gather.Failed])
	}
	if n[gather.Stopped] > 0 {
		also += fmt.Sprintf("; stopped before %d more", n[gather.Stopped])
	}
	var bare []string
	for _, o := range all {
		if o.State == gather.Done && o.NoRoutes {
			bare = append(bare, o.Target.Name)
		}
	}
	if len(bare) > 0 {
		also += fmt.Sprintf("; what %s said holds no routes that are read", firstFew(bare, 4, ", "))
	}
	v.headline(w, n[gather.Done] == len(all) && len(bare) == 0, "%d of %s captured into %s%s",
		n[gather.Done], count(len(all), "device", "devices"), Clean(dir), also)
	troubles(w, all)
	if n[gather.Done] > 0 {
		fmt.Fprintln(w)
		columns(w, "  ", gatherRows(all))
	}
	notTaken(w, all)
	for _, o := range all {
		for _, m := range o.Moved {
			fmt.Fprintf(w, "\nThe table of %s changed while it was read: %s.\n", Clean(o.Target.Name),
				Clean(movedWords(m)))
		}
		if o.Scrubbed > 0 {
			fmt.Fprintf(w, "\nIn what %s said %s of yours stood, made unreadable before it was kept.\n",
				Clean(o.Target.Name), count(o.Scrubbed, "secret", "secrets"))
		}
	}
	on := ""
	if dir != "." {
		on = " -case " + Clean(dir)
	}
	switch {
	case n[gather.Done] == len(all):
		fmt.Fprintf(w, "\nTo see what was read: zarvek devices%s\n", on)
	case n[gather.Done] > 0:
		fmt.Fprintf(w, "\nTo try the others again: zarvek gather -missing%s\n", on)
	}
	return nil
}

// troubles writes a line for each device that was not captured.
func troubles(w io.Writer, all []gather.Outcome) {
	var rows [][]string
	for _, o := range all {
		if o.State != gather.Failed && o.State != gather.Stopped {
			continue
		}
		tries := ""
		if o.Tries > 1 && o.State == gather.Failed {
			tries = fmt.Sprintf(" (%d tries)", o.Tries)
		}
		rows = append(rows, []string{Clean(o.Target.Name), Clean(o.Err.Error()) + tries})
	}
	if len(rows) > 0 {
		fmt.Fprintln(w, "\nNot captured:")
		columns(w, "  ", rows)
	}
}

// gatherRows lists the devices that answered; commands that a device refused do not count as answers.
func gatherRows(all []gather.Outcome) [][]string {
	rows := [][]string{{"device", "by", "family", "answers", "bytes", "seconds", "asked from"}}
	for _, o := range all {
		if o.State != gather.Done {
			continue
		}
		taken := 0
		for _, c := range o.Commands {
			if c.Refused == "" {
				taken++
			}
		}
		rows = append(rows, []string{
			Clean(o.Target.Name), Clean(o.From), o.Family, strconv.Itoa(taken), grouped(int(o.Bytes)),
			fmt.Sprintf("%.1f", o.End.Sub(o.Start).Seconds()), o.Start.UTC().Format("15:04:05 UTC"),
		})
	}
	return rows
}

// maxNotTaken is how many different lists of what was not taken are shown.
const maxNotTaken = 8

// notTaken lists the questions of which no form was taken, devices with the same ones together.
func notTaken(w io.Writer, all []gather.Outcome) {
	var order []string
	devices := map[string][]string{}
	for _, o := range all {
		if o.State != gather.Done {
			continue
		}
		key := strings.Join(unanswered(o.Commands), "; ")
		if key == "" {
			continue
		}
		if devices[key] == nil {
			order = append(order, key)
		}
		devices[key] = append(devices[key], o.Target.Name)
	}
	if len(order) == 0 {
		return
	}
	fmt.Fprintln(w, "\nNot taken, which matters only where a device has what is asked for:")
	for _, key := range order[:min(len(order), maxNotTaken)] {
		fmt.Fprintf(w, "  %s: %s\n", Clean(firstFew(devices[key], 6, ", ")),
			Clean(firstFew(strings.Split(key, "; "), 6, "; ")))
	}
	if n := len(order) - maxNotTaken; n > 0 {
		fmt.Fprintf(w, "  and %d more such lists (-as json has all)\n", n)
	}
}

// unanswered returns the first form of each question of which the device took none. A program that a machine does not
// have is none of its answers.
func unanswered(commands []record.Command) []string {
	var out []string
	for i := 0; i < len(commands); {
		first, taken := commands[i], false
		for more := true; more; {
			taken = taken || commands[i].Refused == "" || strings.HasSuffix(commands[i].Refused, "not found")
			i++
			more = i < len(commands) && commands[i].Else
		}
		if !taken {
			out = append(out, first.Command)
		}
	}
	return out
}

// firstFew joins the first n.
func firstFew(all []string, n int, with string) string {
	if len(all) <= n {
		return strings.Join(all, with)
	}
	return strings.Join(all[:n], with) + fmt.Sprintf("%sand %d more", with, len(all)-n)
}

// movedWords words a table that changed.
func movedWords(m record.Move) string {
	return fmt.Sprintf("between %s and %s %s went and %s came (%s)",
		m.First.UTC().Format("15:04:05"), m.Second.UTC().Format("15:04:05 UTC"), count(m.Gone, "route", "routes"),
		count(m.Come, "route", "routes"), m.Command)
}

var stateCodes = map[gather.State]string{
	gather.Waiting: "waiting", gather.AtWork: "at-work", gather.Done: "captured", gather.Failed: "failed",
	gather.Stopped: "stopped",
}

// GatherJSON writes the same as one document.
func GatherJSON(w io.Writer, dir string, all []gather.Outcome) error {
	type device struct {
		Name  string           `json:"device"`
		State string           `json:"state"`
		Error *string          `json:"error"`
		Tries int              `json:"tries"`
		Files []string         `json:"files"`
		Asked *record.Gathered `json:"gathered"`
	}
	doc := struct {
		Case     string   `json:"case"`
		Captured int      `json:"captured"`
		Devices  []device `json:"devices"`
	}{dir, 0, []device{}}
	for _, o := range all {
		d := device{Name: o.Target.Name, State: stateCodes[o.State], Tries: o.Tries, Files: o.Files}
		if d.Files == nil {
			d.Files = []string{}
		}
		if o.Err != nil {
			d.Error = text(o.Err.Error())
		}
		if o.State == gather.Done {
			doc.Captured++
			asked := o.Gathered
			d.Asked = &asked
		}
		doc.Devices = append(doc.Devices, d)
	}
	return writeJSON(w, doc)
}

// A Planned is a device with what it would be asked; no commands: its family is found first.
type Planned struct {
	Target   target.Target
	Commands []string
}

// whyNonsense tells why a question is asked that no device takes.
const whyNonsense = " (no device takes it: to learn how this one refuses)"

// GatherPlanText writes what would be asked of whom.
func GatherPlanText(w io.Writer, dir string, all []Planned, v View) error {
	v.headline(w, true, "%s would be asked, into %s; nobody was contacted", count(len(all), "device", "devices"),
		Clean(dir))
	unknown := false
	for _, p := range all {
		t := p.Target
		line := Clean(t.Name) + " by " + Clean(t.String())
		if t.Jump != "" {
			line += ", by way of " + Clean(t.Jump)
		}
		switch {
		case t.Family != "":
			line += ", family " + t.Family
		case t.Way == target.SSH:
			line += ", family found by its prompt and by what it answers"
			unknown = true
		}
		fmt.Fprintf(w, "\n%s\n", line)
		f, _ := family.ByName(t.Family)
		for _, c := range p.Commands {
			if c == f.Nonsense {
				c += whyNonsense
			}
			fmt.Fprintf(w, "  %s\n", Clean(c))
		}
		if len(p.Commands) == 0 {
			for _, c := range t.Ask {
				fmt.Fprintf(w, "  %s\n", Clean(c))
			}
			if t.Raise {
				fmt.Fprintln(w, "  the command for the higher level, where the family has one")
			}
		}
	}
	if unknown {
		families(w)
	}
	return nil
}

// families writes what each family of commands is asked.
func families(w io.Writer) {
	fmt.Fprintln(w, "\nOf the families, the first counts that fits the prompt, answers its question for the version "+
		"and takes its")
	fmt.Fprintln(w, "command against pages. What is sent then:")
	for _, f := range family.All() {
		fmt.Fprintf(w, "\n%s: %s\n", f.Name, f.About)
		if f.Nonsense != "" {
			fmt.Fprintf(w, "  %s%s\n", f.Nonsense, whyNonsense)
		}
		fmt.Fprintf(w, "  %s\n", f.Version)
		if f.Privilege != "" {
			fmt.Fprintf(w, "  %s (where devices.yaml says raise: true)\n", f.Privilege)
		}
		for _, s := range f.Session {
			fmt.Fprintf(w, "  %s\n", strings.Join(s, ", else "))
		}
		for _, q := range f.Questions {
			also := ""
			if q.PerTable {
				also = " (for each of its tables)"
			}
			fmt.Fprintf(w, "  %s%s\n", strings.Join(q.Commands, ", else "), also)
		}
	}
}

// GatherPlanJSON writes the same as one document.
func GatherPlanJSON(w io.Writer, dir string, all []Planned) error {
	type device struct {
		Name     string   `json:"device"`
		From     string   `json:"from"`
		Jump     *string  `json:"jump"`
		Family   *string  `json:"family"`
		Commands []string `json:"commands"`
	}
	doc := struct {
		Case    string   `json:"case"`
		Dry     bool     `json:"dry-run"`
		Devices []device `json:"devices"`
	}{dir, true, []device{}}
	for _, p := range all {
		d := device{p.Target.Name, p.Target.String(), text(p.Target.Jump), text(p.Target.Family), p.Commands}
		if d.Commands == nil {
			d.Commands = append([]string{}, p.Target.Ask...)
		}
		doc.Devices = append(doc.Devices, d)
	}
	return writeJSON(w, doc)
}

// GatherNothing writes that there was nothing to do.
func GatherNothing(w io.Writer, as, dir string) error {
	if as == "json" {
		return GatherJSON(w, dir, nil)
	}
	_, err := fmt.Fprintf(w, "all of these devices have captures in %s already; nothing was asked\n", Clean(dir))
	return err
}

// gatheredNotes says when the devices of a case were asked, and whose tables changed meanwhile.
func gatheredNotes(w io.Writer, all []casefile.Gathering) {
	if len(all) == 0 {
		return
	}
	first, last := all[0].Start, all[0].End
	for _, g := range all {
		if g.Start.Before(first) {
			first = g.Start
		}
		if g.End.After(last) {
			last = g.End
		}
	}
	fmt.Fprintf(w, "\n%s gathered from %s to %s, within %s.\n", count(len(all), "device", "devices"),
		first.UTC().Format("2006-01-02 15:04:05"), last.UTC().Format("15:04:05 UTC"),
		last.Sub(first).Round(time.Second))
	for _, g := range all {
		for _, m := range g.Moved {
			fmt.Fprintf(w, "The table of %s changed while it was captured: %s.\n", Clean(g.Device),
				Clean(movedWords(m)))
		}
	}
}

type jsonGathered struct {
	From  string        `json:"from"`
	Start time.Time     `json:"started"`
	End   time.Time     `json:"ended"`
	Moved []record.Move `json:"moved,omitempty"`
}

func gatheredOf(all []casefile.Gathering, device string) *jsonGathered {
	for _, g := range all {
		if g.Device == device {
			return &jsonGathered{g.From, g.Start, g.End, g.Moved}
		}
	}
	return nil
}
