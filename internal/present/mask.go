package present

import (
	"fmt"
	"io"
	"strings"

	"zarvek/internal/casefile"
)

// A MaskView is what became of a copy.
type MaskView struct {
	To, Key                string
	Files, Devices, Routes int
	Dropped                int // lines
	LeftOut                []casefile.LeftOut
	Otherwise              []string // what is read otherwise, in the copy's words
	Kept                   []string // words of names that had to stay, since readers look for them
}

// MaskText tells what was written, and whether it is read as the original.
func MaskText(w io.Writer, r MaskView, v View) error {
	what := fmt.Sprintf("%s, %s of %s", count(r.Files, "file", "files"), count(r.Routes, "route", "routes"),
		count(r.Devices, "device", "devices"))
	if len(r.Otherwise) == 0 {
		v.headline(w, true, "%s holds a copy that is read as the case is: %s", Clean(r.To), what)
	} else {
		v.headline(w, false, "%s holds a copy that is read otherwise than the case of %s: %s", Clean(r.To),
			count(len(r.Otherwise), "device", "devices"), what)
	}
	var d document
	d.listed("Read otherwise", cleaned(r.Otherwise), maxChanges)
	var left []string
	for _, x := range r.LeftOut {
		left = append(left, x.Name+": "+x.Why)
	}
	d.listed("Left out", cleaned(left), maxChanges)
	if len(r.Kept) > 0 {
		d.add(paragraph{words: "Words of names that stay, since readers look for them: " +
			Clean(strings.Join(r.Kept, ", ")) + "."})
	}
	if r.Dropped > 0 {
		d.add(paragraph{words: fmt.Sprintf("Left out: %s, of log messages or not understood; what hangs on them may "+
			"seem surer in the copy (-keep-unread keeps the latter, with their words replaced).",
			count(r.Dropped, "line", "lines"))})
	}
	d.add(paragraph{words: fmt.Sprintf("The key is in %s: keep it to yourself. Numbers, and words that readers look "+
		"for, are as they were: look through the copy before you give it away.", Clean(r.Key))})
	fmt.Fprintln(w)
	d.writeText(w, v)
	return nil
}

func cleaned(all []string) []string {
	var out []string
	for _, s := range all {
		out = append(out, Clean(s))
	}
	return out
}

// MaskJSON writes the same for machines.
func MaskJSON(w io.Writer, r MaskView) error {
	return writeJSON(w, struct {
		To        string        `json:"copy"`
		Key       string        `json:"key-file"`
		Files     int           `json:"files"`
		Devices   int           `json:"devices"`
		Routes    int           `json:"routes"`
		Dropped   int           `json:"lines-left-out"`
		LeftOut   []jsonLeftOut `json:"left-out"`
		Otherwise []string      `json:"read-otherwise"`
		Kept      []string      `json:"words-kept"`
	}{r.To, r.Key, r.Files, r.Devices, r.Routes, r.Dropped, jsonLeft(r.LeftOut), append([]string{},
		r.Otherwise...), append([]string{}, r.Kept...)})
}
