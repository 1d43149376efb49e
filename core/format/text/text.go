// Package text reads text files as a window of bytes that parsers look at in
// place: what is read is sliced, not copied, and a piece that runs into the
// window's end is looked at again after more was read behind it.
package text

import (
	"fmt"
	"io"
)

// Window is the part of a file that is in memory.
type Window struct {
	in       io.Reader
	buf      []byte
	pos, end int
	before   int64 // bytes that left the window
	most     int
	eof      bool
}

// NewWindow reads from in; no piece may be longer than most bytes.
func NewWindow(in io.Reader, most int) *Window {
	return &Window{in: in, buf: make([]byte, 256<<10), most: most}
}

// Rest is what is in memory and not skipped yet, valid until More.
func (w *Window) Rest() []byte { return w.buf[w.pos:w.end] }

// Skip moves past the first n bytes of Rest.
func (w *Window) Skip(n int) { w.pos += n }

// Offset is how many bytes were skipped in all.
func (w *Window) Offset() int64 { return w.before + int64(w.pos) }

// More reads more behind Rest; false at the file's end.
func (w *Window) More() (bool, error) {
	if w.eof {
		return false, nil
	}
	if w.pos > 0 {
		w.before += int64(w.pos)
		w.end = copy(w.buf, w.buf[w.pos:w.end])
		w.pos = 0
	}
	if w.end == len(w.buf) {
		if w.end >= w.most {
			return false, fmt.Errorf("a piece of more than %d bytes", w.most)
		}
		w.buf = append(w.buf, make([]byte, len(w.buf))...)
	}
	for range 100 {
		n, err := w.in.Read(w.buf[w.end:])
		w.end += n
		if err == io.EOF {
			w.eof = true
			return n > 0, nil
		}
		if n > 0 || err != nil {
			return err == nil, err
		}
	}
	return false, io.ErrNoProgress
}
