package api

import (
	"sync"
	"time"
)

// pace bounds how often somebody may do something: so many times at once, and so many
// more a second. It forgets those who have been quiet.
type pace struct {
	burst, perSecond float64

	sync.Mutex
	tries map[string]*bucket
	swept time.Time
}

type bucket struct {
	left float64
	at   time.Time
}

func newPace(burst, perSecond float64) *pace {
	return &pace{burst: burst, perSecond: perSecond, tries: map[string]*bucket{}}
}

// allow reports whether somebody may do it once more, now.
func (p *pace) allow(who string, now time.Time) bool {
	p.Lock()
	defer p.Unlock()
	if now.Sub(p.swept) > time.Minute {
		for name, b := range p.tries {
			if now.Sub(b.at).Seconds()*p.perSecond > p.burst {
				delete(p.tries, name)
			}
		}
		p.swept = now
	}
	b := p.tries[who]
	if b == nil {
		b = &bucket{p.burst, now}
		p.tries[who] = b
	}
	b.left, b.at = min(p.burst, b.left+p.perSecond*now.Sub(b.at).Seconds()), now
	if b.left < 1 {
		return false
	}
	b.left--
	return true
}
