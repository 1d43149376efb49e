package demo

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"strconv"
	"strings"

	"veneer/core/format/stl"
	"veneer/core/geom"
	"veneer/core/mesh"
)

// The writers stand in for the many programs that customers export from.

func binarySTL(m *mesh.Mesh) []byte {
	var b bytes.Buffer
	if err := stl.WriteBinary(&b, m); err != nil {
		panic(err) // a buffer does not fail
	}
	out := b.Bytes()
	clear(out[:80])
	copy(out, "saltmarsh tide clock")
	return out
}

func number(x float64) string { return strconv.FormatFloat(x, 'g', -1, 32) }

func textSTL(m *mesh.Mesh, name string) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "solid %s\n", name)
	for t := range int32(len(m.Triangles)) {
		p, q, r := m.Corners(t)
		n := q.Sub(p).Cross(r.Sub(p)).Unit()
		fmt.Fprintf(&b, "  facet normal %s %s %s\n    outer loop\n", number(n.X), number(n.Y), number(n.Z))
		for _, v := range []geom.Vec{p, q, r} {
			fmt.Fprintf(&b, "      vertex %s %s %s\n", number(v.X), number(v.Y), number(v.Z))
		}
		b.WriteString("    endloop\n  endfacet\n")
	}
	fmt.Fprintf(&b, "endsolid %s\n", name)
	return b.Bytes()
}

// polygonOBJ writes the shape's own polygons, as modelling programs do.
func polygonOBJ(name string, s *shape) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "# tide-clock exhibit, %s\no %s\n", name, name)
	for _, p := range s.points {
		fmt.Fprintf(&b, "v %s %s %s\n", number(p.X), number(p.Y), number(p.Z))
	}
	for _, f := range s.faces {
		b.WriteString("f")
		for _, v := range f {
			fmt.Fprintf(&b, " %d", v+1)
		}
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// paintedOBJ is polygonOBJ with a texture laid on every face: place tells where
// in it a point lies.
func paintedOBJ(name string, s *shape, library, material string, place func(geom.Vec) [2]float64) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "# tide-clock exhibit, %s\nmtllib %s\no %s\nusemtl %s\n", name, library, name, material)
	for _, p := range s.points {
		at := place(p)
		fmt.Fprintf(&b, "v %s %s %s\nvt %s %s\n", number(p.X), number(p.Y), number(p.Z), number(at[0]), number(at[1]))
	}
	for _, f := range s.faces {
		b.WriteString("f")
		for _, v := range f {
			fmt.Fprintf(&b, " %d/%d", v+1, v+1)
		}
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// dialPicture paints the dial: two tides a day as bands, and twelve marks.
func dialPicture() []byte {
	const n = 256
	picture := image.NewPaletted(image.Rect(0, 0, n, n), color.Palette{color.RGBA{0xf4, 0xef, 0xe2, 0xff}, color.RGBA{0x1f, 0x5a, 0x6b, 0xff}, color.RGBA{0xb8, 0x45, 0x2e, 0xff}})
	for y := range n {
		for x := range n {
			u, v := 2*(float64(x)+0.5)/n-1, 1-2*(float64(y)+0.5)/n
			r, a := math.Hypot(u, v), math.Atan2(v, u)
			mark := math.Abs(math.Remainder(a, math.Pi/6))
			switch {
			case r > 0.8 && r < 0.93 && mark*r < 0.02:
				picture.SetColorIndex(x, y, 2)
			case math.Abs(r-0.55-0.12*math.Cos(2*a)) < 0.05:
				picture.SetColorIndex(x, y, 1)
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, picture); err != nil {
		panic(err) // a buffer does not fail
	}
	return b.Bytes()
}

// item places an object of a package.
type item struct {
	name string
	mesh *mesh.Mesh // nil: the object of the item before it
	at   geom.Matrix
}

func package3MF(unit string, items ...item) []byte {
	var model strings.Builder
	model.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n")
	fmt.Fprintf(&model, `<model unit="%s" xml:lang="en" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">`+"\n", unit)
	model.WriteString(`<metadata name="Title">Tide-clock exhibit</metadata>` + "\n<resources>\n")
	id := 0
	var build strings.Builder
	for _, it := range items {
		if it.mesh != nil {
			id++
			fmt.Fprintf(&model, `<object id="%d" type="model" name="%s"><mesh><vertices>`+"\n", id, it.name)
			for _, p := range it.mesh.Positions {
				fmt.Fprintf(&model, `<vertex x="%s" y="%s" z="%s"/>`+"\n", number(p.X), number(p.Y), number(p.Z))
			}
			model.WriteString("</vertices><triangles>\n")
			for _, t := range it.mesh.Triangles {
				fmt.Fprintf(&model, `<triangle v1="%d" v2="%d" v3="%d"/>`+"\n", t[0], t[1], t[2])
			}
			model.WriteString("</triangles></mesh></object>\n")
		}
		numbers := make([]string, 12)
		for i, x := range it.at {
			numbers[i] = number(x)
		}
		fmt.Fprintf(&build, `<item objectid="%d" transform="%s"/>`+"\n", id, strings.Join(numbers, " "))
	}
	model.WriteString("</resources>\n<build>\n" + build.String() + "</build>\n</model>\n")

	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, part := range [][2]string{
		{"[Content_Types].xml", `<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>`},
		{"_rels/.rels", `<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/exhibit.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>`},
		{"3D/exhibit.model", model.String()},
	} {
		w, err := z.Create(part[0])
		if err == nil {
			_, err = w.Write([]byte(part[1]))
		}
		if err != nil {
			panic(err) // a buffer does not fail
		}
	}
	if err := z.Close(); err != nil {
		panic(err)
	}
	return b.Bytes()
}
