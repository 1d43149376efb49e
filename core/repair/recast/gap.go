package recast

// closeGaps puts inside what lies between two pieces of the part, where a line
// along an axis goes from one to the other over at most so many mm. A narrow gap
// is passed over at least along the axis that it faces most, whatever way it
// runs, and an inner edge is left as sharp as it is.
func (f *field) closeGaps(width float64) {
	var at [3]int
	for axis := range f.lines {
		s := &f.lines[axis]
		for line := range f.n[s.u] * f.n[s.v] {
			at[s.u], at[s.v] = line%f.n[s.u], line/f.n[s.u]
			if at[s.u] == 0 || at[s.v] == 0 || at[s.u] == f.n[s.u]-1 || at[s.v] == f.n[s.v]-1 {
				continue
			}
			around, left := int32(0), -1.0
			begun := false
			for _, h := range s.of(line) {
				was := around >= 1
				around -= h.way
				switch is := around >= 1; {
				case was && !is:
					left, begun = h.at, true
				case !was && is && begun && h.at-left <= width:
					for i := max(f.ahead(axis, left), 1); i < f.n[axis]-1 && f.at(axis, i) < h.at; i++ {
						at[axis] = i
						f.inside.set(at[0], at[1], at[2], true)
					}
				}
			}
		}
	}
}
