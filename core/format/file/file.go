// Package file holds the nouns that the mesh file formats share: where bytes
// come from, what a reader makes of them, what it may spend, and how it says
// that something is wrong. The formats below core/format know these nouns and
// nothing of one another.
package file

import (
	"context"
	"fmt"
	"io"
	"slices"

	"veneer/core/mesh"
)

// Format is a file format and flavour, as reports name it.
type Format string

const (
	STLBinary Format = "stl-binary"
	STLASCII  Format = "stl-ascii"
	OBJ       Format = "obj"
	ThreeMF   Format = "3mf"
)

// Source is a file to read. Name is only ever shown or looked at for its
// ending; it is never opened.
type Source struct {
	Name string
	R    io.ReaderAt
	Size int64
	// Beside opens a file that came along with this one, by its plain name,
	// such as a material library; nil when none can have.
	Beside func(name string) (io.ReadCloser, error)
}

// Section reads the whole source from its start.
func (s Source) Section() *io.SectionReader { return io.NewSectionReader(s.R, 0, s.Size) }

// Model is what a reader made of a file: the mesh, welded by exactly equal
// position, in the file's own unit, and what came beside it.
type Model struct {
	Format Format
	Mesh   *mesh.Mesh
	Unit   string // the unit the file declares, as unit names it; "" when it declares none
	Lost   []string
	Uneven int      // polygons that are not flat
	Hints  []string // free text that may tell the unit: header, comments, names
}

// LostList turns counts of what a reader did not carry over into a list for people.
func LostList(lost map[string]int) (list []string) {
	for what, n := range lost {
		list = append(list, fmt.Sprintf("%s: %d", what, n))
	}
	slices.Sort(list)
	return list
}

// Limits bound what reading a file may cost.
type Limits struct {
	Bytes      int64 // of the file
	Triangles  int64
	Expanded   int64 // bytes of a 3MF package once unpacked
	Ratio      int64 // expanded bytes for each packed one
	ZipEntries int
	XMLDepth   int
	Bodies     int
}

// DefaultLimits fit a machine with 24 GiB of memory.
func DefaultLimits() Limits {
	return Limits{
		Bytes:      4 << 30,
		Triangles:  60_000_000,
		Expanded:   16 << 30,
		Ratio:      1000,
		ZipEntries: 10_000,
		XMLDepth:   64,
		Bodies:     20_000,
	}
}

// Options are what every reader is given beside its source.
type Options struct {
	Limits   Limits
	Progress func(done float64) // share of the bytes read, 0..1; may be nil
}

// Report passes progress on when somebody listens.
func (o Options) Report(done float64) {
	if o.Progress != nil {
		o.Progress(min(done, 1))
	}
}

// Reader reads one format.
type Reader func(ctx context.Context, src Source, opt Options) (*Model, error)

// Error says what is wrong with a file, and where. Line counts from 1 and is 0
// in binary files; Offset is the byte, and -1 when a line (or nothing) tells the place.
type Error struct {
	Name   string
	Line   int
	Offset int64
	What   string // what was found
	Expect string // what was expected, or what to do
}

func (e *Error) Error() string {
	place := ""
	if e.Line > 0 {
		place = fmt.Sprintf(", line %d", e.Line)
	} else if e.Offset >= 0 {
		place = fmt.Sprintf(", byte %d", e.Offset)
	}
	text := fmt.Sprintf("%s%s: %s", e.Name, place, e.What)
	if e.Expect != "" {
		text += "; " + e.Expect
	}
	return text
}

// AtByte is an error at a byte of the source.
func (s Source) AtByte(offset int64, expect, format string, a ...any) *Error {
	return &Error{Name: s.Name, Offset: offset, What: fmt.Sprintf(format, a...), Expect: expect}
}

// AtLine is an error at a line of the source.
func (s Source) AtLine(line int, expect, format string, a ...any) *Error {
	return &Error{Name: s.Name, Line: line, Offset: -1, What: fmt.Sprintf(format, a...), Expect: expect}
}

// Whole is an error of the source as a whole.
func (s Source) Whole(expect, format string, a ...any) *Error {
	return &Error{Name: s.Name, Offset: -1, What: fmt.Sprintf(format, a...), Expect: expect}
}

// Printable cuts a piece of a file down to something that can stand in an error message.
func Printable(b []byte) string {
	if len(b) > 40 {
		return fmt.Sprintf("%q…", b[:40])
	}
	return fmt.Sprintf("%q", b)
}
