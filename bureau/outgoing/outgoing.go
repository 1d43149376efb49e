// Package outgoing tells other programs what happened here: it posts what waits in the
// records to the addresses that administrators gave.
//
// What is told is queued in the transaction of what it tells of, and taken off only when
// the other side said yes: so it is told at least once, in spite of any break. Each post
// is signed, so that the other side knows who it is from.
package outgoing

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"veneer/bureau/record"
	"veneer/bureau/store"
)

// Post posts what waits, until it is told to stop.
type Post struct {
	Store *store.Store
	Log   *slog.Logger
	First time.Duration // before the second try; doubled each time
}

const (
	mostTries = 9
	idle      = 500 * time.Millisecond
	patience  = 10 * time.Second // with the other side
)

// Run posts until ctx is cancelled.
func (p *Post) Run(ctx context.Context) {
	client := &http.Client{Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for ctx.Err() == nil {
		d, err := p.Store.TakeDelivery(ctx)
		if err != nil || d == nil {
			if err != nil && ctx.Err() == nil {
				p.Log.Error("take a delivery", "err", err)
			}
			select {
			case <-ctx.Done():
			case <-time.After(idle):
			}
			continue
		}
		state, why, next := "done", "", time.Now()
		if err := send(ctx, client, d); err != nil {
			if ctx.Err() != nil {
				return // it is due again in a minute
			}
			why = err.Error()
			if state = "waiting"; d.Attempts >= mostTries {
				state = "failed"
			}
			next = next.Add(p.First << (d.Attempts - 1))
			p.Log.Warn("delivery failed", "url", d.URL, "attempt", d.Attempts, "err", err)
		}
		if err := p.Store.Delivered(context.WithoutCancel(ctx), d.ID, state, why, next); err != nil {
			p.Log.Error("record a delivery", "err", err)
		}
	}
}

// send posts one delivery; anything but a yes is an error.
func send(ctx context.Context, client *http.Client, d *record.Delivery) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, d.URL, bytes.NewReader([]byte(d.Body)))
	if err != nil {
		return err
	}
	at := strconv.FormatInt(time.Now().Unix(), 10)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Veneer-Event", d.Event)
	req.Header.Set("Veneer-Delivery", strconv.FormatInt(d.ID, 10))
	req.Header.Set("Veneer-Time", at)
	req.Header.Set("Veneer-Signature", Sign(d.Secret, at, []byte(d.Body)))
	res, err := client.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	io.Copy(io.Discard, io.LimitReader(res.Body, 1<<16)) // so that the connection can be used again
	if res.StatusCode/100 != 2 {
		return fmt.Errorf("it answered %s", res.Status)
	}
	return nil
}

// Sign is the signature of a post: HMAC-SHA256 over the time, a dot and the body, under
// the hook's secret, in hexadecimal.
func Sign(secret, at string, body []byte) string {
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(at + "."))
	mac.Write(body)
	return hex.EncodeToString(mac.Sum(nil))
}

// ErrSignature says that a post is from somebody else, or too old.
var ErrSignature = errors.New("the signature does not hold")

// Verify is the other side's check: that a post was signed under the secret, not longer
// ago than so long.
func Verify(secret string, h http.Header, body []byte, now time.Time, oldest time.Duration) error {
	at := h.Get("Veneer-Time")
	seconds, err := strconv.ParseInt(at, 10, 64)
	if err != nil || now.Sub(time.Unix(seconds, 0)).Abs() > oldest {
		return ErrSignature
	}
	if !hmac.Equal([]byte(Sign(secret, at, body)), []byte(h.Get("Veneer-Signature"))) {
		return ErrSignature
	}
	return nil
}
