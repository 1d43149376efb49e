package mesh

import "slices"

// sortEntries sorts short runs by insertion and long ones by pdqsort.
func sortEntries(s []uint64) {
	if len(s) > 24 {
		slices.Sort(s)
		return
	}
	for i := 1; i < len(s); i++ {
		x := s[i]
		j := i
		for ; j > 0 && s[j-1] > x; j-- {
			s[j] = s[j-1]
		}
		s[j] = x
	}
}

func sortInt32(s []int32) { slices.Sort(s) }

// Forest is a union-find over 0..n-1 in one flat array, with path halving.
// The root of a set is always its lowest member, so the result does not depend
// on the order of joins.
type Forest []int32

func NewForest(n int) Forest {
	f := make(Forest, n)
	for i := range f {
		f[i] = int32(i)
	}
	return f
}

func (f Forest) Root(i int32) int32 {
	for f[i] != i {
		f[i] = f[f[i]]
		i = f[i]
	}
	return i
}

func (f Forest) Join(i, j int32) bool {
	i, j = f.Root(i), f.Root(j)
	if i == j {
		return false
	}
	if i < j {
		f[j] = i
	} else {
		f[i] = j
	}
	return true
}
