package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau/record"
)

// Events carry state, not history: the first one of a stream tells everything,
// later ones what has changed since. A stream that breaks is healed by opening
// it again, and any number of services may share the records.

const (
	look = 300 * time.Millisecond // between looks at the records
	beat = 15 * time.Second       // between signs of life
)

// events streams the newest batches: "batches" with those that changed.
func (s *server) events(g *gin.Context) {
	sent := map[int64][]byte{}
	s.stream(g, func(ctx context.Context) (string, any, error) {
		list, err := s.Bureau.Store.Batches(ctx, 0, 100)
		changed := []record.Batch{}
		for _, b := range list {
			if differs(sent, b.ID, b) {
				changed = append(changed, b)
			}
		}
		if len(changed) == 0 {
			return "", nil, err
		}
		return "batches", changed, err
	})
}

// batchEvents streams one batch: "batch" with the batch and the parts that changed.
func (s *server) batchEvents(g *gin.Context) {
	n, ok := id(g, "batch")
	if !ok {
		return
	}
	if _, err := s.Bureau.Store.Batch(g.Request.Context(), n); err != nil {
		s.fail(g, err)
		return
	}
	sent := map[int64][]byte{}
	s.stream(g, func(ctx context.Context) (string, any, error) {
		b, err := s.batchWithParts(g, n)
		if err != nil {
			return "", nil, err
		}
		changed := []record.Part{}
		for _, p := range b.Parts {
			if differs(sent, p.ID, p) {
				changed = append(changed, p)
			}
		}
		if !differs(sent, 0, b.Batch) && len(changed) == 0 {
			return "", nil, nil
		}
		b.Parts = changed
		return "batch", b, nil
	})
}

// differs reports whether v is not what was sent under that id before, and
// notes it as sent.
func differs(sent map[int64][]byte, id int64, v any) bool {
	text, err := json.Marshal(v)
	if err != nil || bytes.Equal(sent[id], text) {
		return false
	}
	sent[id] = text
	return true
}

// stream sends what next returns, as often as it returns something, until the
// caller goes away or the service stops.
func (s *server) stream(g *gin.Context, next func(context.Context) (event string, data any, err error)) {
	h := g.Writer.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-cache, no-transform")
	rc := http.NewResponseController(g.Writer)
	rc.SetWriteDeadline(time.Time{})
	ctx := g.Request.Context()
	last := time.Now()
	for {
		event, data, err := next(ctx)
		if err != nil {
			if ctx.Err() == nil {
				s.Log.Warn("event stream", "err", err)
			}
			return // the caller opens it again
		}
		if event != "" {
			text, err := json.Marshal(data)
			if err != nil {
				return
			}
			fmt.Fprintf(g.Writer, "event: %s\ndata: %s\n\n", event, text)
			last = time.Now()
		} else if time.Since(last) > beat {
			io.WriteString(g.Writer, ": beat\n\n")
			last = time.Now()
		}
		if rc.Flush() != nil {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(look):
		}
	}
}
