package capture

import (
	"path"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/filename"
	"zarvek/internal/lazyregexp"
)

// What a command prints of a file was captured before, and maybe on another device: it belongs to the one that the file
// is named after, as the file itself would in a case.

// printsFiles matches a shell's command that prints files.
var printsFiles = lazyregexp.New(`^(?:sudo )?(?:\S*/)?(?:(?:|g?z|bz|xz|zst|zstd)cat|z?less|head|tail)\s([^|;&<>]*)`)

// ofTheSystem matches a file of the device itself.
var ofTheSystem = lazyregexp.New(`^/(?:proc|sys|etc|run|var|usr|dev)/`)

// noName are words of file names that are no device's, besides the endings.
var noName = layout.WordSet(`show sh display get print list all full whole part before after pre post now last first
	current saved save backup night morning test try tmp my the of on and to notes readme`)

// namesNone reports whether the name of a file without its endings names no device.
func namesNone(stem string) bool {
	if noDevice[strings.ToLower(stem)] || portName.MatchString(stem) {
		return true
	}
	for _, w := range strings.FieldsFunc(strings.ToLower(stem), func(r rune) bool { return strings.ContainsRune("-_. +", r) }) {
		if !noName[w] && !filename.IsEnding(w) && strings.Trim(w, "0123456789") != "" {
			return false
		}
	}
	return true
}

// ownName reports whether a name is that of a device, and what the file holds or when it was written: a number may part
// two devices.
func ownName(stem, device string) bool {
	rest, ok := strings.CutPrefix(strings.ToLower(stem), strings.ToLower(device))
	if !ok || device == "" || rest == "" {
		return ok && device != ""
	}
	after := rest[1:]
	digits := len(after) - len(strings.TrimLeft(after, "0123456789"))
	return (rest[0] == '-' || rest[0] == '_') && (digits == 0 || digits >= yearDigits) && namesNone(after)
}

// yearDigits is how long a number is that begins a date.
const yearDigits = 4

// printedFrom returns the device that the files are named after that a command prints; "" where it prints none, or their
// names say none or the device of the prompt. It is not known whose they are where their names differ.
func printedFrom(command, device string) (name string, known bool) {
	m := printsFiles.FindStringSubmatch(command)
	if m == nil {
		return "", true
	}
	var names []string
	for _, w := range strings.Fields(m[1]) {
		if strings.HasPrefix(w, "-") || strings.Trim(w, "+0123456789") == "" || ofTheSystem.MatchString(w) {
			continue
		}
		stem, _ := filename.Stem(path.Base(strings.Trim(w, `"'`)))
		if namesNone(stem) || ownName(stem, device) {
			stem = ""
		}
		names = append(names, stem)
	}
	for _, n := range names {
		if n != names[0] || strings.ContainsAny(n, "*?[{$`") {
			return "", false
		}
	}
	if len(names) == 0 {
		return "", true
	}
	return names[0], true
}
