package client

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"

	"veneer/api"
	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/core/repair"
)

// Study has something worked out about a part's revisions, and waits for it.
func (c *Client) Study(ctx context.Context, part int64, order api.StudyOrder) (s record.Study, err error) {
	path := fmt.Sprintf("/parts/%d/studies", part)
	for err = c.send(ctx, http.MethodPost, path, order, &s); err == nil && (s.State == "queued" || s.State == "running"); {
		select {
		case <-ctx.Done():
			return s, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
		err = c.send(ctx, http.MethodGet, fmt.Sprintf("%s/%d", path, s.ID), nil, &s)
	}
	if err == nil && s.State == "failed" {
		err = errors.New(s.Problem)
	}
	return s, err
}

// StudyFile copies a file that came with a study to w.
func (c *Client) StudyFile(ctx context.Context, s record.Study, name string, w io.Writer) error {
	return c.copy(ctx, fmt.Sprintf("/parts/%d/studies/%d/files/%s", s.PartID, s.ID, name), w)
}

// Plan lists the steps that a repair would take.
func (c *Client) Plan(ctx context.Context, part int64, order bureau.Order) (steps []repair.Step, err error) {
	return steps, c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/plan", part), order, &steps)
}

// Order has a part mended as the order says.
func (c *Client) Order(ctx context.Context, part int64, order bureau.Order) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/repair", part), order, nil)
}

// Stop stops what is being done to a part.
func (c *Client) Stop(ctx context.Context, part int64) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/stop", part), nil, nil)
}

// Recheck has a part checked once more.
func (c *Client) Recheck(ctx context.Context, part int64) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/check", part), nil, nil)
}

// SetUnits says in which unit parts of a batch are, and tells for how many that was
// of use.
func (c *Client) SetUnits(ctx context.Context, batch int64, parts []int64, unit string) (int, error) {
	var begun api.Begun
	err := c.send(ctx, http.MethodPost, fmt.Sprintf("/batches/%d/unit", batch), api.UnitsOrder{Parts: parts, Unit: unit}, &begun)
	return begun.Parts, err
}

// Jobs lists what runs, waits and ended last.
func (c *Client) Jobs(ctx context.Context) (list []record.JobRow, err error) {
	return list, c.send(ctx, http.MethodGet, "/jobs", nil, &list)
}

// Export copies the newest files and reports of a batch, or of the listed parts of
// it, to w as a zip.
func (c *Client) Export(ctx context.Context, batch int64, parts []int64, w io.Writer) error {
	var words []string
	for _, p := range parts {
		words = append(words, strconv.FormatInt(p, 10))
	}
	path := fmt.Sprintf("/batches/%d/export", batch)
	if words != nil {
		path += "?parts=" + strings.Join(words, ",")
	}
	return c.copy(ctx, path, w)
}

// pieceBytes is how much of a large file is sent at a time, and largeBytes from which
// size on a file counts as one.
const (
	pieceBytes = 8 << 20
	largeBytes = 100_000_000
)

// Upload sends a large file piece by piece, going on where the service is when a
// piece breaks off, and returns the number under which a batch takes it.
func (c *Client) Upload(ctx context.Context, path, name string, sent func(bytes int64)) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return "", err
	}
	var up bureau.Upload
	if err := c.BeginUpload(ctx, name, info.Size(), &up); err != nil {
		return "", err
	}
	for failures := 0; up.Offset < info.Size(); {
		piece := make([]byte, min(pieceBytes, info.Size()-up.Offset))
		if _, err := f.ReadAt(piece, up.Offset); err != nil {
			return "", err
		}
		err := c.AddPiece(ctx, &up, piece)
		var refused *Error
		switch {
		case err == nil:
			failures = 0
		case ctx.Err() != nil, errors.As(err, &refused) && refused.Status != http.StatusConflict && refused.Status < 500, failures >= 20:
			return "", err
		default:
			failures++
			select {
			case <-ctx.Done():
				return "", ctx.Err()
			case <-time.After(time.Duration(failures) * 200 * time.Millisecond):
			}
			if err := c.UploadAt(ctx, up.ID, &up); err != nil && ctx.Err() != nil {
				return "", err
			}
		}
		if sent != nil {
			sent(up.Offset)
		}
	}
	return up.ID, nil
}

// BeginUpload makes room for a file that comes in pieces.
func (c *Client) BeginUpload(ctx context.Context, name string, bytes int64, up *bureau.Upload) error {
	return c.send(ctx, http.MethodPost, "/uploads", api.UploadOrder{Name: name, Bytes: bytes}, up)
}

// UploadAt asks how far an upload is.
func (c *Client) UploadAt(ctx context.Context, id string, up *bureau.Upload) error {
	return c.send(ctx, http.MethodGet, "/uploads/"+id, nil, up)
}

// AddPiece adds a piece where an upload is, and tells how far it is then.
func (c *Client) AddPiece(ctx context.Context, up *bureau.Upload, piece []byte) error {
	req, err := c.request(ctx, http.MethodPatch, fmt.Sprintf("/uploads/%s?offset=%d", up.ID, up.Offset), bytes.NewReader(piece))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/octet-stream")
	return c.do(req, up)
}

func (c *Client) copy(ctx context.Context, path string, w io.Writer) error {
	req, err := c.request(ctx, http.MethodGet, path, nil)
	if err != nil {
		return err
	}
	res, err := c.answer(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	_, err = io.Copy(w, res.Body)
	return err
}
