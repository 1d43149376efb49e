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

	"veneer/core/mesh"
)

// Metadata is a name and a value that a package carries; Title, Designer,
// Description, Copyright, LicenseTerms, Rating, CreationDate, ModificationDate
// and Application are names that the specification knows.
type Metadata struct{ Name, Value string }

// Write writes the mesh as a 3MF package in mm: an object and a build item for
// each body, in order, with its name; colours as a colour group. Coordinates
// have as many digits as they need to come back the same.
func Write(w io.Writer, m *mesh.Mesh, about []Metadata) error {
	z := zip.NewWriter(w)
	for _, part := range [][2]string{{"[Content_Types].xml", contentTypes}, {"_rels/.rels", relationships}} {
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
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>
`
	relationships = `<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="` + relationToModel + `"/></Relationships>
`
)

// create begins a part; all have the same time, so that the same mesh gives the same bytes.
func create(z *zip.Writer, name string) (io.Writer, error) {
	return z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)})
}

func writeModel(w io.Writer, m *mesh.Mesh, about []Metadata) error {
	out := bufio.NewWriterSize(w, 1<<18)
	out.WriteString(`<?xml version="1.0" encoding="UTF-8"?>` + "\n" + `<model unit="millimeter" xml:lang="en" xmlns="` + coreSpace + `"`)
	if m.Colours != nil {
		out.WriteString(` xmlns:m="` + materialSpace + `"`)
	}
	out.WriteString(">\n")
	for _, a := range about {
		fmt.Fprintf(out, "<metadata name=\"%s\">%s</metadata>\n", escape(a.Name), escape(a.Value))
	}
	out.WriteString("<resources>\n")
	group, index := writeColours(out, m)
	bodies := max(len(m.Bodies), 1)
	local := make([]int32, len(m.Positions))
	for b := range int32(bodies) {
		writeObject(out, m, b, group+1+int(b), group, index, local)
	}
	out.WriteString("</resources>\n<build>\n")
	for b := range bodies {
		fmt.Fprintf(out, "<item objectid=\"%d\"/>\n", group+1+b)
	}
	out.WriteString("</build>\n</model>\n")
	return out.Flush() // a bufio.Writer keeps its first error
}

// writeColours writes the group of all colours that occur, in order of first
// occurrence, and returns its id (0 for none) and each colour's number in it.
func writeColours(out *bufio.Writer, m *mesh.Mesh) (group int, index map[mesh.Colour]int) {
	if m.Colours == nil {
		return 0, nil
	}
	index = map[mesh.Colour]int{}
	out.WriteString(`<m:colorgroup id="1">`)
	for _, triangle := range m.Colours {
		for _, c := range triangle {
			if _, known := index[c]; known || c == 0 {
				continue
			}
			index[c] = len(index)
			fmt.Fprintf(out, `<m:color color="#%08X"/>`, uint32(c))
		}
	}
	out.WriteString("</m:colorgroup>\n")
	return 1, index
}

// writeObject writes one body; local is scratch, as long as the positions.
func writeObject(out *bufio.Writer, m *mesh.Mesh, body int32, id, group int, index map[mesh.Colour]int, local []int32) {
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
		if group > 0 && m.Colours[t][0] != 0 {
			c := m.Colours[t]
			text = fmt.Appendf(text, ` pid="%d" p1="%d"`, group, index[c[0]])
			if c[1] != c[0] || c[2] != c[0] {
				text = fmt.Appendf(text, ` p2="%d" p3="%d"`, index[c[1]], index[c[2]])
			}
		}
		out.Write(append(text, "/>\n"...))
	}
	out.WriteString("</triangles></mesh></object>\n")
}

func escape(s string) string {
	var b strings.Builder
	xml.EscapeText(&b, []byte(s)) // a Builder does not fail
	return b.String()
}
