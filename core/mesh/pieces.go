package mesh

// Piece is a triangle of a surface that is being cut: N[k] is the piece across
// the edge from V[k] to V[k+1], -1 at the border.
type Piece struct{ V, N [3]int32 }

// Pieces are a surface that is being cut, its triangles knowing their neighbours.
type Pieces []Piece

// Across is the piece across the k-th edge of piece t, and which of its edges
// that is there; -1 at the border.
func (p Pieces) Across(t int32, k int) (u int32, l int) {
	if u = p[t].N[k]; u < 0 {
		return u, 0
	}
	for p[u].N[l] != t {
		l++
	}
	return u, l
}

// renew tells piece t that its neighbour old is now called by another number.
func (p Pieces) renew(t, old, now int32) {
	if t < 0 {
		return
	}
	for k := range 3 {
		if p[t].N[k] == old {
			p[t].N[k] = now
		}
	}
}

// Split puts vertex m into piece t, which becomes three; two are appended.
func (p *Pieces) Split(t, m int32) {
	q := (*p)[t]
	one, two := int32(len(*p)), int32(len(*p)+1)
	(*p)[t] = Piece{[3]int32{q.V[0], q.V[1], m}, [3]int32{q.N[0], one, two}}
	*p = append(*p,
		Piece{[3]int32{q.V[1], q.V[2], m}, [3]int32{q.N[1], two, t}},
		Piece{[3]int32{q.V[2], q.V[0], m}, [3]int32{q.N[2], t, one}})
	p.renew(q.N[1], t, one)
	p.renew(q.N[2], t, two)
}

// SplitEdge puts vertex m on the k-th edge of piece t, which becomes two, and so
// does its neighbour there.
func (p *Pieces) SplitEdge(t int32, k int, m int32) {
	u, l := p.Across(t, k)
	q := (*p)[t]
	a, b, c := q.V[k], q.V[(k+1)%3], q.V[(k+2)%3]
	bc := q.N[(k+1)%3]
	one := int32(len(*p))
	(*p)[t] = Piece{[3]int32{a, m, c}, [3]int32{-1, one, q.N[(k+2)%3]}}
	*p = append(*p, Piece{[3]int32{m, b, c}, [3]int32{-1, bc, t}})
	p.renew(bc, t, one)
	if u < 0 {
		return
	}
	r := (*p)[u] // it runs b, a, e
	e, ae, eb := r.V[(l+2)%3], r.N[(l+1)%3], r.N[(l+2)%3]
	two := int32(len(*p))
	(*p)[u] = Piece{[3]int32{b, m, e}, [3]int32{one, two, eb}}
	*p = append(*p, Piece{[3]int32{m, a, e}, [3]int32{t, ae, u}})
	p.renew(ae, u, two)
	(*p)[t].N[0], (*p)[one].N[0] = two, u
}

// Swap turns the edge between piece t and its neighbour across the k-th edge,
// which there must be, into the other diagonal of the two.
func (p Pieces) Swap(t int32, k int) {
	u, l := p.Across(t, k)
	q, r := p[t], p[u]
	a, b, c, e := q.V[k], q.V[(k+1)%3], q.V[(k+2)%3], r.V[(l+2)%3]
	bc, ca, ae, eb := q.N[(k+1)%3], q.N[(k+2)%3], r.N[(l+1)%3], r.N[(l+2)%3]
	p[t] = Piece{[3]int32{c, e, b}, [3]int32{u, eb, bc}}
	p[u] = Piece{[3]int32{e, c, a}, [3]int32{t, ca, ae}}
	p.renew(eb, u, t)
	p.renew(ca, t, u)
}
