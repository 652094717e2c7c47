package cli

import (
	"flag"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/core/audit"
)

// Words of candidates that stand for what the shell knows better.
const (
	anyFile   = ":files"
	anyFolder = ":folders"
)

// candidate is what may stand at a place of the command line, with a few words on it.
type candidate struct{ word, about string }

// safe are words that a shell may be given without quotes: a name from a capture is not a command.
var safe = regexp.MustCompile(`^[A-Za-z0-9._:/@%+,-]+$`)

// candidates lists what may stand in place of the last of some words behind the program's name.
func (e *env) candidates(words []string) []candidate {
	if len(words) == 0 {
		words = []string{""}
	}
	last := words[len(words)-1]
	all := e.possible(words[:len(words)-1], last)
	return slices.DeleteFunc(all, func(c candidate) bool {
		return c.word != anyFile && c.word != anyFolder &&
			(!strings.HasPrefix(c.word, last) || !safe.MatchString(c.word))
	})
}

// possible lists what may stand in place of the last word: options, their values, or arguments by their place.
func (e *env) possible(before []string, last string) []candidate {
	if len(before) == 0 {
		return commandNames()
	}
	c, err := findCommand(before[0])
	if err != nil {
		return nil
	}
	fs := c.flags()
	given := 0 // arguments before the last word
	var open *flag.Flag
	if f := fs.Lookup("case"); f != nil {
		e.caseDir = f.DefValue
	}
	for _, w := range before[1:] {
		switch {
		case open != nil:
			if open.Name == "case" {
				e.caseDir = w
			}
			open = nil
		case strings.HasPrefix(w, "-") && w != "-":
			name, value, glued := strings.Cut(strings.TrimLeft(w, "-"), "=")
			if f := fs.Lookup(name); f != nil && !glued && !isSwitch(f) {
				open = f
			} else if name == "case" && glued {
				e.caseDir = value
			}
		default:
			given++
		}
	}
	switch {
	case open != nil:
		return e.values(c, open, last)
	case strings.HasPrefix(last, "-"):
		return options(fs)
	}
	return e.arguments(c, given, last)
}

func commandNames() []candidate {
	var out []candidate
	for _, c := range commands() {
		out = append(out, candidate{c.name, c.short})
	}
	return out
}

func isSwitch(f *flag.Flag) bool {
	b, ok := f.Value.(interface{ IsBoolFlag() bool })
	return ok && b.IsBoolFlag()
}

func options(fs *flag.FlagSet) []candidate {
	var out []candidate
	fs.VisitAll(func(f *flag.Flag) {
		_, usage := flag.UnquoteUsage(f)
		out = append(out, candidate{"-" + f.Name, usage})
	})
	return out
}

// values lists what an option takes, by the name of its value.
func (e *env) values(c command, f *flag.Flag, last string) []candidate {
	kind, _ := flag.UnquoteUsage(f)
	switch kind {
	case "file":
		return []candidate{{word: anyFile}}
	case "folder":
		return []candidate{{word: anyFolder}}
	case "form":
		if c.name == "help" {
			return worded("text", "man")
		}
		return worded(strings.FieldsFunc(strings.ReplaceAll(c.outputs(), " or ", " "),
			func(r rune) bool { return r == ' ' || r == ',' })...)
	case "when":
		return worded("auto", "always", "never")
	case "family":
		return worded("ipv4", "ipv6", "both")
	case "severity":
		return worded("fault", "risk", "note")
	case "shell":
		return worded("bash", "zsh", "fish")
	case "kinds":
		var out []candidate
		for _, k := range audit.Kinds() {
			out = append(out, candidate{string(k), k.What()})
		}
		return out
	case "interface":
		return e.places(last, true)
	}
	return nil
}

func worded(all ...string) []candidate {
	var out []candidate
	for _, w := range all {
		out = append(out, candidate{word: w})
	}
	return out
}

// arguments lists what a command takes at a place, by how its help names it.
func (e *env) arguments(c command, place int, last string) []candidate {
	names := strings.Fields(strings.NewReplacer("[", "", "]", "", "|", "").Replace(c.args))
	if len(names) == 0 {
		return nil
	}
	name := names[min(place, len(names)-1)]
	if place >= len(names) && !strings.HasSuffix(name, "...") {
		return nil
	}
	switch strings.TrimSuffix(name, "...") {
	case "COMMAND":
		return append(commandNames(), candidate{"notes", "what notes.yaml in the case can tell"})
	case "DEVICE":
		return e.places(last, false)
	case "SOURCE", "DESTINATION":
		if c.name == "collect" {
			return []candidate{{word: anyFile}}
		}
		return append(e.hosts(), e.places(last, true)...)
	case "FILE":
		out := []candidate{{word: anyFile}}
		if l, err := e.load(); err == nil && c.name == "gloss" {
			for _, f := range l.Files {
				out = append(out, candidate{word: f.Source.Name})
			}
		}
		return out
	case "BEFORE", "AFTER":
		return []candidate{{word: anyFolder}}
	}
	return nil
}

// places lists the devices of the case and, behind a device and a colon, its interfaces. A case that cannot be read has
// none: completion says nothing.
func (e *env) places(last string, interfaces bool) []candidate {
	l, err := e.load()
	if err != nil {
		return nil
	}
	var out []candidate
	at, _, inside := strings.Cut(last, ":")
	for _, d := range l.Network.Devices().All() {
		if !inside || !interfaces {
			out = append(out, candidate{word: d.Name})
			continue
		}
		if d.Name != at {
			continue
		}
		for _, i := range l.walk().Topology().Interfaces(d) {
			out = append(out, candidate{word: d.Name + ":" + i})
		}
	}
	return out
}

// hosts lists the hosts of notes.yaml.
func (e *env) hosts() []candidate {
	l, err := e.load()
	if err != nil {
		return nil
	}
	var out []candidate
	for _, h := range l.Network.Hosts().All() {
		out = append(out, candidate{h.Name, h.Address.String()})
	}
	return out
}

// writeCandidates writes one a line, with a tab before what it is.
func writeCandidates(w io.Writer, all []candidate) error {
	seen := map[string]bool{}
	for _, c := range all {
		if seen[c.word] {
			continue
		}
		seen[c.word] = true
		line := c.word
		if c.about != "" {
			line += "\t" + c.about
		}
		if _, err := fmt.Fprintln(w, line); err != nil {
			return err
		}
	}
	return nil
}

// scripts ask the program itself what may stand at the cursor, so that they need no list of their own.
var scripts = map[string]string{
	"bash": `# bash completion of zarvek: put this into a file that your shell reads, or: source <(zarvek help -completion bash)
_zarvek() {
	local line words cur cut=
	read -ra words <<<"${COMP_LINE:0:COMP_POINT}"
	case ${COMP_LINE:0:COMP_POINT} in *[[:space:]]) words+=('') ;; esac
	cur=${words[${#words[@]}-1]}
	# bash takes a colon for the end of a word and replaces only what is behind it.
	case $COMP_WORDBREAKS in *:*) case $cur in *:*) cut=${cur%"${cur##*:}"} ;; esac ;; esac
	COMPREPLY=()
	while IFS= read -r line; do
		case $line in
		:files) compopt -o default ;;
		:folders) compopt -o dirnames ;;
		*) line=${line%%$'\t'*} COMPREPLY+=("${line#"$cut"}") ;;
		esac
	done < <("${words[0]}" help -candidates -- "${words[@]:1}" 2>/dev/null)
}
complete -F _zarvek zarvek
`,
	"zsh": `#compdef zarvek
# zsh completion of zarvek: save as _zarvek in a folder of $fpath, or: source <(zarvek help -completion zsh)
_zarvek() {
	local line
	local -a found
	while IFS= read -r line; do
		case $line in
		:files) _files ;;
		:folders) _files -/ ;;
		*) found+=("${line%%$'\t'*}") ;;
		esac
	done < <("${words[1]}" help -candidates -- "${(@)words[2,CURRENT]}" 2>/dev/null)
	compadd -a found
}
(( $+functions[compdef] )) && compdef _zarvek zarvek
`,
	"fish": `# fish completion of zarvek: save as zarvek.fish in ~/.config/fish/completions, or: zarvek help -completion fish | source
function __zarvek_candidates
	set -l words (commandline -opc)
	set -l cur (commandline -ct)
	for line in (command $words[1] help -candidates -- $words[2..-1] "$cur" 2>/dev/null)
		switch $line
			case :files
				__fish_complete_path "$cur"
			case :folders
				__fish_complete_directories "$cur"
			case '*'
				echo $line
		end
	end
end
complete -c zarvek -f -a '(__zarvek_candidates)'
`,
}
