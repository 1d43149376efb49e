// Package obj reads Wavefront-style OBJ text: vertices, then polygons that
// index them, one statement a line.
//
// Polygons are cut into triangles in their own plane with exact arithmetic, so
// that concave ones come out right; objects (or, without any, groups) become
// bodies. What the mesh cannot carry is counted and reported as lost.
package obj

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"io/fs"
	"math"
	"slices"
	"strings"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"veneer/core/format/file"
	"veneer/core/format/number"
	"veneer/core/format/text"
	"veneer/core/geom"
	"veneer/core/mesh"
)

const (
	maxLine    = 16 << 20 // bytes of one statement, continuations included
	maxCorners = 100_000  // corners of one polygon
	flatness   = 1e-3     // a polygon further than this share of its size from its plane is uneven
)

// Looks reports whether the head of a file reads like OBJ: its first statement
// is one that OBJ knows.
func Looks(head []byte) bool {
	head = bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))
	for len(head) > 0 {
		line, rest, whole := bytes.Cut(head, []byte{'\n'})
		if fields := bytes.Fields(line); len(fields) > 0 && fields[0][0] != '#' {
			return (whole || len(fields) > 1) && slices.Contains([]string{"v", "vn", "vt", "vp", "o", "g", "f", "s", "mtllib", "usemtl"}, string(fields[0]))
		}
		head = rest
	}
	return false
}

// Read reads OBJ. An index that is 0 or names no vertex yet read is refused
// with its line.
func Read(ctx context.Context, src file.Source, opt file.Options) (*file.Model, error) {
	p := &parser{src: src, opt: opt, in: text.NewWindow(decoded(src), maxLine), lost: map[string]int{}, materials: map[string]material{}}
	weld := startWeld(int(min(src.Size/64, 4<<20)))
	err := p.file(ctx, weld)
	weld.send(p.mesh.Positions, true)
	weld.finish()
	if err != nil {
		return nil, err
	}
	if len(p.mesh.Triangles) == 0 {
		return nil, src.AtLine(max(p.line, 1), "there is nothing to print; ask for the file again", "the file holds no face")
	}
	p.mesh.WeldBy(weld.weld, weld.same)
	p.nameBodies()
	return &file.Model{Format: file.OBJ, Mesh: &p.mesh, Uneven: p.uneven, Lost: file.LostList(p.lost), Hints: p.hints}, nil
}

// decoded is the file's text as UTF-8; some programs write UTF-16 with a byte-order mark.
func decoded(src file.Source) io.Reader {
	var mark [2]byte
	src.R.ReadAt(mark[:], 0) // a failing disk shows again at once
	if UTF16(mark[:]) {
		return transform.NewReader(src.Section(), unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder())
	}
	return src.Section()
}

// UTF16 reports whether a file begins with the byte-order mark of UTF-16.
func UTF16(head []byte) bool {
	return bytes.HasPrefix(head, []byte("\xff\xfe")) || bytes.HasPrefix(head, []byte("\xfe\xff"))
}

// file reads all statements, and sends vertices to the weld as they come.
func (p *parser) file(ctx context.Context, weld *welding) error {
	told := 0
	for {
		p.reserve()
		p.plain()
		weld.send(p.mesh.Positions, false)
		line, err := p.next()
		if err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
		if err := p.statement(line); err != nil {
			return err
		}
		if p.lines-told > 16384 {
			told = p.lines
			if err := ctx.Err(); err != nil {
				return err
			}
			p.opt.Report(float64(p.in.Offset()) / float64(p.src.Size))
		}
	}
}

type parser struct {
	src    file.Source
	opt    file.Options
	in     *text.Window
	line   int    // of the statement's start
	lines  int    // lines read
	joined []byte // a statement of several lines
	mesh   mesh.Mesh
	named  bool  // an o statement was seen: g no longer makes bodies
	bodies []int // the triangle before which each body begins
	faces  int64 // where in the file the first face came
	corner []int32
	points []geom.Vec
	uneven int
	lost   map[string]int
	hints  []string // the first comments

	materials map[string]material
	textures  map[string]int32 // by file name: its number counted from 1, 0 when it did not come along
	material  mesh.Colour      // in use; 0 for none
	texture   int32            // in use, counted from 1
	painted   []mesh.Colour    // of vertices, as far as any has one
	uv        [][2]float32     // texture coordinates
	corneruv  []int32          // of the face at hand, -1 for none
}

// next returns the next statement with its continuation lines joined; it is
// valid until the following call.
func (p *parser) next() ([]byte, error) {
	p.joined = p.joined[:0]
	p.line = p.lines + 1
	for {
		b := p.in.Rest()
		n := bytes.IndexByte(b, '\n')
		if n < 0 {
			more, err := p.in.More()
			if err != nil {
				return nil, p.fail("is this a mesh file?", "%v", err)
			}
			if more {
				continue
			}
			b = p.in.Rest()
			p.in.Skip(len(b))
			if p.joined = append(p.joined, b...); len(p.joined) == 0 {
				return nil, io.EOF
			}
			p.lines++
			return p.joined, nil
		}
		p.in.Skip(n + 1)
		p.lines++
		line := b[:n]
		if len(p.joined) == 0 && !continues(line) {
			return line, nil // the common case: no copy
		}
		p.joined = append(p.joined, line...)
		if !continues(line) {
			return p.joined, nil
		}
		p.joined = append(bytes.TrimRight(p.joined, "\\\r"), ' ')
		if len(p.joined) > maxLine {
			return nil, p.fail("is this a mesh file?", "a statement of more than %d bytes", maxLine)
		}
	}
}

// reserve makes room for what is still to come, judged by what came so far, so
// that large arrays are not copied again and again as they grow. Vertices come
// before faces in most files, so only half of the rest is taken for vertices.
func (p *parser) reserve() {
	now := p.in.Offset()
	if len(p.mesh.Triangles) == 0 {
		p.faces = now
	}
	p.mesh.Positions = roomFor(p.mesh.Positions, 0, now, now+(p.src.Size-now)/2)
	p.mesh.Triangles = roomFor(p.mesh.Triangles, p.faces, now, p.src.Size)
}

// roomFor makes room in a list whose elements came between two places of a
// file, for those up to its end.
func roomFor[T any](list []T, from, now, end int64) []T {
	const window = 1 << 15 // elements that one look at the window may bring
	n := len(list)
	if n == 0 || cap(list)-n >= window || now <= from {
		return list
	}
	more := 1.02 * float64(n) / float64(now-from) * float64(end-now)
	return slices.Grow(list, window+int(max(0, min(more, float64(end)/6)))) // decoded text may be longer than the file
}

func continues(line []byte) bool {
	n := len(line)
	for n > 0 && (line[n-1] == '\n' || line[n-1] == '\r') {
		n--
	}
	return n > 0 && line[n-1] == '\\'
}

// field cuts the next word off the line; an empty word is the line's end.
func field(line []byte) (word, rest []byte) {
	i := 0
	for i < len(line) && line[i] <= ' ' {
		i++
	}
	j := i
	for j < len(line) && line[j] > ' ' {
		j++
	}
	return line[i:j], line[j:]
}

func (p *parser) statement(line []byte) error {
	if p.line == 1 {
		line = bytes.TrimPrefix(line, []byte("\xef\xbb\xbf"))
	}
	word, rest := field(line)
	if len(word) == 0 || word[0] == '#' {
		if len(word) > 0 && len(p.hints) < 20 {
			p.hints = append(p.hints, string(bytes.ToValidUTF8(line[:min(len(line), 200)], []byte("?"))))
		}
		return nil
	}
	switch string(word) {
	case "v":
		return p.vertex(rest)
	case "f", "fo":
		return p.face(rest)
	case "o":
		if !p.named { // groups so far were not the bodies
			p.named = true
			p.mesh.Bodies, p.bodies = nil, nil
			if len(p.mesh.Triangles) > 0 {
				p.mesh.Bodies, p.bodies = append(p.mesh.Bodies, mesh.Body{}), append(p.bodies, 0)
			}
		}
		return p.startBody(rest)
	case "g":
		if !p.named {
			return p.startBody(rest)
		}
	case "vn", "s", "": // normals and smoothing say nothing that the shape does not
	case "vt":
		return p.textureCoordinate(rest)
	case "usemtl":
		m, known := p.materials[string(bytes.TrimSpace(rest))]
		if p.material = m.colour; !known {
			p.lost["material that no library describes"]++
		}
		p.take(m.texture)
	case "mtllib":
		p.library(string(bytes.TrimSpace(rest)))
	case "l":
		p.lost["line"]++
	case "p":
		p.lost["point"]++
	case "curv", "curv2", "surf", "vp", "parm", "trim", "hole", "scrv", "sp", "end", "cstype", "deg", "bmat", "step", "con":
		p.lost["free-form statement"]++
	default:
		if !printable(word) {
			return p.fail("is this an OBJ file?", "found %s where a statement should begin", file.Printable(word))
		}
		p.lost["statement of an unknown kind ("+string(word[:min(len(word), 16)])+")"]++
		if len(p.lost) > 50 {
			return p.fail("is this an OBJ file?", "too many unknown statements, the last one %s", file.Printable(word))
		}
	}
	return nil
}

func printable(word []byte) bool {
	for _, c := range word {
		if c < ' ' || c >= 0x7f {
			return false
		}
	}
	return true
}

func (p *parser) vertex(line []byte) error {
	var xyz [3]float64
	for i := range xyz {
		var word []byte
		word, line = field(line)
		x, ok := number.Float(word)
		if !ok {
			return p.fail("a vertex has three finite numbers", "found %s for a coordinate", file.Printable(word))
		}
		xyz[i] = x
	}
	v := geom.Vec{X: xyz[0], Y: xyz[1], Z: xyz[2]}
	if !v.Finite() {
		return p.fail("expected coordinates within ±3.4e38", "a coordinate is too large")
	}
	if c, ok := threeShares(line); ok {
		for len(p.painted) < len(p.mesh.Positions) {
			p.painted = append(p.painted, 0)
		}
		p.painted = append(p.painted, c|0xff)
	} else if word, _ := field(line); len(word) > 0 {
		p.lost["vertex with a weight"]++
	}
	if int64(len(p.mesh.Positions)) >= 3*p.opt.Limits.Triangles {
		return p.fail("raise the triangle limit to read it", "more than %d vertices", 3*p.opt.Limits.Triangles)
	}
	p.mesh.Positions = append(p.mesh.Positions, v)
	return nil
}

func (p *parser) textureCoordinate(line []byte) error {
	var at [2]float32
	for i := range at {
		var word []byte
		word, line = field(line)
		x, ok := number.Float(word)
		if ok = ok && math.Abs(x) <= math.MaxFloat32; !ok && (i == 0 || len(word) > 0) { // v may be missing
			return p.fail("a texture coordinate has one to three finite numbers", "found %s for a texture coordinate", file.Printable(word))
		}
		at[i] = float32(x)
	}
	if int64(len(p.uv)) >= 3*p.opt.Limits.Triangles {
		return p.fail("raise the triangle limit to read it", "more than %d texture coordinates", 3*p.opt.Limits.Triangles)
	}
	p.uv = append(p.uv, at)
	return nil
}

// take puts a texture in use; one that is seen the first time is read from
// beside the file.
func (p *parser) take(name string) {
	p.texture = 0
	if name == "" {
		return
	}
	if n, known := p.textures[name]; known {
		p.texture = n
		return
	}
	if data, why := p.readTexture(name); why != "" {
		p.lost["texture that "+why]++
	} else {
		p.mesh.Textures = append(p.mesh.Textures, mesh.Texture{Name: file.BaseName(name), Data: data})
		p.texture = int32(len(p.mesh.Textures))
	}
	if p.textures == nil {
		p.textures = map[string]int32{}
	}
	p.textures[name] = p.texture
}

// readTexture reads a texture from beside the file, or says in a few words why not.
func (p *parser) readTexture(name string) (data []byte, why string) {
	r, err := p.beside(name)
	if err != nil {
		return nil, "did not come along"
	}
	defer r.Close()
	if data, err = file.ReadTexture(r, p.opt.Limits, p.mesh.Textures); err != nil {
		return nil, err.Error()
	}
	return data, ""
}

func (p *parser) beside(name string) (io.ReadCloser, error) {
	if p.src.Beside == nil {
		return nil, fs.ErrNotExist
	}
	return p.src.Beside(strings.ReplaceAll(name, `\`, "/"))
}

func (p *parser) face(line []byte) error {
	p.corner, p.corneruv = p.corner[:0], p.corneruv[:0]
	for {
		var word []byte
		word, line = field(line)
		if len(word) == 0 || word[0] == '#' {
			break
		}
		uv := int32(-1)
		if slash := bytes.IndexByte(word, '/'); slash >= 0 {
			var err error
			if uv, err = p.uvIndex(word[slash+1:]); err != nil {
				return err
			}
			word = word[:slash]
		}
		i, ok := number.Int(word)
		n := int64(len(p.mesh.Positions))
		switch {
		case !ok:
			return p.fail("a corner is a vertex number such as 7, 7/2 or 7/2/5", "found %s for a corner", file.Printable(word))
		case i == 0:
			return p.fail("vertices are numbered from 1", "a corner names vertex 0")
		case i < 0:
			i += n
		default:
			i--
		}
		if i < 0 || i >= n {
			return p.fail(fmt.Sprintf("only %d vertices come before it", n), "a corner names vertex %s", file.Printable(word))
		}
		if len(p.corner) == maxCorners {
			return p.fail("split it", "a face of more than %d corners", maxCorners)
		}
		p.corner, p.corneruv = append(p.corner, int32(i)), append(p.corneruv, uv)
	}
	if len(p.corner) < 3 {
		return p.fail("a face has at least three", "a face of %d corners", len(p.corner))
	}
	if int64(len(p.mesh.Triangles)+len(p.corner)-2) > min(p.opt.Limits.Triangles, mesh.MaxTriangles) {
		return p.fail("raise the triangle limit to read it", "more than %d triangles", p.opt.Limits.Triangles)
	}
	if len(p.mesh.Bodies) == 0 {
		p.mesh.Bodies, p.bodies = append(p.mesh.Bodies, mesh.Body{}), append(p.bodies, len(p.mesh.Triangles))
	}
	p.cut()
	return nil
}

// uvIndex reads the number behind a corner's first slash; -1 when there is none.
func (p *parser) uvIndex(word []byte) (int32, error) {
	if slash := bytes.IndexByte(word, '/'); slash >= 0 {
		word = word[:slash]
	}
	if len(word) == 0 {
		return -1, nil
	}
	i, ok := number.Int(word)
	if i < 0 {
		i += int64(len(p.uv)) + 1
	}
	if !ok || i < 1 || i > int64(len(p.uv)) {
		return 0, p.fail(fmt.Sprintf("only %d come before it", len(p.uv)), "a corner names texture coordinate %s", file.Printable(word))
	}
	return int32(i - 1), nil
}

// cut adds the face's triangles.
func (p *parser) cut() {
	c := p.corner
	add := func(i, j, k int32) {
		p.mesh.Triangles = append(p.mesh.Triangles, mesh.Triangle{c[i], c[j], c[k]})
		p.paint(c[i], c[j], c[k])
		p.cover(i, j, k)
	}
	if len(c) == 3 {
		add(0, 1, 2)
		return
	}
	p.points = p.points[:0]
	for _, v := range c {
		p.points = append(p.points, p.mesh.Positions[v])
	}
	if uneven(p.points) {
		p.uneven++
	}
	if triangles, ok := geom.Triangulate(geom.Flatten(p.points), nil); ok {
		for _, t := range triangles {
			add(t[0], t[1], t[2])
		}
		return
	}
	for i := int32(2); i < int32(len(c)); i++ { // crosses itself or has no area: a fan, for the check to judge
		add(0, i-1, i)
	}
}

// paint gives the newest triangle the colours of its vertices, or else that of
// the material in use.
func (p *parser) paint(corners ...int32) {
	var c [3]mesh.Colour
	for i, v := range corners {
		c[i] = p.material
		if int(v) < len(p.painted) && p.painted[v] != 0 {
			c[i] = p.painted[v]
		}
	}
	if p.mesh.Colours == nil {
		if c == ([3]mesh.Colour{}) {
			return
		}
		p.mesh.Colours = make([][3]mesh.Colour, len(p.mesh.Triangles)-1, cap(p.mesh.Triangles))
	}
	p.mesh.Colours = append(p.mesh.Colours, c)
}

// cover lays the texture in use on the newest triangle, which has those corners
// of the face at hand.
func (p *parser) cover(corners ...int32) {
	var c mesh.Cover
	if p.texture != 0 {
		c.Texture = p.texture
		for i, k := range corners {
			uv := p.corneruv[k]
			if uv < 0 {
				p.lost["face without texture coordinates below a texture"]++
				c = mesh.Cover{}
				break
			}
			c.At[i] = p.uv[uv]
		}
	}
	if p.mesh.Covers == nil {
		if c.Texture == 0 {
			return
		}
		p.mesh.Covers = make([]mesh.Cover, len(p.mesh.Triangles)-1, cap(p.mesh.Triangles))
	}
	p.mesh.Covers = append(p.mesh.Covers, c)
}

// library reads a material library that came along with the file.
func (p *parser) library(name string) {
	r, err := p.beside(name)
	if err != nil {
		p.lost["material library that did not come along"]++
		return
	}
	defer r.Close()
	readLibrary(r, p.materials)
}

func uneven(points []geom.Vec) bool {
	n := geom.PolygonNormal(points).Unit()
	low, high := 0.0, 0.0
	size := 0.0
	for _, p := range points {
		d := p.Sub(points[0])
		low, high = min(low, d.Dot(n)), max(high, d.Dot(n))
		size = max(size, d.Length())
	}
	return high-low > flatness*size
}

func (p *parser) startBody(name []byte) error {
	if len(p.mesh.Bodies) >= p.opt.Limits.Bodies {
		return p.fail("raise the body limit to read it", "more than %d objects", p.opt.Limits.Bodies)
	}
	text := bytes.TrimSpace(name)
	p.bodies = append(p.bodies, len(p.mesh.Triangles))
	p.mesh.Bodies = append(p.mesh.Bodies, mesh.Body{Name: string(bytes.ToValidUTF8(text[:min(len(text), 200)], []byte("?")))})
	return nil
}

// nameBodies tells each triangle its body. Bodies without a face are
// forgotten; a single nameless one is no body at all.
func (p *parser) nameBodies() {
	m := &p.mesh
	var bodies []mesh.Body
	var first []int
	for b, at := range p.bodies {
		end := len(m.Triangles)
		if b+1 < len(p.bodies) {
			end = p.bodies[b+1]
		}
		if at < end {
			bodies, first = append(bodies, m.Bodies[b]), append(first, at)
		}
	}
	if len(bodies) == 1 && bodies[0].Name == "" {
		m.Bodies = nil
		return
	}
	m.Bodies, m.BodyOf = bodies, make([]int32, len(m.Triangles))
	for _, at := range first[1:] {
		m.BodyOf[at] = 1 // a step at each body's first triangle, added up below
	}
	for t := 1; t < len(m.BodyOf); t++ {
		m.BodyOf[t] += m.BodyOf[t-1]
	}
}

func (p *parser) fail(expect, format string, a ...any) error {
	return p.src.AtLine(p.line, expect, format, a...)
}
