package threemf

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/formattest"
	"veneer/core/geom"
	"veneer/core/mesh"
)

const (
	rels = `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/it.model" Id="r" Type="` + relationToModel + `"/></Relationships>`
	tet  = `<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices>
<triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="0" v2="3" v3="2"/></triangles></mesh>`
)

// pack3MF zips a package; parts come as name, content, name, content.
func pack3MF(parts ...string) string {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(parts); i += 2 {
		how := zip.Deflate
		if len(parts[i+1]) < 1000 { // packing little gains nothing, and slows fuzzing
			how = zip.Store
		}
		w, _ := z.CreateHeader(&zip.FileHeader{Name: parts[i], Method: how})
		w.Write([]byte(parts[i+1]))
	}
	z.Close()
	return b.String()
}

// model is a package around the inside of a model element.
func model(attributes, inside string) string {
	return pack3MF("_rels/.rels", rels, "3D/it.model", fmt.Sprintf(`<?xml version="1.0"?>
<model xmlns="%s" %s>%s</model>`, coreSpace, attributes, inside))
}

func objectXML(id, inside string) string { return `<object id="` + id + `">` + inside + `</object>` }

func build(resources, items string) string {
	return "<resources>" + resources + "</resources><build>" + items + "</build>"
}

func TestRead(t *testing.T) {
	one := build(objectXML("1", tet), `<item objectid="1"/>`)
	deep := ""
	for i := 2; i < 40; i++ {
		deep += objectXML(fmt.Sprint(i), fmt.Sprintf(`<components><component objectid="%d"/><component objectid="%d"/></components>`, i-1, i-1))
	}
	cases := []struct {
		name, content string
		triangles     int
		bodies        int
		unit          string
		lost          string
		problem       string
	}{
		{"one object", model("", one), 4, 0, "mm", "", ""},
		{"inches", model(`unit="inch"`, one), 4, 0, "in", "", ""},
		{"placed twice", model("", build(objectXML("1", tet), `<item objectid="1"/><item objectid="1" transform="1 0 0 0 1 0 0 0 1 5 0 0"/>`)), 8, 2, "mm", "", ""},
		{"another prefix", pack3MF("_rels/.rels", rels, "3D/it.model", `<c:model xmlns:c="`+coreSpace+`">`+prefixed(one)+`</c:model>`), 4, 0, "mm", "", ""},
		{"components", model("", build(objectXML("1", tet)+objectXML("2", `<components><component objectid="1"/><component objectid="1" transform="2 0 0 0 2 0 0 0 2 9 9 9"/></components>`), `<item objectid="2"/>`)), 8, 0, "mm", "", ""},
		{"a support is no part", model("", build(objectXML("1", tet)+strings.Replace(objectXML("2", tet), "id=", `type="support" id=`, 1), `<item objectid="1"/><item objectid="2"/>`)), 4, 0, "mm", "no part of the model (support): 1", ""},
		{"an extension that may be ignored", model(`xmlns:x="urn:x"`, build(`<x:thing/>`+objectXML("1", tet), `<item objectid="1"/>`)), 4, 0, "mm", "extension (thing): 1", ""},
		{"an extension that is required", model(`xmlns:x="urn:slices" requiredextensions="x"`, one), 0, 0, "", "", "without the extension x (urn:slices)"},
		{"unknown unit", model(`unit="parsec"`, one), 0, 0, "", "", `the unit is "parsec"`},
		{"index out of range", model("", build(objectXML("1", strings.Replace(tet, `v3="3"`, `v3="4"`, 1)), `<item objectid="1"/>`)), 0, 0, "", "", `names vertex "4"; the object has 4 vertices`},
		{"not a number", model("", build(objectXML("1", strings.Replace(tet, `x="1"`, `x="one"`, 1)), `<item objectid="1"/>`)), 0, 0, "", "", `found "one" for a coordinate`},
		{"nothing to build", model("", build(objectXML("1", tet), "")), 0, 0, "", "", "the build has no item"},
		{"an item without its object", model("", build(objectXML("1", tet), `<item objectid="7"/>`)), 0, 0, "", "", `object "7" is placed but not in the file`},
		{"contains itself", model("", build(objectXML("1", `<components><component objectid="1"/></components>`), `<item objectid="1"/>`)), 0, 0, "", "", "contains itself"},
		{"too deep", model("", build(objectXML("1", tet)+deep, `<item objectid="39"/>`)), 0, 0, "", "", "than"},
		{"a transform that flattens", model("", build(objectXML("1", tet), `<item objectid="1" transform="1 0 0 0 1 0 0 0 0 0 0 0"/>`)), 0, 0, "", "", "flattens"},
		{"an entity", pack3MF("_rels/.rels", rels, "3D/it.model", `<!DOCTYPE x [<!ENTITY a "aaaa">]><model xmlns="`+coreSpace+`">&a;</model>`), 0, 0, "", "", "entity definition"},
		{"deep XML", model("", strings.Repeat("<metadata>", 30)+strings.Repeat("</metadata>", 30)), 0, 0, "", "", "nested more than 20 deep"},
		{"broken XML", pack3MF("_rels/.rels", rels, "3D/it.model", `<model xmlns="`+coreSpace+`"><oops`), 0, 0, "", "", "cannot be read"},
		{"another root", pack3MF("_rels/.rels", rels, "3D/it.model", "<html/>"), 0, 0, "", "", "not the 3MF core model"},
		{"no model", pack3MF("_rels/.rels", rels), 0, 0, "", "", "names 3D/it.model but does not hold it"},
		{"no relationships", pack3MF("hello.txt", "hello"), 0, 0, "", "", "_rels/.rels"},
		{"a bomb", pack3MF("_rels/.rels", rels, "3D/it.model", strings.Repeat(" ", 900_000)), 0, 0, "", "", ""},
		{"a larger bomb", pack3MF("_rels/.rels", rels, "3D/it.model", strings.Repeat(" ", 30_000_000)), 0, 0, "", "", "would unpack to 30000000 bytes"},
		{"no zip", "PK\x03\x04 not really", 0, 0, "", "", "no zip archive"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			m, err := formattest.Read(Read, "cage.3mf", c.content)
			if c.triangles == 0 {
				require.ErrorContains(t, err, c.problem)
				require.ErrorContains(t, err, "cage.3mf")
				return
			}
			require.NoError(t, err)
			assert.Len(t, m.Mesh.Triangles, c.triangles)
			assert.Len(t, m.Mesh.Bodies, c.bodies)
			assert.Equal(t, c.unit, m.Unit)
			assert.Contains(t, strings.Join(m.Lost, "; "), c.lost)
		})
	}
}

func prefixed(s string) string {
	return strings.NewReplacer("</", "</c:", "<", "<c:").Replace(s)
}

func TestMirroredPlacementStaysOutside(t *testing.T) {
	m, err := formattest.Read(Read, "pair.3mf", model("", build(objectXML("1", tet), `<item objectid="1"/><item objectid="1" transform="-1 0 0 0 1 0 0 0 1 -3 0 0"/>`)))
	require.NoError(t, err)
	topo := mesh.NewTopology(m.Mesh)
	for _, s := range mesh.NewShells(topo, topo.Count()).List {
		assert.True(t, s.Outward())
	}
	assert.Equal(t, geom.Vec{X: -4}, m.Mesh.Bounds().Min)
}

const (
	materials  = `xmlns:m="` + materialSpace + `"`
	production = `xmlns:p="` + productionSpace + `"`
)

// TestExtensions reads colours, textures, objects in other parts of the
// package, and sets of triangles.
func TestExtensions(t *testing.T) {
	paint := func(id string, how ...string) string { // the tetrahedron, each triangle painted as said
		x := tet
		for i, h := range how {
			x = strings.Replace(x, []string{`v3="1"/>`, `v1="0" v2="1" v3="3"/>`, `v1="1" v2="2" v3="3"/>`}[i], []string{`v3="1" `, `v1="0" v2="1" v3="3" `, `v1="1" v2="2" v3="3" `}[i]+h+"/>", 1)
		}
		return objectXML(id, x)
	}
	item := `<item objectid="5"/>`
	read := func(content string) (*mesh.Mesh, []string) {
		t.Helper()
		m, err := formattest.Read(Read, "dial.3mf", content)
		require.NoError(t, err)
		return m.Mesh, m.Lost
	}
	base := `<basematerials id="1"><base name="a" displaycolor="#112233"/><base name="b" displaycolor="#44556680"/></basematerials>`
	m, lost := read(model("", build(base+strings.Replace(paint("5", "", `pid="1" p1="1"`), `id="5"`, `id="5" pid="1" pindex="0"`, 1), item)))
	assert.Empty(t, lost)
	assert.Equal(t, mesh.Colour(0x112233ff), m.Colours[0][0], "the object's own")
	assert.Equal(t, [3]mesh.Colour{0x44556680, 0x44556680, 0x44556680}, m.Colours[1])

	group := `<m:colorgroup id="1"><m:color color="#FF0000"/><m:color color="#00FF00"/><m:color color="#0000FF"/></m:colorgroup>`
	m, lost = read(model(materials, build(group+paint("5", `pid="1" p1="0" p2="1" p3="2"`), item)))
	assert.Empty(t, lost)
	assert.Equal(t, [][3]mesh.Colour{{0xff0000ff, 0x00ff00ff, 0x0000ffff}, {}, {}, {}}, m.Colours)

	textured := func(attributes, coordinates string, parts ...string) string {
		return pack3MF(append([]string{"_rels/.rels", rels, "3D/it.model", `<model xmlns="` + coreSpace + `" ` + attributes + `>` +
			build(`<m:texture2d id="1" path="/3D/a.png" contenttype="image/png"/><m:texture2d id="2" path="/3D/a.png" contenttype="image/png"/>`+
				`<m:texture2dgroup id="3" texid="2">`+coordinates+`</m:texture2dgroup>`+paint("5", `pid="3" p1="0" p2="1" p3="1"`, `pid="3" p1="7"`), item) + `</model>`}, parts...)...)
	}
	places := `<m:tex2coord u="0.5" v="-1"/><m:tex2coord u="1e-3" v=" 2 "/>`
	m, lost = read(textured(materials+` requiredextensions="m"`, places, "3D/a.png", formattest.Picture))
	assert.Empty(t, lost)
	assert.Equal(t, []mesh.Texture{{Name: "a.png", Data: []byte(formattest.Picture)}}, m.Textures, "one picture, however often it is named")
	assert.Equal(t, []mesh.Cover{{Texture: 1, At: [3][2]float32{{0.5, -1}, {1e-3, 2}, {1e-3, 2}}}, {}, {}, {}}, m.Covers, "a place that is not in the group is none")
	_, lost = read(textured(materials, places, "3D/a.png", "GIF89a"))
	assert.Equal(t, []string{"texture that is neither PNG nor JPEG: 1"}, lost)
	for words, content := range map[string]string{
		"names 3D/a.png but does not hold it":     textured(materials, places),
		`found "nan" for a texture coordinate`:    textured(materials, `<m:tex2coord u="nan" v="0"/>`, "3D/a.png", formattest.Picture),
		`names the texture "9"`:                   model(materials, build(`<m:texture2dgroup id="3" texid="9"></m:texture2dgroup>`, item)),
		`found "#12" for a colour`:                model(materials, build(`<m:colorgroup id="1"><m:color color="#12"/></m:colorgroup>`, item)),
		"a colour outside of a group":             model(materials, build(`<m:color color="#123456"/>`, item)),
		"a texture coordinate outside of a group": model(materials, build(places, item)),
	} {
		_, err := formattest.Read(Read, "dial.3mf", content)
		assert.ErrorContains(t, err, words)
	}

	other := `<model xmlns="` + coreSpace + `"><resources>` + objectXML("8", tet) + `</resources><build/></model>`
	m, lost = read(pack3MF("_rels/.rels", rels, "3D/it.model", `<model xmlns="`+coreSpace+`" `+production+` requiredextensions="p">`+
		build(objectXML("5", `<components><component objectid="8" p:path="/3D/parts/other.model"/></components>`), item+`<item objectid="8" p:path="/3D/parts/other.model"/>`)+`</model>`, "3D/parts/other.model", other))
	assert.Empty(t, lost)
	assert.Len(t, m.Triangles, 8)

	m, lost = read(model(`xmlns:t="`+setsSpace+`"`, build(objectXML("5", strings.Replace(tet, "</mesh>", `<t:trianglesets><t:triangleset name="a" identifier="b"><t:ref index="0"/></t:triangleset></t:trianglesets></mesh>`, 1)), item)))
	assert.Empty(t, lost)
	assert.Len(t, m.Triangles, 4)
}

func FuzzRead3MF(f *testing.F) {
	f.Add([]byte(model("", build(objectXML("1", tet), `<item objectid="1"/>`))))
	f.Add([]byte(model(`unit="inch"`, build(objectXML("1", tet)+objectXML("2", `<components><component objectid="1"/></components>`), `<item objectid="2" transform="1 0 0 0 1 0 0 0 1 5 0 0"/>`))))
	f.Add([]byte(`<model xmlns="` + coreSpace + `" ` + materials + ` ` + production + `>` + build(`<m:texture2d id="1" path="/a.png" contenttype="image/png"/><m:texture2dgroup id="3" texid="1"><m:tex2coord u="0" v="1"/></m:texture2dgroup><m:colorgroup id="2"><m:color color="#FF0000"/></m:colorgroup>`+
		objectXML("5", strings.Replace(tet, `v3="1"/>`, `v3="1" pid="3" p1="0"/>`, 1)), `<item objectid="5" p:path="/3D/it.model"/>`) + `</model>`))
	f.Fuzz(func(t *testing.T, content []byte) {
		formattest.Sound(t, Read, content)
		// The interesting part is the XML, which a fuzzer cannot reach through the packing.
		formattest.Sound(t, Read, []byte(pack3MF("_rels/.rels", rels, "3D/it.model", string(content), "a.png", formattest.Picture)))
	})
}
