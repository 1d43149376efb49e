// Package touchup is the lightest repair method: it keeps the customer's
// triangles and mends what is around them.
//
// The idea: a repair is a table of small steps on one mesh, from the safest to
// the boldest. Each step says from the check's report why it is needed, does
// one job, and tells what it changed. Only joining seams moves points, by less
// than any printer resolves.
package touchup

import (
	"context"

	"veneer/core/check"
	"veneer/core/mesh"
	"veneer/core/process"
	"veneer/core/spatial"
)

// Step is one line of the table.
type Step struct {
	Name  string
	Title string
	// Why says what in the report calls for the step; "" when nothing does.
	Why func(*check.Report) string
	// With is what the step is set to, for a part that was checked so; nil when
	// there is nothing to set.
	With func(*check.Report, process.Process) map[string]float64
	// Needs says what the step will take; nil when that is little.
	Needs func(*check.Report, process.Process) Need
	// Run changes the mesh and reports what it did.
	Run func(context.Context, *Work) (Change, error)
}

// Need is what a step takes, about.
type Need struct {
	Seconds float64
	Bytes   int64 // of memory
}

// Work is the mesh being mended.
type Work struct {
	Mesh    *mesh.Mesh
	Report  *check.Report // of the mesh before, with the answers that were given
	Process process.Process
	Fusing  bool // what passes through each other is fused at the end

	topo   *mesh.Topology // of the mesh as it is; nil when not known
	shells *mesh.Shells
}

// Changed says that the mesh is another now.
func (w *Work) Changed() { w.topo, w.shells = nil, nil }

// Topology gathers the edges, unless they are known.
func (w *Work) Topology() *mesh.Topology {
	if w.topo == nil {
		w.topo = mesh.NewTopology(w.Mesh)
	}
	return w.topo
}

// Change is what a step did: how many things it changed, in a sentence, and
// what it had to leave.
type Change struct {
	Count      int
	Detail     string
	Left       string
	MovedMM    float64 // how far a point was moved at most
	RemovedMM2 float64 // surface taken away that nobody was asked about
	FilledMM2  float64 // new surface

	HollowedMM3 float64 // material that hollowing took out
}

// Steps is the table, in the order in which the steps run.
func Steps() []Step {
	return []Step{joinSeams, dropDuplicates, dropDegenerate, dropFins, removePieces, orient, dropMembranes, partEdges, removeNested, fill, thicken, turnOutward}
}

// treeOf stands over the triangles that have an area.
func treeOf(m *mesh.Mesh) *spatial.Tree {
	return spatial.New(m, func(t int32) bool { return !m.ZeroArea(t) })
}

// topology gathers the edges and shells, unless they are known.
func (w *Work) topology() (*mesh.Topology, *mesh.Shells) {
	topo := w.Topology()
	if w.shells == nil {
		w.shells = mesh.NewShells(topo, topo.Count())
	}
	return topo, w.shells
}
