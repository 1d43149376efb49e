package threemf

import (
	"context"
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"veneer/core/format/file"
	"veneer/core/format/number"
	"veneer/core/geom"
	"veneer/core/mesh"
)

const (
	coreSpace     = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
	maxComponents = 32 // depth of components within components
	maxPlacements = 1 << 20
)

var units = map[string]string{"micron": "um", "millimeter": "mm", "centimeter": "cm", "inch": "in", "foot": "ft", "meter": "m"}

// object is one resource of the model: a mesh, or components that place others.
type object struct {
	name       string
	kind       string
	mesh       mesh.Mesh
	components []placement
	line       int
}

type placement struct {
	object string
	at     geom.Matrix
	line   int
}

type modelParser struct {
	ctx     context.Context
	src     file.Source
	part    string
	opt     file.Options
	size    int64
	xml     *xml.Decoder
	unit    string
	objects map[string]*object
	items   []placement
	lost    map[string]int
	count   int64
	placed  int
}

// parse reads the model part as a stream of XML tokens.
func (m *modelParser) parse(r io.Reader) error {
	m.xml = xml.NewDecoder(r)
	m.xml.Strict = true
	var stack []string
	var current *object
	spaces := map[string]string{}
	for n := 0; ; n++ {
		token, err := m.xml.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			if asFileError(err) {
				return err
			}
			return m.fail("ask for the file again", "the XML cannot be read (%v)", err)
		}
		if n%65536 == 0 {
			if err := m.ctx.Err(); err != nil {
				return err
			}
			m.opt.Report(float64(m.xml.InputOffset()) / float64(m.size+1))
		}
		switch e := token.(type) {
		case xml.Directive:
			return m.fail("a model needs none", "the XML holds a document type or entity definition")
		case xml.EndElement:
			stack = stack[:len(stack)-1]
			if e.Name.Local == "object" && e.Name.Space == coreSpace {
				current = nil
			}
		case xml.StartElement:
			if len(stack) >= m.opt.Limits.XMLDepth {
				return m.fail("a model is not so deep", "XML elements nested more than %d deep", m.opt.Limits.XMLDepth)
			}
			parent := ""
			if len(stack) > 0 {
				parent = stack[len(stack)-1]
			}
			stack = append(stack, e.Name.Local)
			if e.Name.Space != coreSpace {
				if parent == "" {
					return m.fail("is this a 3MF file?", "the model's root is %q, not the 3MF core model", e.Name.Local)
				}
				m.lost["element of an extension ("+e.Name.Local+")"]++
				if len(m.lost) > 100 {
					return m.fail("ask for a plain 3MF", "too many unknown elements")
				}
				continue
			}
			if err := m.element(e, parent, &current, spaces); err != nil {
				return err
			}
		}
	}
	return nil
}

func (m *modelParser) element(e xml.StartElement, parent string, current **object, spaces map[string]string) error {
	switch e.Name.Local {
	case "model":
		return m.root(e, spaces)
	case "object":
		id := attr(e, "id")
		if id == "" || m.objects[id] != nil {
			return m.fail("every object needs an id of its own", "an object has the id %q", clip(id))
		}
		*current = &object{name: attr(e, "name"), kind: attr(e, "type"), line: m.line()}
		m.objects[id] = *current
		if len(m.objects) > m.opt.Limits.Bodies {
			return m.fail("raise the body limit to read it", "more than %d objects", m.opt.Limits.Bodies)
		}
	case "vertex":
		if *current == nil {
			return m.fail("expected it in a mesh", "a vertex outside of an object")
		}
		return m.vertex(e, &(*current).mesh)
	case "triangle":
		if *current == nil {
			return m.fail("expected it in a mesh", "a triangle outside of an object")
		}
		return m.triangle(e, &(*current).mesh)
	case "component":
		if *current == nil {
			return m.fail("expected it in components", "a component outside of an object")
		}
		p, err := m.placement(e)
		(*current).components = append((*current).components, p)
		return err
	case "item":
		p, err := m.placement(e)
		m.items = append(m.items, p)
		if len(m.items) > m.opt.Limits.Bodies {
			return m.fail("raise the body limit to read it", "more than %d build items", m.opt.Limits.Bodies)
		}
		return err
	case "base":
		m.lost["base material"]++
	case "metadata", "metadatagroup", "resources", "build", "mesh", "vertices", "triangles", "components", "basematerials":
	default:
		m.lost["element "+clip(e.Name.Local)]++
	}
	return nil
}

func (m *modelParser) root(e xml.StartElement, spaces map[string]string) error {
	m.unit = "mm"
	for _, a := range e.Attr {
		switch {
		case a.Name.Space == "xmlns":
			spaces[a.Name.Local] = a.Value
		case a.Name.Space == "" && a.Name.Local == "unit":
			unit, ok := units[a.Value]
			if !ok {
				return m.fail("expected micron, millimeter, centimeter, inch, foot or meter", "the unit is %q", clip(a.Value))
			}
			m.unit = unit
		}
	}
	for _, prefix := range strings.Fields(attr(e, "requiredextensions")) {
		return m.fail("ask for a 3MF without it", "the file cannot be read right without the extension %s (%s)", clip(prefix), clip(spaces[prefix]))
	}
	return nil
}

func (m *modelParser) vertex(e xml.StartElement, into *mesh.Mesh) error {
	var xyz [3]float64
	seen := 0
	for _, a := range e.Attr {
		i := strings.Index("xyz", a.Name.Local)
		if i < 0 || len(a.Name.Local) != 1 {
			continue
		}
		x, ok := number.Float([]byte(strings.TrimSpace(a.Value)))
		if !ok {
			return m.fail("expected a finite number", "found %q for a coordinate", clip(a.Value))
		}
		xyz[i] = x
		seen |= 1 << i
	}
	v := geom.Vec{X: xyz[0], Y: xyz[1], Z: xyz[2]}
	if seen != 7 || !v.Finite() {
		return m.fail("a vertex has x, y and z within ±3.4e38", "a vertex lacks a coordinate or has one too large")
	}
	if int64(len(into.Positions)) >= 3*m.opt.Limits.Triangles {
		return m.fail("raise the triangle limit to read it", "more than %d vertices", 3*m.opt.Limits.Triangles)
	}
	into.Positions = append(into.Positions, v)
	return nil
}

func (m *modelParser) triangle(e xml.StartElement, into *mesh.Mesh) error {
	var t mesh.Triangle
	seen := 0
	for _, a := range e.Attr {
		switch a.Name.Local {
		case "v1", "v2", "v3":
			i := int(a.Name.Local[1] - '1')
			n, ok := number.Int([]byte(strings.TrimSpace(a.Value)))
			if !ok || n < 0 || n >= int64(len(into.Positions)) {
				return m.fail(fmt.Sprintf("the object has %d vertices, numbered from 0", len(into.Positions)), "a triangle names vertex %q", clip(a.Value))
			}
			t[i] = int32(n)
			seen |= 1 << i
		case "pid", "p1", "p2", "p3":
			m.lost["property of a triangle"]++
		}
	}
	if seen != 7 {
		return m.fail("a triangle has v1, v2 and v3", "a triangle lacks a corner")
	}
	if m.count++; m.count > min(m.opt.Limits.Triangles, mesh.MaxTriangles) {
		return m.fail("raise the triangle limit to read it", "more than %d triangles", m.opt.Limits.Triangles)
	}
	into.Triangles = append(into.Triangles, t)
	return nil
}

func (m *modelParser) placement(e xml.StartElement) (placement, error) {
	p := placement{object: attr(e, "objectid"), at: geom.Identity, line: m.line()}
	if p.object == "" {
		return p, m.fail("expected objectid", "a %s names no object", e.Name.Local)
	}
	if text := attr(e, "transform"); text != "" {
		fields := strings.Fields(text)
		if len(fields) != 12 {
			return p, m.fail("a transform has 12", "a transform of %d numbers", len(fields))
		}
		for i, f := range fields {
			x, ok := number.Float([]byte(f))
			if !ok {
				return p, m.fail("expected a finite number", "found %q in a transform", clip(f))
			}
			p.at[i] = x
		}
		if p.at.Determinant() == 0 {
			return p, m.fail("ask for the file again", "a transform flattens its object to nothing")
		}
	}
	return p, nil
}

// build places every build item; each becomes a body.
func (m *modelParser) build() (*file.Model, error) {
	model := &file.Model{Format: file.ThreeMF, Unit: m.unit, Mesh: &mesh.Mesh{}}
	if len(m.items) == 0 {
		return nil, m.failAt(0, "there is nothing to print; ask for the file again", "the build has no item")
	}
	for _, item := range m.items {
		body := int32(len(model.Mesh.Bodies))
		before := len(model.Mesh.Triangles)
		if err := m.place(model.Mesh, body, item, geom.Identity, nil); err != nil {
			return nil, err
		}
		if len(model.Mesh.Triangles) > before {
			model.Mesh.Bodies = append(model.Mesh.Bodies, mesh.Body{Name: m.objects[item.object].name})
		}
	}
	if len(model.Mesh.Triangles) == 0 {
		return nil, m.failAt(0, "there is nothing to print; ask for the file again", "the build items hold no triangle")
	}
	if len(model.Mesh.Bodies) < 2 {
		model.Mesh.Bodies, model.Mesh.BodyOf = nil, nil
	}
	model.Mesh.Weld()
	model.Lost = lostList(m.lost)
	return model, nil
}

func (m *modelParser) place(into *mesh.Mesh, body int32, p placement, outer geom.Matrix, above []string) error {
	o := m.objects[p.object]
	if o == nil {
		return m.failAt(p.line, "ask for the file again", "object %q is placed but not in the file", clip(p.object))
	}
	for _, id := range above {
		if id == p.object {
			return m.failAt(o.line, "ask for the file again", "object %q contains itself", clip(id))
		}
	}
	if len(above) >= maxComponents {
		return m.failAt(o.line, "ask for the file again", "components nested more than %d deep", maxComponents)
	}
	if m.placed++; m.placed > maxPlacements {
		return m.failAt(p.line, "ask for the file again", "components place more than %d objects", maxPlacements)
	}
	if o.kind != "" && o.kind != "model" && o.kind != "surface" { // supports and aids are not what was ordered
		m.lost["object that is no part of the model ("+clip(o.kind)+")"]++
		return nil
	}
	at := p.at.Then(outer)
	if int64(len(into.Triangles)+len(o.mesh.Triangles)) > min(m.opt.Limits.Triangles, mesh.MaxTriangles) {
		return m.failAt(p.line, "raise the triangle limit to read it", "more than %d triangles once placed", m.opt.Limits.Triangles)
	}
	piece := mesh.Mesh{Positions: make([]geom.Vec, len(o.mesh.Positions)), Triangles: append([]mesh.Triangle(nil), o.mesh.Triangles...)}
	for i, v := range o.mesh.Positions {
		piece.Positions[i] = at.Apply(v)
		if !piece.Positions[i].Finite() {
			return m.failAt(p.line, "expected coordinates within ±3.4e38", "a transform puts a vertex out of range")
		}
	}
	if at.Determinant() < 0 { // a mirror image turns its triangles inside out; turn them back
		for i, t := range piece.Triangles {
			piece.Triangles[i] = mesh.Triangle{t[0], t[2], t[1]}
		}
	}
	appendMesh(into, body, &piece)
	if int64(len(into.Positions)) > 3*m.opt.Limits.Triangles {
		return m.failAt(p.line, "raise the triangle limit to read it", "more than %d vertices once placed", 3*m.opt.Limits.Triangles)
	}
	above = append(above, p.object)
	for _, c := range o.components {
		if err := m.place(into, body, c, at, above); err != nil {
			return err
		}
		if err := m.ctx.Err(); err != nil {
			return err
		}
	}
	return nil
}

func (m *modelParser) line() int {
	line, _ := m.xml.InputPos()
	return line
}

func (m *modelParser) fail(expect, format string, a ...any) error {
	return m.failAt(m.line(), expect, format, a...)
}

func (m *modelParser) failAt(line int, expect, format string, a ...any) error {
	e := m.src.AtLine(line, expect, format, a...)
	e.What = "in " + clip(m.part) + ": " + e.What
	return e
}

func attr(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Space == "" && a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func clip(s string) string { return s[:min(len(s), 60)] }
