// Package threemf reads 3MF packages: a zip archive whose model file holds
// objects in a unit, and build items that place them.
//
// The reader follows the package's own relationships to the model, expands
// components and transforms into one mesh with a body for each build item, and
// refuses, by name, extensions that the file says cannot be ignored.
package threemf

import (
	"archive/zip"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"path"
	"strings"

	"veneer/core/format/file"
)

const relationToModel = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"

// Read reads a 3MF package.
func Read(ctx context.Context, src file.Source, opt file.Options) (*file.Model, error) {
	archive, err := zip.NewReader(src.R, src.Size)
	if err != nil {
		return nil, src.Whole("a 3MF is a zip archive that holds a model; ask for the file again", "this is no zip archive that can be read (%v)", err)
	}
	if len(archive.File) > opt.Limits.ZipEntries {
		return nil, src.Whole("raise the entry limit to read it", "the package has %d entries, over the limit of %d", len(archive.File), opt.Limits.ZipEntries)
	}
	pkg := &pack{src: src, opt: opt, archive: archive}
	name, err := pkg.modelName()
	if err != nil {
		return nil, err
	}
	r := &reader{ctx: ctx, src: src, opt: opt, pack: pkg, objects: map[string]*object{}, lost: map[string]int{}, known: map[string]bool{}, paths: map[string]int32{}}
	if err := r.read(path.Clean("/" + name)); err != nil {
		return nil, err
	}
	return r.build()
}

// pack is the zip archive with its expansion watched.
type pack struct {
	src     file.Source
	opt     file.Options
	archive *zip.Reader
}

// open opens a part of the package by its name, which is never a path of ours.
func (p *pack) open(name string) (io.ReadCloser, int64, error) {
	name = strings.TrimPrefix(path.Clean("/"+name), "/")
	for _, f := range p.archive.File {
		if !strings.EqualFold(strings.TrimPrefix(f.Name, "/"), name) {
			continue
		}
		limit := min(p.opt.Limits.Expanded, int64(f.CompressedSize64)*p.opt.Limits.Ratio+1<<20)
		if f.UncompressedSize64 > uint64(limit) {
			return nil, 0, p.src.Whole("raise the expansion limit to read it", "%s would unpack to %d bytes from %d", name, f.UncompressedSize64, f.CompressedSize64)
		}
		r, err := f.Open()
		if err != nil {
			return nil, 0, p.src.Whole("ask for the file again", "%s in the package cannot be unpacked (%v)", name, err)
		}
		return &limited{r, limit, p.src, name}, int64(f.UncompressedSize64), nil
	}
	return nil, 0, p.src.Whole("ask for the file again", "the package names %s but does not hold it", name)
}

// limited fails when more is unpacked than allowed, whatever the archive claims.
type limited struct {
	io.ReadCloser
	left int64
	src  file.Source
	name string
}

func (l *limited) Read(b []byte) (int, error) {
	n, err := l.ReadCloser.Read(b)
	if l.left -= int64(n); l.left < 0 {
		return 0, l.src.Whole("raise the expansion limit to read it", "%s unpacks to more than allowed", l.name)
	}
	return n, err
}

// modelName asks the package's relationships for the model part.
func (p *pack) modelName() (string, error) {
	r, _, err := p.open("_rels/.rels")
	if err != nil {
		return "", err
	}
	defer r.Close()
	var rels struct {
		Relationship []struct {
			Type   string `xml:"Type,attr"`
			Target string `xml:"Target,attr"`
		}
	}
	if err := xml.NewDecoder(io.LimitReader(r, 1<<20)).Decode(&rels); err != nil {
		return "", p.src.Whole("ask for the file again", "_rels/.rels is no XML that can be read (%v)", err)
	}
	for _, rel := range rels.Relationship {
		if rel.Type == relationToModel {
			return rel.Target, nil
		}
	}
	return "", p.src.Whole("is this a 3MF file?", "the package has no relationship to a 3D model")
}

// Looks reports whether the head is that of a zip archive.
func Looks(head []byte) bool { return strings.HasPrefix(string(head), "PK\x03\x04") }

func asFileError(err error) bool {
	var e *file.Error
	return errors.As(err, &e)
}
