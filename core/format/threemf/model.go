package threemf

import (
	"context"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
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

type placement struct {
	part   string // the model part that the object is in
	object string
	at     geom.Matrix
	line   int
}

func (p placement) key() string { return p.part + "#" + p.object }

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

// group is a property group: colours, or places in a texture.
type group struct {
	colours []mesh.Colour
	texture int32
	at      [][2]float32
}

// begin begins a group.
func (p *partParser) begin(texture int32) {
	p.group = &group{texture: texture}
	p.groups[string(p.scan.attr("id"))] = p.group
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

func (p *partParser) materialElement() error {
	switch name := string(p.scan.name); name {
	case "colorgroup":
		p.begin(0)
	case "color":
		return p.colour(p.scan.attr("color"))
	case "texture2d":
		return p.texture()
	case "texture2dgroup":
		n, known := p.textures[string(p.scan.attr("texid"))]
		if !known {
			return p.fail("ask for the file again", "a group of texture coordinates names the texture %q, which does not come before it", clip(string(p.scan.attr("texid"))))
		}
		p.begin(n)
	case "tex2coord":
		return p.coordinate()
	case "compositematerials", "multiproperties":
		p.begin(0)
		return p.lose("property group (" + name + ")")
	}
	return nil
}

// texture reads the picture that a texture2d names from the package.
func (p *partParser) texture() error {
	name, id := string(p.scan.attr("path")), string(p.scan.attr("id"))
	if n, known := p.paths[name]; known {
		p.textures[id] = n
		return nil
	}
	r, _, err := p.pack.open(name)
	if err != nil {
		return err
	}
	defer r.Close()
	data, err := file.ReadTexture(r, p.opt.Limits, p.pictures)
	if err != nil {
		p.textures[id], p.paths[name] = 0, 0
		return p.lose("texture that " + err.Error())
	}
	p.pictures = append(p.pictures, mesh.Texture{Name: file.BaseName(name), Data: data})
	p.textures[id] = int32(len(p.pictures))
	p.paths[name] = p.textures[id]
	return nil
}

// coordinate adds a place in a texture to the group being read.
func (p *partParser) coordinate() error {
	if p.group == nil {
		return p.fail("expected it in a group", "a texture coordinate outside of a group")
	}
	var at [2]float32
	for i, name := range [2]string{"u", "v"} {
		x, ok := number.Float(trim(p.scan.attr(name)))
		if !ok || math.Abs(x) > math.MaxFloat32 {
			return p.fail("expected a finite number", "found %q for a texture coordinate", clip(string(p.scan.attr(name))))
		}
		at[i] = float32(x)
	}
	p.group.at = append(p.group.at, at)
	return nil
}

// colour adds "#RRGGBB" or "#RRGGBBAA" to the group being read.
func (p *partParser) colour(text []byte) error {
	var c uint32
	digits := 0
	for i, d := range text {
		if i == 0 && d == '#' {
			continue
		}
		var x byte
		switch {
		case d >= '0' && d <= '9':
			x = d - '0'
		case d|0x20 >= 'a' && d|0x20 <= 'f':
			x = d | 0x20 - 'a' + 10
		default:
			digits = -100
		}
		c, digits = c<<4|uint32(x), digits+1
	}
	switch digits {
	case 6:
		c = c<<8 | 0xff
	case 8:
	default:
		return p.fail("a colour is #RRGGBB or #RRGGBBAA", "found %q for a colour", clip(string(text)))
	}
	if p.group == nil {
		return p.fail("expected it in a group", "a colour outside of a group")
	}
	p.group.colours = append(p.group.colours, mesh.Colour(c))
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

// paint gives the newest triangle its colours or its place in a texture, of the group that it or its
// object names; p2 and p3 are p1's when they are missing.
func (p *partParser) paint(o *object, group []byte, index [3]int64) {
	g := p.groups[string(group)]
	if group == nil {
		g = p.groups[o.group]
	}
	var c [3]mesh.Colour
	var cover mesh.Cover
	if g != nil {
		if index[0] < 0 {
			index[0] = int64(o.index)
		}
		cover.Texture = g.texture
		for i := range c {
			if index[i] < 0 {
				index[i] = index[0]
			}
			if index[i] < int64(len(g.colours)) {
				c[i] = g.colours[index[i]]
			}
			if index[i] < int64(len(g.at)) {
				cover.At[i] = g.at[index[i]]
			} else {
				cover.Texture = 0
			}
		}
	}
	if cover.Texture == 0 {
		cover = mesh.Cover{}
	}
	before := len(o.mesh.Triangles) - 1
	if o.mesh.Colours == nil && c != ([3]mesh.Colour{}) {
		o.mesh.Colours = make([][3]mesh.Colour, before)
	}
	if o.mesh.Colours != nil {
		o.mesh.Colours = append(o.mesh.Colours, c)
	}
	if o.mesh.Covers == nil && cover.Texture != 0 {
		o.mesh.Covers = make([]mesh.Cover, before)
	}
	if o.mesh.Covers != nil {
		o.mesh.Covers = append(o.mesh.Covers, cover)
	}
}

func (p *partParser) placement() (placement, error) {
	c := placement{part: p.part, object: string(p.scan.attr("objectid")), at: geom.Identity, line: p.scan.line()}
	if c.object == "" {
		return c, p.fail("expected objectid", "a %s names no object", p.scan.name)
	}
	if elsewhere := p.scan.attrIn(productionSpace, "path"); elsewhere != nil {
		c.part = path.Clean("/" + string(elsewhere))
		p.need(c.part)
	}
	if text := p.scan.attr("transform"); text != nil {
		fields := strings.Fields(string(text))
		if len(fields) != 12 {
			return c, p.fail("a transform has 12", "a transform of %d numbers", len(fields))
		}
		for i, f := range fields {
			x, ok := number.Float([]byte(f))
			if !ok {
				return c, p.fail("expected a finite number", "found %q in a transform", clip(f))
			}
			c.at[i] = x
		}
		if c.at.Determinant() == 0 {
			return c, p.fail("ask for the file again", "a transform flattens its object to nothing")
		}
	}
	return c, nil
}

// build places every build item; each becomes a body.
func (r *reader) build() (*file.Model, error) {
	model := &file.Model{Format: file.ThreeMF, Unit: r.unit, Mesh: &mesh.Mesh{}}
	m := model.Mesh
	if len(r.items) == 0 {
		return nil, r.src.Whole("there is nothing to print; ask for the file again", "the build has no item")
	}
	for _, item := range r.items {
		body := int32(len(m.Bodies))
		before := len(m.Triangles)
		if err := r.place(m, body, item, geom.Identity, nil); err != nil {
			return nil, err
		}
		if len(m.Triangles) > before {
			m.Bodies = append(m.Bodies, mesh.Body{Name: r.objects[item.key()].name})
		}
	}
	if len(m.Triangles) == 0 {
		return nil, r.src.Whole("there is nothing to print; ask for the file again", "the build items hold no triangle")
	}
	if len(m.Bodies) < 2 && m.Bodies[0].Name == "" {
		m.Bodies, m.BodyOf = nil, nil
	}
	if m.Covers != nil {
		m.Textures = r.pictures
	}
	m.Weld()
	model.Mirrored = r.mirrored
	model.Lost = file.LostList(r.lost)
	return model, nil
}

func (r *reader) place(into *mesh.Mesh, body int32, p placement, outer geom.Matrix, above []string) error {
	o := r.objects[p.key()]
	if o == nil {
		return r.failAt(p, "ask for the file again", "object %q is placed but not in the file", clip(p.object))
	}
	for _, key := range above {
		if key == p.key() {
			return r.failAt(p, "ask for the file again", "object %q contains itself", clip(p.object))
		}
	}
	if len(above) >= maxComponents {
		return r.failAt(p, "ask for the file again", "components nested more than %d deep", maxComponents)
	}
	if r.placed++; r.placed > maxPlacements {
		return r.failAt(p, "ask for the file again", "components place more than %d objects", maxPlacements)
	}
	if o.kind != "" && o.kind != "model" && o.kind != "surface" { // supports and aids are not what was ordered
		r.lost["object that is no part of the model ("+clip(o.kind)+")"]++
		return nil
	}
	at := p.at.Then(outer)
	if int64(len(into.Triangles)+len(o.mesh.Triangles)) > min(r.opt.Limits.Triangles, mesh.MaxTriangles) ||
		int64(len(into.Positions)+len(o.mesh.Positions)) > 3*r.opt.Limits.Triangles {
		return r.failAt(p, "raise the triangle limit to read it", "more than %d triangles once placed", r.opt.Limits.Triangles)
	}
	if !appendPlaced(into, body, &o.mesh, at) {
		return r.failAt(p, "expected coordinates within ±3.4e38", "a transform puts a vertex out of range")
	}
	if len(o.mesh.Triangles) > 0 && mirrors(at) {
		r.mirrored++
	}
	above = append(above, p.key())
	for _, c := range o.components {
		if err := r.place(into, body, c, at, above); err != nil {
			return err
		}
		if err := r.ctx.Err(); err != nil {
			return err
		}
	}
	return nil
}

// appendPlaced puts an object's mesh into another, mapped, as part of a body;
// false when a point leaves the range of coordinates. A mirror image turns its
// triangles inside out, so they are turned back.
func appendPlaced(into *mesh.Mesh, body int32, o *mesh.Mesh, at geom.Matrix) bool {
	base := int32(len(into.Positions))
	into.Positions = slices.Grow(into.Positions, len(o.Positions))
	into.Triangles = slices.Grow(into.Triangles, len(o.Triangles))
	into.BodyOf = slices.Grow(into.BodyOf, len(o.Triangles))
	for _, v := range o.Positions {
		p := at.Apply(v)
		if !p.Finite() {
			return false
		}
		into.Positions = append(into.Positions, p)
	}
	if into.Colours == nil && o.Colours != nil {
		into.Colours = make([][3]mesh.Colour, len(into.Triangles))
	}
	if into.Covers == nil && o.Covers != nil {
		into.Covers = make([]mesh.Cover, len(into.Triangles))
	}
	mirrored := mirrors(at)
	for t, v := range o.Triangles {
		into.Triangles = append(into.Triangles, mesh.Triangle{v[0] + base, v[1] + base, v[2] + base})
		into.BodyOf = append(into.BodyOf, body)
		if into.Colours != nil {
			c := [3]mesh.Colour{}
			if o.Colours != nil {
				c = o.Colours[t]
			}
			into.Colours = append(into.Colours, c)
		}
		if into.Covers != nil {
			c := mesh.Cover{}
			if o.Covers != nil {
				c = o.Covers[t]
			}
			into.Covers = append(into.Covers, c)
		}
		if mirrored {
			into.Turn(int32(len(into.Triangles) - 1))
		}
	}
	return true
}

// mirrors reports whether a transform turns a body into its mirror image.
func mirrors(at geom.Matrix) bool { return at.Determinant() < 0 }

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
