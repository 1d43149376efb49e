package decimate

import "math"

// entry is an edge in the queue; it counts only while its ends have not changed.
type entry struct {
	a, b int32
	age  uint32 // of both ends together
}

const (
	perOctave = 16
	octaves   = 160
	lowest    = -110 // costs below 2^lowest mm⁴ are all alike
	lanes     = 4
	buckets   = octaves * perOctave * lanes
)

// queue holds edges in buckets by the logarithm of their cost. Within a bucket they
// come lane by lane, and within a lane in the order in which they were put.
//
// Lanes are there for surfaces that are alike everywhere: in mesh order, collapses
// of one cost would follow each other in rows, and leave a surface with a grain.
// Told into lanes by the numbers of their ends, edges beside one another seldom
// follow each other, and what is near in memory still comes soon.
type queue struct {
	buckets [buckets]struct{ first, last *chunk }
	spare   *chunk
	now     int // no bucket before it holds any
}

// chunk is a part of a bucket. Those that are emptied are used again, for edges are
// put about as often as they are taken.
type chunk struct {
	entries    [20]entry
	from, upTo int32
	next       *chunk
}

func (q *queue) put(e entry, cost float64) {
	i := 0
	if cost > 0 {
		// The leading bits of a number, its exponent above its mantissa, are
		// the logarithm, straight between the powers of two.
		const mantissa = 48 // bits that do not count, for 16 an octave
		i = min(max(int(math.Float64bits(cost)>>mantissa)-perOctave*(1023+lowest), 0), octaves*perOctave-1)
	}
	i = lanes*i + int((e.a^e.b)%lanes)
	b := &q.buckets[i]
	c := b.last
	if c == nil || int(c.upTo) == len(c.entries) {
		if c = q.spare; c != nil {
			q.spare = c.next
			c.from, c.upTo, c.next = 0, 0, nil
		} else {
			c = &chunk{}
		}
		if b.last == nil {
			b.first = c
		} else {
			b.last.next = c
		}
		b.last = c
	}
	c.entries[c.upTo] = e
	c.upTo++
	q.now = min(q.now, i)
}

// take takes the next entry of those in buckets before the limit.
func (q *queue) take(limit int) (entry, bool) {
	for q.now < limit {
		b := &q.buckets[q.now]
		c := b.first
		if c == nil {
			q.now++
			continue
		}
		if c.from < c.upTo {
			c.from++
			return c.entries[c.from-1], true
		}
		if b.first = c.next; b.first == nil {
			b.last = nil
		}
		c.next, q.spare = q.spare, c
	}
	return entry{}, false
}
