package threemf

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"veneer/core/format/file"
	"veneer/core/mesh"
)

// Metadata is a name and a value that a package carries; Title, Designer,
// Description, Copyright, LicenseTerms, Rating, CreationDate, ModificationDate
// and Application are names that the specification knows.
type Metadata struct{ Name, Value string }

// Write writes the mesh as a 3MF package in mm: an object and a build item for
// each body, in order, with its name; colours as a colour group, each texture
// as a part of the package with a group of places in it. Where a triangle has
// both, the texture is written. Coordinates have as many digits as they need to
// come back the same.
func Write(w io.Writer, m *mesh.Mesh, about []Metadata) error {
	z := zip.NewWriter(w)
	parts := [][2]string{{"[Content_Types].xml", contentTypes}, {"_rels/.rels", relationsHead + relation("/3D/3dmodel.model", 0, relationToModel) + relationsTail}}
	if len(m.Textures) > 0 {
		relations := relationsHead
		for i, name := range file.TextureNames(m.Textures) {
			relations += relation(texturePath+name, i, relationToTexture)
		}
		parts = append(parts, [2]string{"3D/_rels/3dmodel.model.rels", relations + relationsTail})
	}
	for i, name := range file.TextureNames(m.Textures) {
		parts = append(parts, [2]string{strings.TrimPrefix(texturePath, "/") + name, string(m.Textures[i].Data)})
	}
	for _, part := range parts {
		p, err := create(z, part[0])
		if err == nil {
			_, err = io.WriteString(p, part[1])
		}
		if err != nil {
			return err
		}
	}
	p, err := create(z, "3D/3dmodel.model")
	if err != nil {
		return err
	}
	if err := writeModel(p, m, about); err != nil {
		return err
	}
	return z.Close()
}

const (
	contentTypes = `<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/><Default Extension="png" ContentType="image/png"/><Default Extension="jpg" ContentType="image/jpeg"/></Types>
`
	relationsHead = `<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">`
	relationsTail = "</Relationships>\n"

	relationToTexture = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dtexture"
	texturePath       = "/3D/Textures/"
)

func relation(target string, n int, kind string) string {
	return fmt.Sprintf(`<Relationship Target="%s" Id="rel%d" Type="%s"/>`, target, n, kind)
}

// create begins a part; all have the same time, so that the same mesh gives the same bytes.
func create(z *zip.Writer, name string) (io.Writer, error) {
	return z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)})
}

func writeModel(w io.Writer, m *mesh.Mesh, about []Metadata) error {
	out := bufio.NewWriterSize(w, 1<<18)
	out.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n" + `<model unit="millimeter" xml:lang="en" xmlns="` + coreSpace + `"`)
	if m.Colours != nil || m.Textures != nil {
		out.WriteString(` xmlns:m="` + materialSpace + `"`)
	}
	out.WriteString(">\n")
	for _, a := range about {
		fmt.Fprintf(out, "<metadata name=\"%s\">%s</metadata>\n", escape(a.Name), escape(a.Value))
	}
	out.WriteString("<resources>\n")
	paints := writePaints(out, m)
	bodies := max(len(m.Bodies), 1)
	local := make([]int32, len(m.Positions))
	for b := range int32(bodies) {
		writeObject(out, m, b, paints.last+1+int(b), paints, local)
	}
	out.WriteString("</resources>\n<build>\n")
	for b := range bodies {
		fmt.Fprintf(out, "<item objectid=\"%d\"/>\n", paints.last+1+b)
	}
	out.WriteString("</build>\n</model>\n")
	return out.Flush() // a bufio.Writer keeps its first error
}

// paints are the property groups of a model: the colours have id 1 when there
// are any, and last is the last id in use.
type paints struct {
	colours map[mesh.Colour]int // numbers in their group
	groups  []int               // id of each texture's group
	places  []map[[2]float32]int
	last    int
}

// writePaints writes the group of all colours that occur and a group for each
// texture of the places that occur, in order of first occurrence.
func writePaints(out *bufio.Writer, m *mesh.Mesh) (p paints) {
	p.colours = map[mesh.Colour]int{}
	for t, triangle := range m.Colours {
		if triangle[0] == 0 || m.Covers != nil && m.Covers[t].Texture != 0 {
			continue
		}
		for _, c := range triangle {
			if _, known := p.colours[c]; known {
				continue
			}
			if p.colours[c] = len(p.colours); p.last == 0 {
				p.last = 1
				out.WriteString(`<m:colorgroup id="1">`)
			}
			fmt.Fprintf(out, `<m:color color="#%08X"/>`, uint32(c))
		}
	}
	if p.last > 0 {
		out.WriteString("</m:colorgroup>\n")
	}
	lists := make([][][2]float32, len(m.Textures))
	p.places = make([]map[[2]float32]int, len(m.Textures))
	for i := range p.places {
		p.places[i] = map[[2]float32]int{}
	}
	for _, c := range m.Covers {
		if c.Texture == 0 {
			continue
		}
		places, list := p.places[c.Texture-1], &lists[c.Texture-1]
		for _, at := range c.At {
			if _, known := places[at]; !known {
				places[at] = len(*list)
				*list = append(*list, at)
			}
		}
	}
	text := make([]byte, 0, 128)
	for i, name := range file.TextureNames(m.Textures) {
		kind := file.TextureKind(m.Textures[i].Data)
		texture := p.last + 1
		fmt.Fprintf(out, "<m:texture2d id=\"%d\" path=\"%s\" contenttype=\"image/%s\"/>\n", texture, texturePath+name, kind)
		p.last = texture
		p.groups = append(p.groups, 0)
		if len(lists[i]) == 0 {
			continue
		}
		p.last++
		p.groups[i] = p.last
		fmt.Fprintf(out, "<m:texture2dgroup id=\"%d\" texid=\"%d\">\n", p.last, texture)
		for _, at := range lists[i] {
			text = strconv.AppendFloat(append(text[:0], `<m:tex2coord u="`...), float64(at[0]), 'g', -1, 32)
			text = strconv.AppendFloat(append(text, `" v="`...), float64(at[1]), 'g', -1, 32)
			out.Write(append(text, "\"/>\n"...))
		}
		out.WriteString("</m:texture2dgroup>\n")
	}
	return p
}

// writeObject writes one body; local is scratch, as long as the positions.
func writeObject(out *bufio.Writer, m *mesh.Mesh, body int32, id int, p paints, local []int32) {
	name := ""
	if int(body) < len(m.Bodies) && m.Bodies[body].Name != "" {
		name = ` name="` + escape(m.Bodies[body].Name) + `"`
	}
	fmt.Fprintf(out, "<object id=\"%d\" type=\"model\"%s><mesh><vertices>\n", id, name)
	text := make([]byte, 0, 256)
	clear(local)
	n := int32(0)
	for t, v := range m.Triangles {
		if m.Body(int32(t)) != body {
			continue
		}
		for _, i := range v {
			if local[i] != 0 {
				continue
			}
			n++
			local[i] = n
			p := m.Positions[i]
			text = append(text[:0], "<vertex"...)
			for k, x := range p.Array() {
				text = append(text, ' ', "xyz"[k], '=', '"')
				text = strconv.AppendFloat(text, x, 'g', -1, 64)
				text = append(text, '"')
			}
			out.Write(append(text, "/>\n"...))
		}
	}
	out.WriteString("</vertices><triangles>\n")
	for t, v := range m.Triangles {
		if m.Body(int32(t)) != body || m.RepeatsVertex(int32(t)) { // the format forbids triangles that repeat a vertex
			continue
		}
		text = append(text[:0], "<triangle"...)
		for k, i := range v {
			text = append(text, " v1=\""...)
			text[len(text)-3] = '1' + byte(k)
			text = strconv.AppendInt(text, int64(local[i])-1, 10)
			text = append(text, '"')
		}
		text = p.appendProperties(text, m, t)
		out.Write(append(text, "/>\n"...))
	}
	out.WriteString("</triangles></mesh></object>\n")
}

// appendProperties appends a triangle's place in a texture, or else its colours.
func (p paints) appendProperties(text []byte, m *mesh.Mesh, t int) []byte {
	var group int
	var index [3]int
	if m.Covers != nil && m.Covers[t].Texture != 0 {
		c := m.Covers[t]
		group = p.groups[c.Texture-1]
		for i, at := range c.At {
			index[i] = p.places[c.Texture-1][at]
		}
	} else if m.Colours != nil && m.Colours[t][0] != 0 {
		group = 1
		for i, c := range m.Colours[t] {
			index[i] = p.colours[c]
		}
	} else {
		return text
	}
	text = fmt.Appendf(text, ` pid="%d" p1="%d"`, group, index[0])
	if index[1] != index[0] || index[2] != index[0] {
		text = fmt.Appendf(text, ` p2="%d" p3="%d"`, index[1], index[2])
	}
	return text
}

func escape(s string) string {
	var b strings.Builder
	xml.EscapeText(&b, []byte(s)) // a Builder does not fail
	return b.String()
}
