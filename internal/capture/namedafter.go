package capture

import (
	"net/netip"
	"path"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/filename"
)

// Who collects captures by a script names each file after the command that it holds the answer of, and often nothing
// in the file tells what was asked: a part of a table, or another table than the main one.

// NamedAfter takes the name of the file for the command, where it is one for routes and the text shows no prompt and no
// command: what it asks for in part is a part, and tables that the text does not name are those that it names.
func (c *Capture) NamedAfter(name string) {
	if slices.ContainsFunc(c.Parts, func(p Part) bool { return p.Device+p.Command != "" }) {
		return
	}
	command := commandIn(name)
	if command == "" {
		return
	}
	part, table, byRule := asksForPart(command), commandTable(command), kernelTable.MatchString(command)
	for i := range c.Parts {
		for k := range c.Parts[i].Facts.Tables {
			t := &c.Parts[i].Facts.Tables[k]
			if t.Routes.Len() == 0 {
				continue
			}
			if part && !t.Filtered.Known() && (t.Kind != network.Database || asksForPartOfOwn(command)) {
				t.Filtered, t.Scopes = t.Routes.At(0).Mark, commandScopes(command)
			}
			if table != "" && t.Name == "default" {
				t.Name, t.ByRule = table, byRule
			}
		}
	}
}

// wordsOfTwo are words of commands that file names part as they part others.
var wordsOfTwo = map[string]string{"routing table": "routing-table", "vpn instance": "vpn-instance",
	"network instance": "network-instance", "routing instance": "routing-instance", "virtual router": "virtual-router",
	"logical router": "logical-router", "logical system": "logical-system", "longer prefixes": "longer-prefixes",
	"is is": "is-is"}

var (
	// choosing are words behind which the source of the routes stands that are asked for.
	choosing = layout.WordSet(`protocol proto type where source`)
	// searching are words that leave lines of the answer out.
	searching = layout.WordSet(`include incl inc match grep egrep findstr find begin exclude section count`)
)

// commandIn returns the command for routes that a file is named after, as far as its words are known ones; "" where its
// name holds none.
func commandIn(name string) string {
	stem, _ := filename.Stem(path.Base(strings.ReplaceAll(name, "!", "/")))
	words := nameParts(stem)
	for i, w := range words {
		low := strings.ToLower(w)
		if !askWords[low] && low != "ip" {
			continue
		}
		menu := low == "ip" && slices.Contains(lower(words), "print")
		taken := known(words[i:], low == "ip" && !menu)
		command := strings.Join(taken, " ")
		switch {
		case routesAt(lower(taken)) < 0:
			if askWords[low] {
				return "" // it asks for something else
			}
		case menu:
			return "/" + command
		default:
			return command
		}
	}
	return ""
}

// nameParts parts a file's name into words as commands have them.
func nameParts(stem string) []string {
	parts := strings.FieldsFunc(stem, func(r rune) bool { return strings.ContainsRune("-_ +,", r) })
	out := make([]string, 0, len(parts))
	for i := 0; i < len(parts); i++ {
		word := parts[i]
		if i+1 < len(parts) {
			two := strings.ToLower(word + " " + parts[i+1])
			joined := wordsOfTwo[two]
			if two == "route table" && i > 0 && !askWords[strings.ToLower(parts[i-1])] { // of a router that has a number
				joined = "route-table"
			}
			if joined != "" {
				word, i = joined, i+1
			}
		}
		out = append(out, word)
	}
	return out
}

func lower(words []string) []string { return strings.Fields(strings.ToLower(strings.Join(words, " "))) }

// known returns the words of a command up to the first that no such command has: what else stands in a file's name. A
// kernel's own command has fewer of them.
func known(words []string, kernel bool) []string {
	out := words[:1:1]
	asked := false // a word for routes came
	for i := 1; i < len(words); i++ {
		w := strings.ToLower(words[i])
		next := i+1 < len(words)
		_, notAddress := netip.ParseAddr(w)
		switch {
		case kernel && !asked && (w == "4" || w == "6"):
			out = append(out, "-"+w)
		case searching[w]:
			return append(append(out, "|", w), words[i+1:]...)
		case next && (tableWords[w] || nameWords[w] && !kernel) &&
			(kernel || w != "table" || strings.Contains(words[i+1], ".inet")):
			out = append(out, w, words[i+1])
			i++
		case sourceWords[w], next && choosing[w], routeWord.MatchString(w) && !(kernel && asked):
			out = append(out, w)
		case w == "router" && next && !asked && strings.Trim(words[i+1], "0123456789") == "": // an instance's number
			out = append(out, w, words[i+1])
			i++
		case kernel && asked && isShow(w) && len(w) > 1, !kernel && (askWords[w] || wholeWords[w] || w == "router"),
			w == "info", w == "longer-prefixes":
			out = append(out, w)
		case notAddress == nil && asked && !kernel:
			out = append(out, w)
		default:
			return out
		}
		asked = asked || routeWord.MatchString(w)
	}
	return out
}
