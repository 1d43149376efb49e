package threemf

import (
	"path"
	"slices"
	"strings"

	"veneer/core/format/file"
	"veneer/core/format/number"
	"veneer/core/geom"
	"veneer/core/mesh"
)

type placement struct {
	part   string // the model part that the object is in
	object string
	at     geom.Matrix
	line   int
}

func (p placement) key() string { return p.part + "#" + p.object }

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
