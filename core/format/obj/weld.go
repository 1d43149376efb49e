package obj

import (
	"veneer/core/geom"
	"veneer/core/mesh"
)

const weldChunk = 8192 // vertices sent to the weld at a time

// welding finds equal vertices on another core while the file is still being
// parsed. Its goroutine ends when finish closes the channel.
type welding struct {
	sent int
	full chan []geom.Vec
	done chan struct{}
	weld *mesh.Welder
	same []int32
}

func startWeld(points int) *welding {
	w := &welding{full: make(chan []geom.Vec, 4), done: make(chan struct{}), weld: mesh.NewWelder(points)}
	go func() {
		defer close(w.done)
		for points := range w.full {
			n := len(w.same)
			w.same = append(w.same, make([]int32, len(points))...)
			w.weld.Add(points, w.same[n:])
		}
	}()
	return w
}

// send hands over the vertices that came since the last time, when they are
// enough or all. They change no more.
func (w *welding) send(positions []geom.Vec, all bool) {
	if n := len(positions) - w.sent; n >= weldChunk || all && n > 0 {
		w.full <- positions[w.sent:]
		w.sent = len(positions)
	}
}

// finish waits for the weld.
func (w *welding) finish() {
	close(w.full)
	<-w.done
}
