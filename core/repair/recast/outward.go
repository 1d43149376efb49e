package recast

import (
	"context"
	"maps"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/spatial"
)

const (
	looks     = 24      // points of an open piece from which one looks out
	mostLooks = 200_000 // of all pieces together
)

// ways are the directions in which one looks: those of a cube's corners and
// faces, turned so that they run along nothing that people draw.
var ways = func() (w []geom.Vec) {
	x := geom.Vec{X: 0.82, Y: 0.36, Z: -0.44}.Unit()
	z := x.Cross(geom.Vec{X: -0.25, Y: 0.92, Z: 0.29}).Unit()
	y := z.Cross(x)
	for _, d := range []geom.Vec{x, y, z, x.Add(y).Add(z), x.Add(y).Sub(z), x.Sub(y).Add(z), x.Sub(y).Sub(z)} {
		w = append(w, d.Unit(), d.Unit().Scale(-1))
	}
	return w
}()

// faceOut turns open pieces of surface around whose backs see more of the world
// than their fronts (after Takayama, Jacobson, Kavan, Sorkine-Hornung, "A Simple
// Method for Correcting Facet Orientations in Polygon Meshes Based on Ray
// Casting", 2014). A piece is what hangs together by edges that two triangles run
// through both ways. Closed ones face as their nesting wants it already. It tells
// how many triangles it turned.
func faceOut(ctx context.Context, m *mesh.Mesh) (turned int, err error) {
	topo := mesh.NewTopology(m)
	piece := mesh.NewForest(len(m.Triangles))
	hem := make([]bool, len(m.Triangles)) // triangles at a piece's rim
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		if len(halves) == 2 && !topo.SameWay(halves[0], halves[1]) {
			piece.Join(halves[0]/3, halves[1]/3)
			continue
		}
		for _, h := range halves {
			hem[h/3] = true
		}
	}
	members := map[int32][]int32{} // of the pieces that have a rim, by their lowest triangle
	for t, is := range hem {
		if is {
			members[piece.Root(int32(t))] = nil
		}
	}
	if len(members) == 0 {
		return 0, nil
	}
	for t := range int32(len(m.Triangles)) {
		r := piece.Root(t)
		if list, open := members[r]; open && !m.ZeroArea(t) {
			members[r] = append(list, t)
		}
	}
	tree := spatial.New(m, nil)
	each := max(min(looks, mostLooks/(len(members)*len(ways))), 1)
	for _, first := range slices.Sorted(maps.Keys(members)) {
		if err := ctx.Err(); err != nil {
			return turned, err
		}
		if list := members[first]; front(m, tree, list, each) < 0 {
			turned += len(list)
			for _, t := range list {
				m.Turn(t)
			}
		}
	}
	return turned, nil
}

// front counts how many more looks from the front of a piece of surface than from
// its back go out into the world.
func front(m *mesh.Mesh, tree *spatial.Tree, list []int32, looks int) (more int) {
	piece := &mesh.Mesh{Positions: m.Positions, Triangles: make([]mesh.Triangle, len(list))}
	for i, t := range list {
		piece.Triangles[i] = m.Triangles[t]
	}
	for _, p := range measure.Samples(piece, looks, nil) {
		own := list[p.Triangle]
		for _, way := range ways {
			if hit, _ := tree.Ray(p.At, way, math.MaxFloat64, own); hit >= 0 {
				continue
			}
			if p.Normal.Dot(way) > 0 {
				more++
			} else {
				more--
			}
		}
	}
	return more
}
