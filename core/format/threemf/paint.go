package threemf

import (
	"math"

	"veneer/core/format/file"
	"veneer/core/format/number"
	"veneer/core/mesh"
)

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
