package present

import (
	"encoding/json"
	"io"
	"strings"

	"zarvek/internal/core/mend"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/statement"
)

type jsonCure struct {
	Finding string      `json:"finding,omitempty"`
	Wrong   string      `json:"wrong"`
	State   string      `json:"state"`
	Why     string      `json:"why-not,omitempty"`
	Text    string      `json:"text,omitempty"`
	Lines   []jsonTyped `json:"lines"`
	Refused []jsonTried `json:"refused"`
	Assumed []string    `json:"assumed,omitempty"`
	Result  string      `json:"comparison,omitempty"`
}

type jsonTyped struct {
	Device string `json:"device"`
	Order  string `json:"order"`
	Line   string `json:"line,omitempty"`
	Out    string `json:"take-out,omitempty"`
	Undo   string `json:"undo,omitempty"`
	In     string `json:"in,omitempty"`
	Like   string `json:"formed-after,omitempty"`
}

type jsonTried struct {
	Orders []string `json:"orders"`
	Why    string   `json:"why"`
	Text   string   `json:"text"`
}

// MendJSON writes a change file with all cures as steps; what else there is to say of them stands under "about", which
// readers of change files pass over.
func MendJSON(w io.Writer, m MendView, v View) error {
	topo := m.Topo
	var steps []any
	about := []jsonCure{}
	for _, r := range m.Results {
		j := jsonCure{Wrong: wrongWords(r), State: "no-cure", Lines: []jsonTyped{}, Refused: []jsonTried{}}
		if r.Wrong.Finding != nil {
			j.Finding = r.Wrong.Finding.ID
		}
		for _, x := range r.Refused {
			j.Refused = append(j.Refused, jsonTried{orderTexts(x.Orders), x.Why.String(), refusalWords(x)})
		}
		switch {
		case r.Cure != nil:
			j.State, j.Result = "mended", compareHeadline(r.Cure.Result)
			j.Assumed = assumedOf(r.Cure)
			j.Text = strings.Join(ordersWords(r.Cure.Orders, topo), "; ")
			for _, o := range r.Cure.Orders {
				lines, _ := m.Lines(r.Before.Topology().Network.Device(o.Device), o)
				if len(lines) == 0 {
					lines = []statement.Line{{}}
				}
				for _, l := range lines {
					j.Lines = append(j.Lines, jsonTyped{o.Device, o.Verb.String() + " " + o.Text, l.Text, l.Out, l.Undo,
						l.In, l.Learned})
				}
			}
			steps = append(steps, stepsOf(j.Wrong, r.Cure.Orders)...)
		case r.Right:
			j.State = "right"
		default:
			j.Why, j.Text = whyNot(r), outsideWords(r)
		}
		about = append(about, j)
	}
	if steps == nil {
		steps = []any{}
	}
	enc := json.NewEncoder(w)
	enc.SetIndent("", " ")
	return enc.Encode(struct {
		Steps []any      `json:"steps"`
		About []jsonCure `json:"about"`
	}{steps, about})
}

func whyNot(r *mend.Result) string {
	switch {
	case r.Unproved:
		return "not-proved"
	case r.More:
		return "too-many-ways"
	}
	return r.Outside.String()
}

func orderTexts(orders []rehearse.Order) []string {
	out := []string{}
	for _, o := range orders {
		out = append(out, o.Verb.String()+" "+o.Text)
	}
	return out
}

// stepsOf writes a cure as steps of a change file. A step does what it has of one verb together, so that a route that
// is replaced by another one is taken out in the step that adds it: verbs in the order in which they stand.
func stepsOf(name string, orders []rehearse.Order) []any {
	type step struct {
		Name   string   `json:"name"`
		Remove []string `json:"remove,omitempty"`
		Add    []string `json:"add,omitempty"`
	}
	s := step{Name: name}
	for _, o := range orders {
		if o.Verb == rehearse.Remove {
			s.Remove = append(s.Remove, o.Text)
		} else {
			s.Add = append(s.Add, o.Text)
		}
	}
	return []any{s}
}
