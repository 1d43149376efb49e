package api

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// TestPace allows a burst, then so many a second, each caller by itself.
func TestPace(t *testing.T) {
	p, now := newPace(3, 2), time.Unix(1000, 0)
	tried := func(who string) (n int) {
		for range 10 {
			if p.allow(who, now) {
				n++
			}
		}
		return n
	}
	assert.Equal(t, 3, tried("ada"))
	assert.Equal(t, 3, tried("ben"))
	now = now.Add(time.Second)
	assert.Equal(t, 2, tried("ada"))
	now = now.Add(time.Hour)
	assert.Equal(t, 3, tried("ada"), "never more than the burst")
	assert.Len(t, p.tries, 1, "the quiet are forgotten")
}
