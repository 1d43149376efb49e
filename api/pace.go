package api

import (
	"sync"
	"time"
)

// pace bounds how often an address may try to sign in: so many at once, one more every
// few seconds. It forgets addresses that have been quiet.
type pace struct {
	sync.Mutex
	tries map[string]*bucket
	swept time.Time
}

type bucket struct {
	left float64
	at   time.Time
}

const (
	burst     = 20
	perSecond = 0.5
)

func (p *pace) allow(who string) bool {
	p.Lock()
	defer p.Unlock()
	now := time.Now()
	if now.Sub(p.swept) > time.Minute {
		for name, b := range p.tries {
			if now.Sub(b.at) > burst/perSecond*time.Second {
				delete(p.tries, name)
			}
		}
		p.swept = now
	}
	b := p.tries[who]
	if b == nil {
		if p.tries == nil {
			p.tries = map[string]*bucket{}
		}
		b = &bucket{burst, now}
		p.tries[who] = b
	}
	b.left, b.at = min(burst, b.left+perSecond*now.Sub(b.at).Seconds()), now
	if b.left < 1 {
		return false
	}
	b.left--
	return true
}
