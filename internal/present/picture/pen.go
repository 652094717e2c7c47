// Package picture draws results: one drawing gives SVG and PNG alike. It places boxes and words and computes nothing of
// the network itself.
//
// Lengths are in points from the top left corner. Every meaning has a shape or a stroke of its own, so that pictures
// can be read in grey; colour only helps.
package picture

import (
	"bytes"
	"fmt"
	"image/color"
	"io"
	"sync"

	"codeberg.org/go-fonts/liberation/liberationsansbold"
	"codeberg.org/go-fonts/liberation/liberationsansregular"
	stdfont "golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"
)

// A Drawing is a picture of a known size.
type Drawing struct {
	Width, Height float64
	Draw          func(p *Pen)
}

// dpi is the resolution of PNG pictures.
const dpi = 96

// SVG writes the drawing as Scalable Vector Graphics. The font is inside, since the boxes are measured by it.
func (d Drawing) SVG(w io.Writer) error {
	c := vgsvg.NewWith(vgsvg.UseWH(vg.Length(d.Width), vg.Length(d.Height)), vgsvg.EmbedFonts(true))
	d.Draw(&Pen{c, d.Height})
	_, err := c.WriteTo(w)
	return err
}

// maxPixels bounds a PNG picture's sides.
const maxPixels = 30_000

// PNG writes the drawing as Portable Network Graphics.
func (d Drawing) PNG(w io.Writer) error {
	if d.Width*dpi/72 > maxPixels || d.Height*dpi/72 > maxPixels {
		return fmt.Errorf(
			"the picture would be %.0f by %.0f pixels, which is too large for PNG; take -as svg",
			d.Width*dpi/72,
			d.Height*dpi/72,
		)
	}
	c := vgimg.NewWith(
		vgimg.UseWH(vg.Length(d.Width), vg.Length(d.Height)),
		vgimg.UseDPI(dpi),
		vgimg.UseBackgroundColor(color.White),
	)
	d.Draw(&Pen{c, d.Height})
	var b bytes.Buffer
	if _, err := (vgimg.PngCanvas{Canvas: c}).WriteTo(&b); err != nil {
		return err
	}
	_, err := w.Write(b.Bytes())
	return err
}

// Pen draws on a canvas.
type Pen struct {
	c      vg.Canvas
	height float64
}

// Point is a place in points.
type Point struct{ X, Y float64 }

func (p *Pen) at(x Point) vg.Point { return vg.Point{X: vg.Length(x.X), Y: vg.Length(p.height - x.Y)} }

// Stroke is how a line is drawn. The zero Stroke is none.
type Stroke struct {
	Width float64
	Color color.Color
	Dash  []float64
}

func (p *Pen) set(s Stroke) {
	p.c.SetLineWidth(vg.Length(s.Width))
	p.c.SetColor(s.Color)
	var dash []vg.Length
	for _, d := range s.Dash {
		dash = append(dash, vg.Length(d))
	}
	p.c.SetLineDash(dash, 0)
}

// Line draws through points.
func (p *Pen) Line(s Stroke, points ...Point) {
	if s.Width == 0 {
		return
	}
	var path vg.Path
	for i, x := range points {
		if i == 0 {
			path.Move(p.at(x))
		} else {
			path.Line(p.at(x))
		}
	}
	p.set(s)
	p.c.Stroke(path)
}

// Shape fills and outlines a polygon; a nil fill leaves it open.
func (p *Pen) Shape(fill color.Color, s Stroke, points ...Point) {
	var path vg.Path
	for i, x := range points {
		if i == 0 {
			path.Move(p.at(x))
		} else {
			path.Line(p.at(x))
		}
	}
	path.Close()
	if fill != nil {
		p.c.SetColor(fill)
		p.c.Fill(path)
	}
	if s.Width > 0 {
		p.set(s)
		p.c.Stroke(path)
	}
}

// Box draws a rectangle with corners cut off by r.
func (p *Pen) Box(b Box, r float64, fill color.Color, s Stroke) {
	x, y, w, h := b.X, b.Y, b.W, b.H
	if r == 0 {
		p.Shape(fill, s, Point{x, y}, Point{x + w, y}, Point{x + w, y + h}, Point{x, y + h})
		return
	}
	p.Shape(
		fill,
		s,
		Point{x + r, y},
		Point{x + w - r, y},
		Point{x + w, y + r},
		Point{x + w, y + h - r},
		Point{x + w - r, y + h},
		Point{x + r, y + h},
		Point{x, y + h - r},
		Point{x, y + r},
	)
}

// Box is a rectangle.
type Box struct{ X, Y, W, H float64 }

// Mid is the middle of the box.
func (b Box) Mid() Point { return Point{b.X + b.W/2, b.Y + b.H/2} }

// Grown is the box with m more on every side.
func (b Box) Grown(m float64) Box { return Box{b.X - m, b.Y - m, b.W + 2*m, b.H + 2*m} }

// Meets reports whether two boxes share a point inside both.
func (b Box) Meets(o Box) bool {
	return b.X < o.X+o.W && o.X < b.X+b.W && b.Y < o.Y+o.H && o.Y < b.Y+b.H
}

// Font is a size in points, and whether it is bold.
type Font struct {
	Size float64
	Bold bool
}

// Text writes from a point on the base line.
func (p *Pen) Text(f Font, c color.Color, at Point, s string) {
	p.c.SetColor(c)
	p.c.FillString(face(f), p.at(at), s)
}

// Upward writes from a point to the top.
func (p *Pen) Upward(f Font, c color.Color, at Point, s string) {
	p.c.Push()
	p.c.Translate(p.at(at))
	p.c.Rotate(1.5707963267948966)
	p.c.SetColor(c)
	p.c.FillString(face(f), vg.Point{}, s)
	p.c.Pop()
}

// Width measures a text.
func (f Font) Width(s string) float64 {
	x := face(f)
	return float64(x.Width(s))
}

var (
	fonts     sync.Mutex
	typefaces = map[bool]*opentype.Font{}
)

// face returns a typeface, parsed when it is first asked for.
func face(f Font) font.Face {
	fonts.Lock()
	defer fonts.Unlock()
	t := typefaces[f.Bold]
	if t == nil {
		ttf := liberationsansregular.TTF
		if f.Bold {
			ttf = liberationsansbold.TTF
		}
		var err error
		if t, err = opentype.Parse(ttf); err != nil {
			panic("picture: the embedded font is broken: " + err.Error()) // it is part of the program
		}
		typefaces[f.Bold] = t
	}
	x := font.Face{Font: font.Font{Typeface: "Liberation", Variant: "Sans", Size: font.Length(f.Size)}, Face: t}
	if f.Bold {
		x.Font.Weight = stdfont.WeightBold
	}
	return x
}

// Ink colours: dark on white, and three that differ in brightness too.
var (
	Ink    = color.NRGBA{0x1c, 0x25, 0x30, 0xff}
	Faint  = color.NRGBA{0x8a, 0x93, 0x9e, 0xff}
	Paper  = color.NRGBA{0xff, 0xff, 0xff, 0xff}
	Shade  = color.NRGBA{0xee, 0xf0, 0xf2, 0xff}
	Middle = color.NRGBA{0xc3, 0xc9, 0xd0, 0xff}
	Alarm  = color.NRGBA{0xa3, 0x2a, 0x1e, 0xff}
	Way    = color.NRGBA{0x1d, 0x4f, 0x8c, 0xff}
	WayIn  = color.NRGBA{0x2f, 0x7d, 0x5b, 0xff}
)
