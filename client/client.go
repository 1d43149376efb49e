// Package client speaks to a Veneer service from Go: the command line and the
// tests use it.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"veneer/api"
	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/core/check"
)

// Client is a service's address with somebody's token.
type Client struct {
	Server string // such as http://127.0.0.1:8080
	Token  string
	HTTP   *http.Client // nil for http.DefaultClient
}

// Error is a problem that the service answered with.
type Error struct{ api.Problem }

func (e *Error) Error() string { return e.Detail }

// SignIn begins a session and keeps its token in the client.
func (c *Client) SignIn(ctx context.Context, name, password string) (record.Person, error) {
	var in api.SignIn
	err := c.send(ctx, http.MethodPost, "/session", map[string]string{"name": name, "password": password}, &in)
	c.Token = in.Token
	return in.Person, err
}

// Submission is a batch to send.
type Submission struct {
	Name, Customer, Process string
	NoRepair                bool
	Expect                  []string // sizes that the customer stated: 120x80x40mm for all, lamp.stl=120x80x40mm for one
	Paths                   []string
	Names                   []string // what to call them, folders with slashes; nil for their last elements
	// Progress is told the bytes sent; may be nil.
	Progress func(sent int64)

	// Key has the batch taken in once, however often it is sent; may be empty.
	Key string

	// Uploads are files that came in pieces already, by the numbers of their uploads.
	Uploads []string
}

// Submit sends a batch; its files stream from disk, large ones piece by piece before.
func (c *Client) Submit(ctx context.Context, s Submission) (b record.Batch, err error) {
	if err := c.uploadLarge(ctx, &s); err != nil {
		return b, err
	}
	reader, writer := io.Pipe()
	form := multipart.NewWriter(writer)
	go func() { // ends when all is written or the request gives up and closes the reader
		writer.CloseWithError(writeForm(form, s))
	}()
	defer reader.Close()
	var body io.Reader = reader
	if s.Progress != nil {
		body = &counter{r: reader, tell: s.Progress}
	}
	req, err := c.request(ctx, http.MethodPost, "/batches", body)
	if err != nil {
		return b, err
	}
	req.Header.Set("Content-Type", form.FormDataContentType())
	if s.Key != "" {
		req.Header.Set("Idempotency-Key", s.Key)
	}
	return b, c.do(req, &b)
}

// uploadLarge takes large files out of a submission and puts their uploads in.
func (c *Client) uploadLarge(ctx context.Context, s *Submission) error {
	var paths, names []string
	var before int64
	for i, path := range s.Paths {
		name := filepath.Base(path)
		if s.Names != nil {
			name = s.Names[i]
		}
		info, err := os.Stat(path)
		if err != nil {
			return err
		}
		if info.Size() <= largeBytes {
			paths, names = append(paths, path), append(names, name)
			continue
		}
		id, err := c.Upload(ctx, path, name, func(sent int64) {
			if s.Progress != nil {
				s.Progress(before + sent)
			}
		})
		if err != nil {
			return err
		}
		s.Uploads = append(s.Uploads, id)
		before += info.Size()
	}
	if tell := s.Progress; tell != nil {
		s.Progress = func(sent int64) { tell(before + sent) }
	}
	s.Paths, s.Names = paths, names
	return nil
}

func writeForm(form *multipart.Writer, s Submission) error {
	repair := "auto"
	if s.NoRepair {
		repair = "none"
	}
	fields := [][2]string{{"name", s.Name}, {"customer", s.Customer}, {"process", s.Process}, {"repair", repair}}
	for _, e := range s.Expect {
		fields = append(fields, [2]string{"expect", e})
	}
	for _, id := range s.Uploads {
		fields = append(fields, [2]string{"upload", id})
	}
	for _, f := range fields {
		if f[1] == "" {
			continue
		}
		if err := form.WriteField(f[0], f[1]); err != nil {
			return err
		}
	}
	for i, path := range s.Paths {
		name := filepath.Base(path)
		if s.Names != nil {
			name = s.Names[i]
		}
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		w, err := form.CreateFormFile("file", name)
		if err == nil {
			_, err = io.Copy(w, f)
		}
		f.Close()
		if err != nil {
			return err
		}
	}
	return form.Close()
}

type counter struct {
	r    io.Reader
	n    int64
	tell func(int64)
}

func (c *counter) Read(b []byte) (int, error) {
	n, err := c.r.Read(b)
	c.n += int64(n)
	c.tell(c.n)
	return n, err
}

// Batches lists the newest batches.
func (c *Client) Batches(ctx context.Context) (list []record.Batch, err error) {
	return list, c.send(ctx, http.MethodGet, "/batches", nil, &list)
}

// Batch is one batch with its parts.
func (c *Client) Batch(ctx context.Context, id int64) (b api.BatchWithParts, err error) {
	return b, c.send(ctx, http.MethodGet, fmt.Sprintf("/batches/%d", id), nil, &b)
}

// Audit is what happened to a batch.
func (c *Client) Audit(ctx context.Context, id int64) (list []record.Event, err error) {
	return list, c.send(ctx, http.MethodGet, fmt.Sprintf("/batches/%d/audit", id), nil, &list)
}

// Part is one part with its revisions.
func (c *Client) Part(ctx context.Context, id int64) (p api.PartWithRevisions, err error) {
	return p, c.send(ctx, http.MethodGet, fmt.Sprintf("/parts/%d", id), nil, &p)
}

// Report is the check report of a revision.
func (c *Client) Report(ctx context.Context, part int64, number int) (r *check.Report, err error) {
	return r, c.send(ctx, http.MethodGet, fmt.Sprintf("/parts/%d/revisions/%d/report", part, number), nil, &r)
}

// SetUnit says in which unit a part is, or with alike, all parts of its batch
// that are in doubt.
func (c *Client) SetUnit(ctx context.Context, part int64, unit string, alike bool) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/unit", part), map[string]any{"unit": unit, "alike": alike}, nil)
}

// Answer settles a question that is open about a part, by the ids in its
// report; with alike, for all parts of its batch with the same question.
func (c *Client) Answer(ctx context.Context, part int64, question, answer string, alike bool) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/answers", part), map[string]any{"question": question, "answer": answer, "alike": alike}, nil)
}

// Expect says how large the customer stated a part to be.
func (c *Client) Expect(ctx context.Context, part int64, size string) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/expect", part), map[string]string{"size": size}, nil)
}

// Repair has a part mended from one of its revisions; with steps, by those and
// no others.
func (c *Client) Repair(ctx context.Context, part int64, from int, steps ...string) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/repair", part), bureau.Order{From: from, Steps: steps}, nil)
}

// RepairBy has a part mended from one of its revisions by a method.
func (c *Client) RepairBy(ctx context.Context, part int64, from int, method string) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/repair", part), bureau.Order{From: from, Method: method}, nil)
}

// LightenBatch has all parts of a batch made lighter that have more triangles than
// above: to that many, or as light as they get within so many mm when that is not 0.
// It tells how many.
func (c *Client) LightenBatch(ctx context.Context, batch int64, above int, withinMM float64) (int, error) {
	var begun api.Begun
	err := c.send(ctx, http.MethodPost, fmt.Sprintf("/batches/%d/lighten", batch), api.LightenOrder{Above: above, WithinMM: withinMM}, &begun)
	return begun.Parts, err
}

// RepairBatch has all parts of a batch mended that call for it, and tells how many.
func (c *Client) RepairBatch(ctx context.Context, batch int64) (int, error) {
	var begun api.Begun
	err := c.send(ctx, http.MethodPost, fmt.Sprintf("/batches/%d/repair", batch), nil, &begun)
	return begun.Parts, err
}

// Fetch copies one thing of a revision (file, picture, view or report) to w.
func (c *Client) Fetch(ctx context.Context, part int64, number int, thing string, w io.Writer) error {
	return c.copy(ctx, fmt.Sprintf("/parts/%d/revisions/%d/%s", part, number, thing), w)
}

// Watch follows a batch: see is called with the batch and the parts that
// changed, until it returns false. A stream that breaks is opened again.
func (c *Client) Watch(ctx context.Context, id int64, see func(api.BatchWithParts) bool) error {
	for broken := 0; ; {
		done, err := c.watchOnce(ctx, id, func(b api.BatchWithParts) bool { broken = 0; return see(b) })
		var refused *Error
		if done || ctx.Err() != nil || errors.As(err, &refused) {
			return errors.Join(err, ctx.Err())
		}
		if broken++; broken > 20 {
			return fmt.Errorf("the service does not answer any more: %w", err)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(500 * time.Millisecond):
		}
	}
}

func (c *Client) watchOnce(ctx context.Context, id int64, see func(api.BatchWithParts) bool) (done bool, err error) {
	req, err := c.request(ctx, http.MethodGet, fmt.Sprintf("/batches/%d/events", id), nil)
	if err != nil {
		return false, err
	}
	res, err := c.answer(req)
	if err != nil {
		return false, err
	}
	defer res.Body.Close()
	lines := bufio.NewReader(res.Body)
	for {
		text, err := lines.ReadString('\n')
		if err != nil {
			return false, err
		}
		data, ok := strings.CutPrefix(text, "data: ")
		if !ok {
			continue
		}
		var b api.BatchWithParts
		if err := json.Unmarshal([]byte(data), &b); err != nil {
			return false, err
		}
		if !see(b) {
			return true, nil
		}
	}
}

// WatchUntilDone follows a batch until nothing of it waits or runs.
func (c *Client) WatchUntilDone(ctx context.Context, id int64, see func(api.BatchWithParts)) error {
	return c.Watch(ctx, id, func(b api.BatchWithParts) bool {
		if see != nil {
			see(b)
		}
		return !b.Batch.Counts.Done()
	})
}

func (c *Client) send(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	if in != nil {
		text, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(text)
	}
	req, err := c.request(ctx, method, path, body)
	if err != nil {
		return err
	}
	if in != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	return c.do(req, out)
}

func (c *Client) request(ctx context.Context, method, path string, body io.Reader) (*http.Request, error) {
	path, query, _ := strings.Cut(path, "?")
	address, err := url.JoinPath(c.Server, "/api/v1", path)
	if err != nil {
		return nil, fmt.Errorf("the service's address %q cannot be used: %w", c.Server, err)
	}
	if query != "" {
		address += "?" + query
	}
	req, err := http.NewRequestWithContext(ctx, method, address, body)
	if err == nil && c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	return req, err
}

func (c *Client) do(req *http.Request, out any) error {
	res, err := c.answer(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if out == nil {
		return nil
	}
	return json.NewDecoder(res.Body).Decode(out)
}

// answer sends a request; problems come back as *Error.
func (c *Client) answer(req *http.Request) (*http.Response, error) {
	h := c.HTTP
	if h == nil {
		h = http.DefaultClient
	}
	res, err := h.Do(req)
	if err != nil {
		return nil, err
	}
	if res.StatusCode < 300 {
		return res, nil
	}
	defer res.Body.Close()
	e := &Error{api.Problem{Status: res.StatusCode, Detail: res.Status}}
	json.NewDecoder(io.LimitReader(res.Body, 1<<16)).Decode(&e.Problem) // keep the status when there is no problem document
	return nil, e
}
