package threemf

import (
	"context"
	"fmt"
	"io"
	"strings"

	"veneer/core/format/file"
	"veneer/core/format/number"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// The namespaces that the reader knows: the core, and of three extensions what
// concerns the shape and its colours.
const (
	coreSpace       = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
	materialSpace   = "http://schemas.microsoft.com/3dmanufacturing/material/2015/02"
	productionSpace = "http://schemas.microsoft.com/3dmanufacturing/production/2015/06"
	setsSpace       = "http://schemas.microsoft.com/3dmanufacturing/trianglesets/2021/07"
)

var honoured = map[string]bool{coreSpace: true, materialSpace: true, productionSpace: true, setsSpace: true}

const (
	maxComponents = 32 // depth of components within components
	maxPlacements = 1 << 20
)

var units = map[string]string{"micron": "um", "millimeter": "mm", "centimeter": "cm", "inch": "in", "foot": "ft", "meter": "m"}

// object is one resource of a model: a mesh, or components that place others.
type object struct {
	name       string
	kind       string
	mesh       mesh.Mesh
	components []placement
	line       int
	group      string // property group of triangles that name none
	index      int    // and the property in it
}

// reader gathers what the package's model parts hold.
type reader struct {
	ctx     context.Context
	src     file.Source
	opt     file.Options
	pack    *pack
	unit    string
	objects map[string]*object // by part and id
	items   []placement
	lost    map[string]int
	count   int64
	placed  int

	mirrored int      // objects placed as mirror images
	toRead   []string // model parts that were named
	known    map[string]bool

	pictures []mesh.Texture
	paths    map[string]int32 // of the package's textures, counted from 1
}

// read reads the root model part and every part that it names.
func (r *reader) read(root string) error {
	r.need(root)
	for i := 0; i < len(r.toRead); i++ {
		part, size, err := r.pack.open(r.toRead[i])
		if err != nil {
			return err
		}
		ahead, stop := readAhead(part)
		p := &partParser{reader: r, part: r.toRead[i], root: i == 0, size: size, scan: newScanner(ahead), groups: map[string]*group{}, textures: map[string]int32{}}
		err = p.parse()
		stop()
		part.Close()
		if err != nil {
			return err
		}
		if len(r.toRead) > r.opt.Limits.ZipEntries {
			return r.src.Whole("ask for the file again", "more than %d model parts", r.opt.Limits.ZipEntries)
		}
	}
	return nil
}

// need has a model part read, once.
func (r *reader) need(part string) {
	if !r.known[part] {
		r.known[part] = true
		r.toRead = append(r.toRead, part)
	}
}

// partParser reads one model part.
type partParser struct {
	*reader
	part    string
	root    bool
	size    int64
	scan    *scanner
	groups  map[string]*group // property groups by id
	group   *group            // the one being read
	current *object

	textures map[string]int32 // by id, counted from 1
}

// parse reads the part as a stream of tags.
func (p *partParser) parse() error {
	for n := 0; ; n++ {
		e, err := p.scan.next()
		if err == io.EOF {
			if n == 0 {
				return p.fail("ask for the file again", "the model holds no XML")
			}
			return nil
		}
		if err != nil {
			if asFileError(err) {
				return err
			}
			return p.fail("ask for the file again", "the XML cannot be read: %v", err)
		}
		if n%65536 == 0 {
			if err := p.ctx.Err(); err != nil {
				return err
			}
			p.opt.Report(float64(p.scan.offset()) / float64(p.size+1))
		}
		if e == finish {
			continue
		}
		depth := p.scan.depth()
		if depth > p.opt.Limits.XMLDepth {
			return p.fail("a model is not so deep", "XML elements nested more than %d deep", p.opt.Limits.XMLDepth)
		}
		if depth == 1 && (p.scan.space != coreSpace || string(p.scan.name) != "model") {
			return p.fail("is this a 3MF file?", "the model's root is %q, not the 3MF core model", clip(string(p.scan.name)))
		}
		if err := p.element(); err != nil {
			return err
		}
	}
}

func (p *partParser) element() error {
	switch p.scan.space {
	case coreSpace:
		return p.coreElement()
	case materialSpace:
		return p.materialElement()
	case setsSpace:
		return nil // names for sets of triangles: nothing of the shape
	}
	return p.lose("element of an extension (" + clip(string(p.scan.name)) + ")")
}

// lose counts something that is not carried over.
func (p *partParser) lose(what string) error {
	p.lost[what]++
	if len(p.lost) > 100 {
		return p.fail("ask for a plain 3MF", "too many unknown elements")
	}
	return nil
}

func (p *partParser) coreElement() error {
	switch string(p.scan.name) {
	case "vertex":
		if p.current == nil {
			return p.fail("expected it in a mesh", "a vertex outside of an object")
		}
		return p.vertex(&p.current.mesh)
	case "triangle":
		if p.current == nil {
			return p.fail("expected it in a mesh", "a triangle outside of an object")
		}
		return p.triangle(p.current)
	case "model":
		return p.model()
	case "object":
		return p.object()
	case "component":
		if p.current == nil {
			return p.fail("expected it in components", "a component outside of an object")
		}
		c, err := p.placement()
		p.current.components = append(p.current.components, c)
		return err
	case "item":
		item, err := p.placement()
		if err != nil || !p.root {
			return err
		}
		p.items = append(p.items, item)
		if len(p.items) > p.opt.Limits.Bodies {
			return p.fail("raise the body limit to read it", "more than %d build items", p.opt.Limits.Bodies)
		}
	case "basematerials":
		p.begin(0)
	case "base":
		return p.colour(p.scan.attr("displaycolor"))
	case "metadata", "metadatagroup", "resources", "build", "mesh", "vertices", "triangles", "components":
	default:
		return p.lose("element " + clip(string(p.scan.name)))
	}
	return nil
}

func (p *partParser) model() error {
	if p.root {
		p.unit = "mm"
		if text := p.scan.attr("unit"); text != nil {
			unit, ok := units[string(text)]
			if !ok {
				return p.fail("expected micron, millimeter, centimeter, inch, foot or meter", "the unit is %q", clip(string(text)))
			}
			p.unit = unit
		}
	}
	for _, prefix := range strings.Fields(string(p.scan.attr("requiredextensions"))) {
		if space, _ := p.scan.spaceOf([]byte(prefix)); !honoured[space] {
			return p.fail("ask for a 3MF without it", "the file cannot be read right without the extension %s (%s)", clip(prefix), clip(space))
		}
	}
	return nil
}

func (p *partParser) object() error {
	id := string(p.scan.attr("id"))
	key := placement{part: p.part, object: id}.key()
	if id == "" || p.objects[key] != nil {
		return p.fail("every object needs an id of its own", "an object has the id %q", clip(id))
	}
	p.current = &object{name: string(p.scan.attr("name")), kind: string(p.scan.attr("type")), line: p.scan.line(), group: string(p.scan.attr("pid"))}
	if n, ok := number.Int(p.scan.attr("pindex")); ok && n >= 0 {
		p.current.index = int(n)
	}
	p.objects[key] = p.current
	if len(p.objects) > p.opt.Limits.Bodies {
		return p.fail("raise the body limit to read it", "more than %d objects", p.opt.Limits.Bodies)
	}
	return nil
}

func (p *partParser) vertex(into *mesh.Mesh) error {
	var xyz [3]float64
	seen := 0
	for _, a := range p.scan.attrs {
		if len(a.name) != 1 {
			continue
		}
		i := int(a.name[0]) - 'x'
		if i < 0 || i > 2 {
			continue
		}
		x, ok := number.Float(a.value)
		if !ok {
			if x, ok = number.Float(trim(a.value)); !ok {
				return p.fail("expected a finite number", "found %q for a coordinate", clip(string(a.value)))
			}
		}
		xyz[i] = x
		seen |= 1 << i
	}
	v := geom.Vec{X: xyz[0], Y: xyz[1], Z: xyz[2]}
	if seen != 7 || !v.Finite() {
		return p.fail("a vertex has x, y and z within ±3.4e38", "a vertex lacks a coordinate or has one too large")
	}
	if int64(len(into.Positions)) >= 3*p.opt.Limits.Triangles {
		return p.fail("raise the triangle limit to read it", "more than %d vertices", 3*p.opt.Limits.Triangles)
	}
	into.Positions = append(into.Positions, v)
	return nil
}

func (p *partParser) triangle(o *object) error {
	var t mesh.Triangle
	var group []byte
	index := [3]int64{-1, -1, -1}
	seen := 0
	for _, a := range p.scan.attrs {
		if len(a.name) == 2 && a.name[0] == 'v' && a.name[1]-'1' < 3 {
			i := int(a.name[1] - '1')
			n, ok := number.Int(trim(a.value))
			if !ok || n < 0 || n >= int64(len(o.mesh.Positions)) {
				return p.fail(fmt.Sprintf("the object has %d vertices, numbered from 0", len(o.mesh.Positions)), "a triangle names vertex %q", clip(string(a.value)))
			}
			t[i] = int32(n)
			seen |= 1 << i
			continue
		}
		switch string(a.name) {
		case "p1", "p2", "p3":
			if n, ok := number.Int(trim(a.value)); ok {
				index[a.name[1]-'1'] = n
			}
		case "pid":
			group = a.value
		}
	}
	if seen != 7 {
		return p.fail("a triangle has v1, v2 and v3", "a triangle lacks a corner")
	}
	if p.count++; p.count > min(p.opt.Limits.Triangles, mesh.MaxTriangles) {
		return p.fail("raise the triangle limit to read it", "more than %d triangles", p.opt.Limits.Triangles)
	}
	o.mesh.Triangles = append(o.mesh.Triangles, t)
	if len(p.groups) > 0 {
		p.paint(o, group, index)
	}
	return nil
}

func (p *partParser) fail(expect, format string, a ...any) error {
	return p.failAt(placement{part: p.part, line: p.scan.line()}, expect, format, a...)
}

func (r *reader) failAt(p placement, expect, format string, a ...any) error {
	e := r.src.AtLine(p.line, expect, format, a...)
	e.What = "in " + clip(strings.TrimPrefix(p.part, "/")) + ": " + e.What
	return e
}

func trim(b []byte) []byte {
	for len(b) > 0 && b[0] <= ' ' {
		b = b[1:]
	}
	for len(b) > 0 && b[len(b)-1] <= ' ' {
		b = b[:len(b)-1]
	}
	return b
}

func clip(s string) string { return s[:min(len(s), 60)] }
