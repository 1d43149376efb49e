package stl

import (
	"veneer/core/geom"
	"veneer/core/mesh"
)

const weldChunk = 3 * 4096 // corners sent to the weld at a time

// welding is a weld that runs on another core, beside the parser. Its goroutine
// ends when finish closes the channel.
type welding struct {
	full, empty chan []geom.Vec
	done        chan struct{}
	weld        *mesh.Welder
	triangles   []mesh.Triangle
}

func startWeld(points int) *welding {
	w := &welding{full: make(chan []geom.Vec, 1), empty: make(chan []geom.Vec, 3), done: make(chan struct{}), weld: mesh.NewWelder(points)}
	for range 3 {
		w.empty <- make([]geom.Vec, 0, weldChunk+3*1000) // a facet of many corners may go over
	}
	go func() {
		defer close(w.done)
		var vertices []int32
		for points := range w.full {
			if len(vertices) < len(points) {
				vertices = make([]int32, len(points))
			}
			w.weld.Add(points, vertices[:len(points)])
			for i := 0; i < len(points); i += 3 {
				w.triangles = append(w.triangles, mesh.Triangle{vertices[i], vertices[i+1], vertices[i+2]})
			}
			w.empty <- points[:0]
		}
	}()
	return w
}

// spare is an empty slice to gather corners in.
func (w *welding) spare() []geom.Vec { return <-w.empty }

// send hands corners to the weld and returns a slice for the next ones.
func (w *welding) send(points []geom.Vec) []geom.Vec {
	w.full <- points
	return <-w.empty
}

// finish waits for the weld and returns what came of it.
func (w *welding) finish() ([]geom.Vec, []mesh.Triangle) {
	close(w.full)
	<-w.done
	return w.weld.Positions, w.triangles
}
