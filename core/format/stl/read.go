// Package stl reads and writes STL: a list of loose triangles, as 50-byte
// records after an 84-byte header, or as text.
//
// The triangles share nothing in the file; the reader welds corners of exactly
// equal position as it goes, so the soup is never held.
package stl

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"

	"veneer/core/format/file"
	"veneer/core/mesh"
)

const (
	headerSize = 84
	recordSize = 50
	chunk      = 4 << 10 // triangles read at a time
)

// Binary reports whether the source is binary STL by its content: its size is
// what its count says, or it does not read like text. (Binary files may begin
// with the word solid.)
func Binary(src file.Source, head []byte) bool {
	if len(head) >= headerSize {
		n := int64(binary.LittleEndian.Uint32(head[80:]))
		if src.Size == headerSize+n*recordSize {
			return true
		}
	}
	text := bytes.TrimLeft(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")), " \t\r\n")
	if len(text) < 5 || !bytes.EqualFold(text[:5], []byte("solid")) {
		return true
	}
	return bytes.IndexByte(head, 0) >= 0
}

// ReadBinary reads binary STL. The count in the header and the file's size may
// disagree. A file that holds fewer triangles than its count says, but at least
// half of them, is read as far as it is whole, and Short says so; with fewer it
// is refused. A count of 0, as programs leave it that write as they go, means
// all triangles that there are. Bytes after the last triangle are reported as
// lost.
func ReadBinary(ctx context.Context, src file.Source, opt file.Options) (*file.Model, error) {
	var header [headerSize]byte
	if n, err := src.R.ReadAt(header[:], 0); n < headerSize {
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
		return nil, src.AtByte(src.Size, "a binary STL has 84 bytes of header and 50 for each triangle",
			"the file ends after %d bytes", src.Size)
	}
	count := int64(binary.LittleEndian.Uint32(header[80:]))
	whole := (src.Size - headerSize) / recordSize
	promised := count
	if count == 0 || count > whole && 2*whole >= count {
		count = whole
	}
	switch {
	case count > whole:
		return nil, src.AtByte(src.Size, "the file is cut short or is no STL; ask for it again",
			"the header promises %d triangles but the file holds only %d", count, whole)
	case count == 0:
		return nil, src.AtByte(80, "there is nothing to print; ask for the file again", "the file holds no triangle")
	case count > opt.Limits.Triangles || count > mesh.MaxTriangles:
		return nil, src.AtByte(80, "raise the triangle limit to read it",
			"the file holds %d triangles, over the limit of %d", count, min(opt.Limits.Triangles, mesh.MaxTriangles))
	}
	model := &file.Model{Format: file.STLBinary, Hints: []string{string(bytes.ToValidUTF8(bytes.Trim(header[:80], "\x00 "), []byte("?")))}}
	if promised > count {
		model.Short = fmt.Sprintf("the header promises %d triangles but the file holds only %d", promised, count)
	} else if extra := src.Size - headerSize - count*recordSize; extra > 0 {
		model.Lost = append(model.Lost, plural(extra, "byte")+" after the last triangle")
	}

	w := mesh.NewSingleWelder(int(count/2) + 16)
	triangles := make([]mesh.Triangle, count)
	var vertices [3 * chunk]int32
	var colours [][3]mesh.Colour
	paint := paintOf(header[:80])
	err := eachChunk(ctx, src, count, func(p *piece) {
		w.Add(p.points, p.hashes, vertices[:len(p.points)])
		for i := range len(p.points) / 3 {
			triangles[p.first+int64(i)] = mesh.Triangle{vertices[3*i], vertices[3*i+1], vertices[3*i+2]}
		}
		if len(p.attributes) > 0 {
			if colours == nil {
				colours = make([][3]mesh.Colour, count)
			}
			paint.decode(p.attributes, colours[p.first:])
		}
		model.Against = append(model.Against, p.against...)
		opt.Report(float64(p.first) / float64(count))
	})
	if err != nil {
		return nil, err
	}
	model.Mesh = &mesh.Mesh{Positions: w.Positions, Triangles: triangles, Colours: colours}
	return model, nil
}

const infinite = 0x7f800000 // the exponent bits of a float32 that is infinite or no number

// piece is a stretch of triangles on its way from the file to the weld.
type piece struct {
	first  int64
	bytes  []byte
	points []mesh.SinglePoint
	hashes []uint32
	// attributes are the two bytes behind each triangle; empty when all are 0.
	attributes []uint16
	against    []int32 // triangles whose stored normal is against their corners
	err        error
}

// decode turns the piece's records into corners and hashes them.
func (p *piece) decode(src file.Source) error {
	p.points, p.hashes = p.points[:0], p.hashes[:0]
	p.attributes, p.against = p.attributes[:0], p.against[:0]
	any := uint16(0)
	for at := 0; at < len(p.bytes); at += recordSize {
		a := binary.LittleEndian.Uint16(p.bytes[at+48:])
		p.attributes, any = append(p.attributes, a), any|a
		r := p.bytes[at+12 : at+48 : at+48]
		for c := 0; c < 36; c += 12 {
			x := binary.LittleEndian.Uint32(r[c:])
			y := binary.LittleEndian.Uint32(r[c+4:])
			z := binary.LittleEndian.Uint32(r[c+8:])
			if x&infinite == infinite || y&infinite == infinite || z&infinite == infinite {
				t := p.first + int64(at/recordSize)
				return src.AtByte(headerSize+t*recordSize+12+int64(c), "coordinates must be finite; ask for the file again",
					"triangle %d has a coordinate that is no number", t)
			}
			v := mesh.SinglePointOf(x, y, z)
			p.points, p.hashes = append(p.points, v), append(p.hashes, v.Hash())
		}
		if contradicts(p.bytes[at : at+48 : at+48]) {
			p.against = append(p.against, int32(p.first)+int32(at/recordSize))
		}
	}
	if any == 0 {
		p.attributes = p.attributes[:0]
	}
	return nil
}

// eachChunk reads and decodes the records in order, one chunk ahead of visit:
// the reading goroutine ends when it has read all, failed, or quit is closed on
// return.
func eachChunk(ctx context.Context, src file.Source, count int64, visit func(*piece)) error {
	full, empty, quit := make(chan *piece, 1), make(chan *piece, 2), make(chan struct{})
	defer close(quit)
	for range 2 {
		empty <- &piece{bytes: make([]byte, chunk*recordSize), points: make([]mesh.SinglePoint, 0, 3*chunk), hashes: make([]uint32, 0, 3*chunk)}
	}
	go func() {
		defer close(full)
		for first := int64(0); first < count; first += chunk {
			var p *piece
			select {
			case p = <-empty:
			case <-quit:
				return
			}
			p.first, p.bytes = first, p.bytes[:min(chunk, count-first)*recordSize]
			if n, err := src.R.ReadAt(p.bytes, headerSize+first*recordSize); n < len(p.bytes) {
				p.err = err
			} else {
				p.err = p.decode(src)
			}
			select {
			case full <- p:
			case <-quit:
				return
			}
			if p.err != nil {
				return
			}
		}
	}()
	for p := range full {
		if p.err != nil {
			return p.err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		visit(p)
		empty <- p
	}
	return nil
}
