// Package demo holds a made-up case, the network of the invented Kjelven Ropeways, and the questions that an engineer
// would ask of it in order. It ships inside the program so that the full example needs nothing else.
//
// Its notes.yaml names a few hosts and says that the ticket office's firewall keeps state.
//
// The story ends with an audit, which finds what is planted and nothing else. Planted in it: a way back that is
// missing (mast7 to the control room), a loop (valley and midway, the range of a lift under construction), a summary
// to discard that swallows part of a range (summit), and a static route whose next hop nothing leads to (valley, to
// the workshop's old box, so that the control room's default route takes its packets away), that box's classful
// lookup, which bars its own default route, and its route to the shed by an interface alone.
package demo

import (
	"embed"
	"io/fs"
	"os"
	"path/filepath"
)

//go:embed case after must.txt
var files embed.FS

// What Write makes beside the case: the captures of the morning after, and what must hold.
const (
	After = "-after"
	Must  = "-must.txt"
)

// A Step is one question: why it is asked, and the command that asks it (without the case).
type Step struct {
	Why  string
	Args []string // CASE, AFTER and MUST stand for what Write makes
	// Head is how many lines of the answer make its point, in the short story; 0 for a step that is not in it.
	Head int
}

// Steps are the questions in order.
var Steps = []Step{
	{"What do we have, and what is missing?", []string{"devices"}, 10},
	{"The next captures may come by themselves: who would be asked, and what?",
		[]string{"gather", "-dry-run", "control", "valley", "midway"}, 0},
	{"The depot's came as a terminal log: what was made of it?", []string{"layouts", "depot-evening.log"}, 0},
	{
		"What do the first lines of the depot's terminal log say, one by one?",
		[]string{"gloss", "depot-evening.log", "1-14"},
		0,
	},
	{"One table, read: the midway station.", []string{"table", "midway", "-family", "ipv4"}, 0},
	{"How many networks are there, and who knows which?", []string{"networks"}, 0},

	// A tour of the choices.
	{
		"Which way does the control room send to the hall of the valley station, and what waits behind it?",
		[]string{"why", "control", "10.61.16.20"},
		15,
	},
	{
		"Would a strict source check at the control room drop what comes from there by the other line?",
		[]string{"why", "control", "10.61.16.20", "-from", "wan1"},
		0,
	},
	{"If the valley had a backup to the ticket office by way of the midway, would it wait or take over?",
		[]string{"why", "valley", "10.61.64.9", "-would-win", "10.61.64.0/24 via 172.28.61.6 preference 130"}, 0},
	{
		"A route to the workshop stands in the valley's configuration. Why is it not in use?",
		[]string{"why", "valley", "10.61.72.4"},
		0,
	},
	{
		"Two partners announce one network to the depot: which one is used, and which should be?",
		[]string{"why", "depot", "10.62.8.9"},
		0,
	},
	{
		"The old box in the workshop has a default route, and does not use it.",
		[]string{"why", "workshop", "10.62.0.1"},
		0,
	},
	{
		"Its shed has a second network, by an interface alone: does that hold?",
		[]string{"why", "workshop", "10.61.73.9"},
		0,
	},
	{"The mast has policy rules: which table counts?", []string{"why", "mast7", "10.61.32.40"}, 0},
	{
		"A new sensor was given 10.61.46.9, and nothing reaches it.",
		[]string{"why", "summit", "10.61.46.9", "-evidence"},
		0,
	},

	// Following packets.
	{
		"Can a till of the ticket office reach the summit's display, and back?",
		[]string{"trace", "till-2", "display"},
		0,
	},
	{"The control room sees no picture from the camera on mast 7.", []string{"trace", "desk", "mast-cam"}, 22},
	{
		"Addresses of the lift under construction time out in a strange way.",
		[]string{"trace", "10.61.16.20", "10.61.99.5"},
		0,
	},
	{
		"Two equal ways lead from the control room to the midway station: do both work?",
		[]string{"trace", "desk", "10.61.32.40"},
		0,
	},
	{
		"And IPv6, from the control room to the camera?",
		[]string{"trace", "fd6b:6a65:6c76:10::31", "fd6b:6a65:6c76:44::20"},
		0,
	},

	// The whole network at once.
	{"What does the network look like?", []string{"map"}, 7},
	{"Which of the networks reach each other?", []string{"matrix", "-family", "ipv4", "-lans"}, 17},
	{"That was one pair after the other. What else is broken, anywhere?", []string{"audit"}, 16},

	{"What would bring the camera back, and what is to be typed?", []string{"mend", "desk", "mast-cam"}, 6},

	// The change on paper.
	{
		"Tonight's plan: give mast 7 a way back to the control room, and clear away the summit's old static route.",
		[]string{"rehearse", "-add", "mast7: 10.61.0.0/24 via 172.28.61.13", "-remove", "summit: 10.61.44.0/26"},
		8,
	},
	{
		"That old route is needed: without it a discarding summary swallows the mast. The plan without it:",
		[]string{"rehearse", "-add", "mast7: 10.61.0.0/24 via 172.28.61.13"},
		1,
	},
	{"What must hold, before the change: the camera is the trouble of the night.", []string{"require", "MUST"}, 0},
	{
		"The morning after, everything was captured again. Did the change do just that?",
		[]string{"compare", "CASE", "AFTER"},
		9,
	},
	{"Does what must hold still hold?", []string{"require", "MUST", "-case", "AFTER"}, 6},
	{"Which single failure would hurt the most?", []string{"survive"}, 7},
}

// Write writes the case below dir, which it creates, and beside it the captures of the morning after and a file of what
// must hold.
func Write(dir string) error {
	if err := write("case", dir); err != nil {
		return err
	}
	if err := write("after", dir+After); err != nil {
		return err
	}
	b, err := files.ReadFile("must.txt")
	if err != nil {
		return err
	}
	return os.WriteFile(dir+Must, b, 0o644)
}

// write writes one of the embedded cases.
func write(root, dir string) error {
	return fs.WalkDir(files, root, func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, filepath.FromSlash(name))
		if err != nil {
			return err
		}
		to := filepath.Join(dir, rel)
		if d.IsDir() {
			return os.MkdirAll(to, 0o755)
		}
		b, err := files.ReadFile(name)
		if err != nil {
			return err
		}
		return os.WriteFile(to, b, 0o644)
	})
}
