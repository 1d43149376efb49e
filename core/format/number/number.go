// Package number reads decimal numbers out of text files, correctly rounded
// and without allocating.
//
// Idea: up to 19 digits are gathered into an integer. When they fit in 53 bits
// and the power of ten is at most 22, integer and power are exact as float64
// and one multiplication or division rounds correctly (Clinger, "How to Read
// Floating Point Numbers Accurately", 1990). Everything else goes to strconv.
package number

import (
	"encoding/binary"
	"math/bits"
	"strconv"
	"unsafe"
)

var powers = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12,
	1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22}

// exact is a mantissa below 2⁵³ times ten to a power within ±22, correctly rounded.
func exact(mantissa uint64, exponent int, negative bool) float64 {
	x := float64(mantissa)
	if exponent < 0 {
		x /= powers[-exponent]
	} else {
		x *= powers[exponent]
	}
	if negative {
		x = -x
	}
	return x
}

// Float reads the whole of b as a decimal number. Words such as nan and inf
// are refused: no coordinate is one.
func Float(b []byte) (float64, bool) {
	i, n := 0, len(b)
	negative := false
	if i < n && (b[i] == '-' || b[i] == '+') {
		negative = b[i] == '-'
		i++
	}
	var mantissa uint64
	digits, exponent := 0, 0
	start := i
	for ; i < n && b[i]-'0' <= 9; i++ {
		mantissa = mantissa*10 + uint64(b[i]-'0')
	}
	digits = i - start
	if i < n && b[i] == '.' {
		i++
		start = i
		for ; i < n && b[i]-'0' <= 9; i++ {
			mantissa = mantissa*10 + uint64(b[i]-'0')
		}
		exponent = -(i - start)
		digits += i - start
	}
	if digits == 0 {
		return 0, false
	}
	if i < n && (b[i] == 'e' || b[i] == 'E') {
		e, ok := Int(b[i+1:])
		if !ok {
			return 0, false
		}
		exponent += int(max(min(e, 1<<20), -1<<20))
		i = n
	}
	if i != n {
		return 0, false
	}
	if digits <= 19 && mantissa < 1<<53 && -22 <= exponent && exponent <= 22 {
		return exact(mantissa, exponent, negative), true
	}
	x, err := strconv.ParseFloat(unsafe.String(unsafe.SliceData(b), len(b)), 64)
	return x, err == nil
}

// Int reads the whole of b as a decimal integer; numbers beyond ±2⁴⁰ are cut there.
func Int(b []byte) (int64, bool) {
	i, negative := 0, false
	if len(b) > 0 && (b[0] == '-' || b[0] == '+') {
		negative = b[0] == '-'
		i = 1
	}
	if i == len(b) {
		return 0, false
	}
	x := int64(0)
	for ; i < len(b); i++ {
		d := b[i] - '0'
		if d > 9 {
			return 0, false
		}
		x = min(x*10+int64(d), 1<<40)
	}
	if negative {
		x = -x
	}
	return x, true
}

var whole = [...]uint64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8}

// Digits reads the digits that b begins with, at most eight, all at once (Lemire,
// "Number Parsing at a Gigabyte per Second", 2021, section 4): bytes that are no
// digit show by a carry into their highest bit, the others are joined to pairs,
// fours and eights by multiplication. It wants eight bytes of room, and returns
// how many were digits.
func Digits(b []byte) (x uint64, n int) {
	const every = 0x0101010101010101
	v := binary.LittleEndian.Uint64(b) ^ '0'*every
	n = bits.TrailingZeros64(((v+0x76*every)|v)&(0x80*every)) / 8 // 8 when all are digits
	v <<= uint(64 - 8*n)
	v = (v & (0x0f * every)) * 2561 >> 8
	v = (v & 0x00ff00ff00ff00ff) * 6553601 >> 16
	v = (v & 0x0000ffff0000ffff) * 42949672960001 >> 32
	return v, n
}

// Prefix reads a plain decimal number from the start of b and returns how many
// bytes it took. It knows only the common case, a number of less than 32 bytes
// followed by white space: 0 bytes say that Float must look.
func Prefix(b []byte) (x float64, n int) {
	i := 0
	negative := false
	if len(b) < 64 { // room for all that follows
		return 0, 0
	}
	if b[0] == '-' || b[0] == '+' {
		negative = b[0] == '-'
		i = 1
	}
	mantissa, digits := uint64(b[i]-'0'), 1
	if mantissa > 9 || b[i+1] != '.' { // one digit before the point is most common
		mantissa, digits = Digits(b[i:])
	}
	i += digits
	exponent := 0
	if b[i] == '.' {
		i++
		for range 3 { // up to 24 digits behind the point
			x, n := Digits(b[i:])
			mantissa = mantissa*whole[n] + x
			exponent -= n
			if i += n; n < 8 {
				break
			}
		}
		digits -= exponent
	}
	if b[i]|0x20 == 'e' {
		i++
		down := b[i] == '-'
		if down || b[i] == '+' {
			i++
		}
		e, from := 0, i
		for d := b[i] - '0'; d <= 9 && i < from+3; d = b[i] - '0' {
			e = e*10 + int(d)
			i++
		}
		if i == from {
			return 0, 0
		}
		if down {
			e = -e
		}
		exponent += e
	}
	if digits == 0 || b[i] > ' ' {
		return 0, 0
	}
	if digits > 15 || exponent < -22 || exponent > 22 {
		x, err := strconv.ParseFloat(unsafe.String(unsafe.SliceData(b), i), 64)
		if err != nil {
			return 0, 0
		}
		return x, i
	}
	return exact(mantissa, exponent, negative), i
}
