package format

import (
	"archive/zip"
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/format/stl"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
)

func binarySTL(b testing.TB, m *mesh.Mesh) []byte {
	var out bytes.Buffer
	require.NoError(b, stl.WriteBinary(&out, m))
	return out.Bytes()
}

func benchmarkRead(b *testing.B, name string, content []byte, expanded int64, triangles int) {
	src := file.Source{Name: name, R: bytes.NewReader(content), Size: int64(len(content))}
	opt := file.Options{Limits: file.DefaultLimits()}
	b.SetBytes(expanded)
	b.ReportAllocs()
	for b.Loop() {
		m, err := Read(b.Context(), src, opt)
		require.NoError(b, err)
		require.Len(b, m.Mesh.Triangles, triangles)
	}
	b.ReportMetric(float64(triangles)*float64(b.N)/b.Elapsed().Seconds()/1e6, "Mtri/s")
}

// BenchmarkRead reads files from memory, weld included. The shuffled STL has
// its triangles in random order; MB/s of 3MF are those of the unpacked XML.
func BenchmarkRead(b *testing.B) {
	m := meshtest.Bumpy(707)
	n := len(m.Triangles)
	content := binarySTL(b, m)
	b.Run("stl-binary", func(b *testing.B) { benchmarkRead(b, "a.stl", content, int64(len(content)), n) })

	shuffled := bytes.Clone(content)
	rand.New(rand.NewPCG(1, 1)).Shuffle(n, func(i, j int) {
		var t [50]byte
		x, y := shuffled[84+50*i:84+50*i+50], shuffled[84+50*j:84+50*j+50]
		copy(t[:], x)
		copy(x, y)
		copy(y, t[:])
	})
	b.Run("stl-binary-shuffled", func(b *testing.B) { benchmarkRead(b, "a.stl", shuffled, int64(len(shuffled)), n) })

	small := meshtest.Bumpy(400)
	var text bytes.Buffer
	text.WriteString("solid torus\n")
	for t := range int32(len(small.Triangles)) {
		p, q, r := small.Corners(t)
		k := q.Sub(p).Cross(r.Sub(p)).Unit()
		fmt.Fprintf(&text, "  facet normal %e %e %e\n    outer loop\n", k.X, k.Y, k.Z)
		for _, v := range []geom.Vec{p, q, r} {
			fmt.Fprintf(&text, "      vertex %e %e %e\n", v.X, v.Y, v.Z)
		}
		text.WriteString("    endloop\n  endfacet\n")
	}
	text.WriteString("endsolid torus\n")
	b.Run("stl-ascii", func(b *testing.B) { benchmarkRead(b, "a.stl", text.Bytes(), int64(text.Len()), len(small.Triangles)) })

	var obj bytes.Buffer
	for _, p := range m.Positions {
		fmt.Fprintf(&obj, "v %.6f %.6f %.6f\n", p.X, p.Y, p.Z)
	}
	for _, t := range m.Triangles {
		fmt.Fprintf(&obj, "f %d %d %d\n", t[0]+1, t[1]+1, t[2]+1)
	}
	b.Run("obj", func(b *testing.B) { benchmarkRead(b, "a.obj", obj.Bytes(), int64(obj.Len()), n) })

	var full bytes.Buffer // with normals and texture coordinates, in the other system's lines
	for _, p := range m.Positions {
		fmt.Fprintf(&full, "v  %.6f %.6f %.6f\r\nvt %.4f %.4f\r\nvn %.4f %.4f %.4f\r\n", p.X, p.Y, p.Z, p.X/100, p.Y/100, 0.6, 0., 0.8)
	}
	for _, t := range m.Triangles {
		fmt.Fprintf(&full, "f %d/%[1]d/%[1]d %d/%[2]d/%[2]d %d/%[3]d/%[3]d\r\n", t[0]+1, t[1]+1, t[2]+1)
	}
	b.Run("obj-full", func(b *testing.B) { benchmarkRead(b, "a.obj", full.Bytes(), int64(full.Len()), n) })

	packed, expanded := threeMF(b, small)
	b.Run("3mf", func(b *testing.B) { benchmarkRead(b, "a.3mf", packed, expanded, len(small.Triangles)) })
}

func threeMF(b *testing.B, m *mesh.Mesh) (packed []byte, expanded int64) {
	var x, out bytes.Buffer
	x.WriteString(`<model xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources><object id="1"><mesh><vertices>`)
	for _, p := range m.Positions {
		fmt.Fprintf(&x, "<vertex x=\"%.6f\" y=\"%.6f\" z=\"%.6f\"/>\n", p.X, p.Y, p.Z)
	}
	x.WriteString("</vertices><triangles>")
	for _, t := range m.Triangles {
		fmt.Fprintf(&x, "<triangle v1=\"%d\" v2=\"%d\" v3=\"%d\"/>\n", t[0], t[1], t[2])
	}
	x.WriteString(`</triangles></mesh></object></resources><build><item objectid="1"/></build></model>`)
	z := zip.NewWriter(&out)
	for _, part := range [][2]string{{"_rels/.rels", `<Relationships><Relationship Target="/3D/m.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>`}, {"3D/m.model", x.String()}} {
		w, err := z.Create(part[0])
		require.NoError(b, err)
		_, err = w.Write([]byte(part[1]))
		require.NoError(b, err)
	}
	require.NoError(b, z.Close())
	return out.Bytes(), int64(x.Len())
}
