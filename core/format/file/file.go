// Package file holds the nouns that the mesh file formats share: where bytes
// come from, what a reader makes of them, what it may spend, and how it says
// that something is wrong. The formats below core/format know these nouns and
// nothing of one another.
package file

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"unicode"

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
	// Beside opens a file that came along with this one, such as a material
	// library, by the path that this one names it by (with slashes, relative);
	// it decides what may be opened. It is nil when none can have come.
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

	// Short says how a file that is cut short shows it, "" for a whole one. The
	// mesh holds the triangles that are whole.
	Short string
	// Against are the triangles whose stored normal points more than a right
	// angle away from the one that their corners give. STL stores normals.
	Against  []int32
	Mirrored int // objects that are placed as mirror images
}

// BaseName is the last element of a path that a file holds, whichever system
// wrote it.
func BaseName(name string) string {
	return path.Base(strings.ReplaceAll(name, `\`, "/"))
}

// ReadTexture reads a picture that came with a file, beside those that it has
// already. The error says in a few words why it cannot be used.
func ReadTexture(r io.Reader, limits Limits, others []mesh.Texture) ([]byte, error) {
	left := limits.Textures
	for _, t := range others {
		left -= int64(len(t.Data))
	}
	data, err := io.ReadAll(io.LimitReader(r, left+1))
	switch {
	case err != nil:
		return nil, errors.New("cannot be read")
	case int64(len(data)) > left:
		return nil, fmt.Errorf("goes over the %d bytes that textures may have", limits.Textures)
	case TextureKind(data) == "":
		return nil, errors.New("is neither PNG nor JPEG")
	}
	return data, nil
}

// TextureKind is "png", "jpeg", or "" for what is neither.
func TextureKind(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		return "png"
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		return "jpeg"
	}
	return ""
}

// TextureNames are file names to write textures under, unlike one another
// whatever the case, of plain letters, with the ending of their kind.
func TextureNames(textures []mesh.Texture) []string {
	taken := map[string]bool{}
	names := make([]string, len(textures))
	for i, t := range textures {
		stem := strings.Map(func(r rune) rune {
			if r < 0x80 && (unicode.IsLetter(r) || unicode.IsDigit(r)) || r == '-' || r == '_' {
				return r
			}
			return -1
		}, strings.TrimSuffix(t.Name, path.Ext(t.Name)))
		if stem == "" || taken[strings.ToLower(stem)] {
			stem = fmt.Sprintf("texture-%d", i+1)
		}
		taken[strings.ToLower(stem)] = true
		names[i] = stem + "." + strings.Replace(TextureKind(t.Data), "jpeg", "jpg", 1)
	}
	return names
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
	XMLDepth   int // of a 3MF's model
	Bodies     int
	Textures   int64 // bytes of all textures of a part
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
		Textures:   256 << 20,
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
