package decimate

import "math"

// entry is an edge that waits, and how old its ends were when its cost was told.
type entry struct {
	a, b int32
	age  uint32
}

const (
	perOctave = 4
	octaves   = 160
	lowest    = -110 // costs below 2^lowest mm⁴ are all alike
)

// queue holds edges in buckets by the logarithm of their cost. Within a bucket
// they come in the order in which they were put.
type queue struct {
	buckets [perOctave * octaves][]entry
	taken   [perOctave * octaves]int
	now     int // no bucket before it holds any
}

func (q *queue) put(e entry, cost float64) {
	i := 0
	if cost > 0 {
		i = min(max(int(perOctave*(math.Log2(cost)-lowest)), 0), len(q.buckets)-1)
	}
	q.buckets[i] = append(q.buckets[i], e)
	q.now = min(q.now, i)
}

// take takes the next entry of those that cost less than the bucket limit.
func (q *queue) take(limit int) (entry, bool) {
	for q.now < limit {
		b := q.buckets[q.now]
		if n := q.taken[q.now]; n < len(b) {
			q.taken[q.now]++
			return b[n], true
		}
		q.buckets[q.now], q.taken[q.now] = b[:0], 0
		q.now++
	}
	return entry{}, false
}
