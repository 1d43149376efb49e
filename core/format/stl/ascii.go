package stl

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"

	"veneer/core/format/file"
	"veneer/core/format/number"
	"veneer/core/format/text"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// ReadASCII reads text STL. Words may be in any case and laid out in any way;
// several solids become bodies; a missing endsolid is forgiven. Text that ends
// within a facet is read up to there, and Short says so.
func ReadASCII(ctx context.Context, src file.Source, opt file.Options) (*file.Model, error) {
	p := &parser{ctx: ctx, src: src, opt: opt, in: text.NewWindow(src.Section(), 1<<20), line: 1}
	weld := startWeld(int(min(src.Size/500, 4<<20)))
	p.points, p.send = weld.spare(), weld.send
	err := p.file()
	p.send(p.points)
	p.mesh.Positions, p.mesh.Triangles = weld.finish()
	if err != nil {
		return nil, err
	}
	if len(p.mesh.Triangles) == 0 {
		return nil, src.AtLine(p.line, "there is nothing to print; ask for the file again", "the file holds no triangle")
	}
	if len(p.mesh.Bodies) == 1 && p.mesh.Bodies[0].Name == "" {
		p.mesh.Bodies, p.mesh.BodyOf = nil, nil
	}
	return &file.Model{Format: file.STLASCII, Mesh: &p.mesh, Hints: p.hints, Short: p.short, Against: p.against}, nil
}

type parser struct {
	ctx    context.Context
	src    file.Source
	opt    file.Options
	in     *text.Window
	line   int
	last   bool // the file ends right behind the word that was read
	mesh   mesh.Mesh
	points []geom.Vec // corners not sent to the weld yet
	send   func([]geom.Vec) []geom.Vec
	hints  []string // the first solids' names

	short   string  // how the text is cut short
	against []int32 // triangles whose stored normal is against their corners
}

func (p *parser) file() error {
	p.skipMark()
	for {
		word, err := p.next()
		if err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
		switch {
		case is(word, "solid"):
			name, err := p.restOfLine()
			if err != nil {
				return err
			}
			if len(p.mesh.Bodies) >= p.opt.Limits.Bodies {
				return p.fail("raise the body limit to read it", "more than %d solids", p.opt.Limits.Bodies)
			}
			p.mesh.Bodies = append(p.mesh.Bodies, mesh.Body{Name: name})
			if len(p.hints) < 5 {
				p.hints = append(p.hints, name)
			}
		case is(word, "endsolid"):
			if _, err := p.restOfLine(); err != nil {
				return err
			}
		case is(word, "facet"):
			if err := p.facet(); errors.Is(err, errEnds) && len(p.mesh.BodyOf) > 0 {
				p.cutShort()
				return nil
			} else if err != nil {
				return err
			}
		case p.last && len(p.mesh.BodyOf) > 0 && (bytes.HasPrefix([]byte("facet"), word) || bytes.HasPrefix([]byte("endsolid"), word)):
			p.cutShort()
			return nil
		default:
			return p.fail("expected solid, facet or endsolid", "found %s", file.Printable(word))
		}
	}
}

func (p *parser) cutShort() {
	p.short = fmt.Sprintf("the text breaks off in line %d, after %s", p.line, plural(int64(len(p.mesh.BodyOf)), "whole triangle"))
}

// facet reads from after the word facet to endfacet. A loop of more than three
// corners is cut into triangles in its own plane.
func (p *parser) facet() error {
	var four [4]geom.Vec // the stored normal and three corners
	if b := p.in.Rest(); len(b) >= longestFacet {
		if n := fastFacet(b, &four); n > 0 {
			p.line += lines(b[:n])
			p.in.Skip(n)
			return p.add(four[0], four[1:])
		}
	}
	if err := p.expect("normal"); err != nil {
		return err
	}
	var stored [3]float64
	for i := range stored { // any three words; what is no number says nothing
		word, err := p.need("the facet's normal")
		if err != nil {
			return err
		}
		stored[i], _ = number.Float(word)
	}
	if err := p.expect("outer"); err != nil {
		return err
	}
	if err := p.expect("loop"); err != nil {
		return err
	}
	var corners []geom.Vec
	var store [8]geom.Vec
	corners = store[:0]
	for {
		word, err := p.need("vertex or endloop")
		if err != nil {
			return err
		}
		if is(word, "endloop") {
			break
		}
		if !is(word, "vertex") {
			return p.fail("expected vertex or endloop", "found %s", file.Printable(word))
		}
		var xyz [3]float64
		for i := range xyz {
			word, err := p.need("a coordinate")
			if err != nil {
				return err
			}
			x, ok := number.Float(word)
			if !ok {
				return p.fail("expected a finite number", "found %s for a coordinate", file.Printable(word))
			}
			xyz[i] = x
		}
		v := geom.Vec{X: xyz[0], Y: xyz[1], Z: xyz[2]}
		if !v.Finite() {
			return p.fail("expected coordinates within ±3.4e38", "a coordinate is too large")
		}
		if len(corners) == 1000 {
			return p.fail("expected endloop", "a loop of more than 1000 corners")
		}
		corners = append(corners, v)
	}
	if err := p.expect("endfacet"); err != nil {
		return err
	}
	if len(corners) < 3 {
		return p.fail("a facet has three", "a facet of %d corners", len(corners))
	}
	return p.add(geom.Vec{X: stored[0], Y: stored[1], Z: stored[2]}, corners)
}

// add adds a facet with its stored normal.
func (p *parser) add(stored geom.Vec, corners []geom.Vec) error {
	if len(p.mesh.Bodies) == 0 {
		p.mesh.Bodies = append(p.mesh.Bodies, mesh.Body{})
	}
	first := int32(len(p.mesh.BodyOf))
	if len(corners) == 3 {
		if against(stored, corners[0], corners[1], corners[2]) {
			p.against = append(p.against, first)
		}
		p.points = append(p.points, corners...)
		p.mesh.BodyOf = append(p.mesh.BodyOf, int32(len(p.mesh.Bodies)-1))
		return p.full()
	}
	fan, ok := geom.Triangulate(geom.Flatten(corners), nil)
	if !ok {
		for i := 2; i < len(corners); i++ {
			fan = append(fan, [3]int32{0, int32(i - 1), int32(i)})
		}
	}
	for i, t := range fan {
		if against(stored, corners[t[0]], corners[t[1]], corners[t[2]]) {
			p.against = append(p.against, first+int32(i))
		}
		p.points = append(p.points, corners[t[0]], corners[t[1]], corners[t[2]])
		p.mesh.BodyOf = append(p.mesh.BodyOf, int32(len(p.mesh.Bodies)-1))
	}
	return p.full()
}

// full sends the corners on when there are enough of them.
func (p *parser) full() error {
	if int64(len(p.mesh.BodyOf)) > p.opt.Limits.Triangles {
		return p.fail("raise the triangle limit to read it", "more than %d triangles", p.opt.Limits.Triangles)
	}
	if len(p.points) >= weldChunk {
		p.points = p.send(p.points)
		p.opt.Report(float64(p.in.Offset()) / float64(p.src.Size))
		return p.ctx.Err()
	}
	return nil
}

func (p *parser) skipMark() {
	if len(p.in.Rest()) < 3 {
		p.in.More() // a failing disk shows at the first word
	}
	if bytes.HasPrefix(p.in.Rest(), []byte("\xef\xbb\xbf")) {
		p.in.Skip(3)
	}
}

const longestWord = 128

// next returns the next word; it is valid until the following call.
func (p *parser) next() ([]byte, error) {
	for {
		b := p.in.Rest()
		i := 0
		for i < len(b) && b[i] <= ' ' {
			if b[i] == '\n' {
				p.line++
			}
			i++
		}
		j := i
		for j < len(b) && b[j] > ' ' {
			j++
		}
		if j-i > longestWord {
			return nil, p.fail("is this a mesh file?", "a word of more than %d letters: %s", longestWord, file.Printable(b[i:j]))
		}
		if j < len(b) {
			p.in.Skip(j)
			return b[i:j], nil
		}
		p.in.Skip(i)
		more, err := p.in.More()
		if err != nil {
			return nil, err
		}
		if !more {
			b = p.in.Rest()
			p.in.Skip(len(b))
			if len(b) == 0 {
				return nil, io.EOF
			}
			p.last = true
			return b, nil
		}
	}
}

// errEnds marks the errors of text that ends too early.
var errEnds = errors.New("the text ends")

type ends struct{ at *file.Error }

func (e *ends) Error() string        { return e.at.Error() }
func (e *ends) Is(target error) bool { return target == errEnds }
func (e *ends) Unwrap() error        { return e.at }

// need is next where the file must not end yet.
func (p *parser) need(what string) ([]byte, error) {
	word, err := p.next()
	if err == io.EOF || err == nil && p.last && !is(word, "endfacet") { // a last word may be half of one
		return nil, &ends{p.src.AtLine(p.line, "the file is cut short; ask for it again", "the file ends where %s was expected", what)}
	}
	return word, err
}

func (p *parser) expect(what string) error {
	word, err := p.need(what)
	if err != nil {
		return err
	}
	if !is(word, what) {
		return p.fail("expected "+what, "found %s", file.Printable(word))
	}
	return nil
}

// restOfLine reads up to the line's end; of a very long line only the start is kept.
func (p *parser) restOfLine() (string, error) {
	var kept []byte
	for {
		b := p.in.Rest()
		n := bytes.IndexByte(b, '\n')
		part := b
		if n >= 0 {
			part = b[:n]
		}
		kept = append(kept, part[:min(max(200-len(kept), 0), len(part))]...)
		if n >= 0 {
			p.in.Skip(n + 1)
			p.line++
			break
		}
		p.in.Skip(len(b))
		if more, err := p.in.More(); err != nil {
			return "", err
		} else if !more {
			break
		}
		if err := p.ctx.Err(); err != nil {
			return "", err
		}
	}
	return string(bytes.ToValidUTF8(bytes.TrimSpace(kept), []byte("?"))), nil
}

func (p *parser) fail(expect, format string, a ...any) error {
	return p.src.AtLine(p.line, expect, format, a...)
}

// is compares a word with a lower-case keyword, in any case of its letters.
func is(word []byte, keyword string) bool {
	if len(word) != len(keyword) {
		return false
	}
	for i, c := range word {
		if c != keyword[i] && c|0x20 != keyword[i] {
			return false
		}
	}
	return true
}

func plural(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}
