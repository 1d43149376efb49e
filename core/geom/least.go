package geom

import "math"

// LeastSquares solves a·x = b for a symmetric matrix, given as xx, xy, xz, yy, yz,
// zz, that is a sum of squares: of the solutions, and of the nearest to one when
// there is none, the shortest. Directions in which the matrix is weaker than that
// share of its strongest are left out; the rank is how many are not.
func LeastSquares(a [6]float64, b Vec, weak float64) (x Vec, rank int) {
	values, vectors := Eigen(a)
	most := max(values[0], values[1], values[2])
	for i, v := range values {
		if v > weak*most {
			x = x.Add(vectors[i].Scale(vectors[i].Dot(b) / v))
			rank++
		}
	}
	return x, rank
}

// Eigen are the eigenvalues and eigenvectors, of unit length, of a symmetric
// matrix given as xx, xy, xz, yy, yz, zz, by Jacobi's rotations.
func Eigen(a [6]float64) (values [3]float64, vectors [3]Vec) {
	m := [3][3]float64{{a[0], a[1], a[2]}, {a[1], a[3], a[4]}, {a[2], a[4], a[5]}}
	v := [3][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}} // columns
	turn := func(x, y *float64, c, s float64) { *x, *y = c**x-s**y, s**x+c**y }
	for range 8 {
		off := math.Abs(m[0][1]) + math.Abs(m[0][2]) + math.Abs(m[1][2])
		if off <= 1e-14*(math.Abs(m[0][0])+math.Abs(m[1][1])+math.Abs(m[2][2])) {
			break
		}
		for p := range 2 {
			for q := p + 1; q < 3; q++ {
				if m[p][q] == 0 {
					continue
				}
				theta := (m[q][q] - m[p][p]) / (2 * m[p][q])
				t := math.Copysign(1/(math.Abs(theta)+math.Sqrt(theta*theta+1)), theta)
				c := 1 / math.Sqrt(t*t+1)
				s := t * c
				for k := range 3 {
					turn(&m[k][p], &m[k][q], c, s)
				}
				for k := range 3 {
					turn(&m[p][k], &m[q][k], c, s)
					turn(&v[k][p], &v[k][q], c, s)
				}
			}
		}
	}
	for i := range 3 {
		values[i], vectors[i] = m[i][i], Vec{v[0][i], v[1][i], v[2][i]}
	}
	return values, vectors
}
