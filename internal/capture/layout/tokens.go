package layout

import (
	"bytes"
	"io"

	"github.com/go-json-experiment/json/jsontext"
)

// Tokens is a decoder that can pass by a part of its text whose meaning is known already.
type Tokens struct {
	*jsontext.Decoder
	text []byte
	lead int64 // what the text of the decoder is behind the same place in text
}

// ByPassing opens a text with package jsontext, to pass by parts of it.
func ByPassing(text []byte) *Tokens { return &Tokens{Decoder: ByTokens(text), text: text} }

// InputOffset is how far the text was read or passed by.
func (t *Tokens) InputOffset() int64 { return t.Decoder.InputOffset() + t.lead }

// Rest is what was not read yet.
func (t *Tokens) Rest() []byte { return t.text[t.InputOffset():] }

// Pass goes on behind n bytes of the rest: whole elements or members, with the commas in front of them, of the array or
// object that is being read, which has some before them.
func (t *Tokens) Pass(n int) error {
	var around []byte // what opens the arrays and objects anew, as far as something in each
	tokens := 0
	for i := 1; i <= t.StackDepth(); i++ {
		if kind, _ := t.StackIndex(i); kind == '{' {
			around = append(around, `{"":`...)
			tokens++
		} else {
			around = append(around, '[')
		}
		tokens++
	}
	around = append(around, `""`...)
	rest := t.Rest()[n:]
	d := jsontext.NewDecoder(io.MultiReader(bytes.NewReader(around), bytes.NewReader(rest)), Tolerant)
	for range tokens + 1 {
		if _, err := d.ReadToken(); err != nil {
			return err
		}
	}
	t.Decoder, t.lead = d, int64(len(t.text)-len(rest)-len(around))
	return nil
}

// fewElements is how many are skipped one by one rather than passed by.
const fewElements = 16

// PassElements passes by n elements of the array that is being read, n bytes of the rest in all.
func (t *Tokens) PassElements(elements, n int) error {
	if elements > fewElements {
		return t.Pass(n)
	}
	for range elements {
		if err := t.SkipValue(); err != nil {
			return err
		}
	}
	return nil
}

// NextElement is where the next element or member begins in what follows one that ends at i: behind a comma. It is
// negative where there is none.
func NextElement(text []byte, i int) int {
	return after(text, i, ',')
}

// OnlyElement is where the element of an array begins that stands at i, -1 where none stands there.
func OnlyElement(text []byte, i int) int { return after(text, i, '[') }

// EndsArray is behind an array whose last element ends at i, -1 where another one follows.
func EndsArray(text []byte, i int) int {
	if i = skipBlanks(text, i); i == len(text) || text[i] != ']' {
		return -1
	}
	return i + 1
}

// NextMember is where the value of the next member begins in what follows a member that ends at i. It is negative where
// there is none with a plain name.
func NextMember(text []byte, i int) int {
	_, value := NextNamed(text, i)
	return value
}

// NextNamed is NextMember with where the name begins, at its quote.
func NextNamed(text []byte, i int) (name, value int) {
	if name = NextElement(text, i); name < 0 || name == len(text) || text[name] != '"' {
		return -1, -1
	}
	if i = valueEnds(text, name+1, quoted); i < 0 || i == len(text) {
		return -1, -1
	}
	return name, after(text, i+1, ':')
}

// after is behind a sign, with blanks around it, that stands at i; -1 where it does not.
func after(text []byte, i int, sign byte) int {
	if i < 0 {
		return -1
	}
	if i = skipBlanks(text, i); i == len(text) || text[i] != sign {
		return -1
	}
	return skipBlanks(text, i+1)
}

func skipBlanks(b []byte, i int) int {
	for i < len(b) && (b[i] == ' ' || b[i] == '\t' || b[i] == '\n' || b[i] == '\r') {
		i++
	}
	return i
}
