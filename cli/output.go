package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"veneer/core/format"
)

// output is a file being written with those that belong to it. All are written
// under other names and take their places together at the end, so that a
// stopped command leaves no half file.
type output struct {
	*os.File
	path    string
	names   []string // of those that belong to it, in order
	members []*os.File
}

// Create begins a file that belongs to the output, such as a material library.
func (o *output) Create(name string) (io.WriteCloser, error) {
	for i, n := range o.names {
		if n == name { // written again
			_, err := o.members[i].Seek(0, io.SeekStart)
			return keptOpen{o.members[i]}, errors.Join(err, o.members[i].Truncate(0))
		}
	}
	f, err := partial(filepath.Join(filepath.Dir(o.path), name))
	if err != nil {
		return nil, err
	}
	o.names, o.members = append(o.names, name), append(o.members, f)
	return keptOpen{f}, nil
}

// keptOpen is a file that is closed when the whole output is.
type keptOpen struct{ io.Writer }

func (keptOpen) Close() error { return nil }

// Open reads a file that belongs to the output, back from its start.
func (o *output) Open(name string) (io.ReadCloser, error) {
	for i, n := range o.names {
		if n == name {
			info, err := o.members[i].Stat()
			if err != nil {
				return nil, err
			}
			return io.NopCloser(io.NewSectionReader(o.members[i], 0, info.Size())), nil
		}
	}
	return nil, os.ErrNotExist
}

func partial(path string) (*os.File, error) {
	return os.CreateTemp(filepath.Dir(path), ".veneer-*"+filepath.Ext(path))
}

// whole has a file written and puts it, and what belongs to it, into place when
// all is written. A texture never replaces another picture of its name.
func whole(path string, write func(*output) error) (err error) {
	f, err := partial(path)
	if err != nil {
		return err
	}
	o := &output{File: f, path: path}
	defer func() {
		for _, f := range append(o.members, o.File) {
			f.Close()
			os.Remove(f.Name()) // what was renamed is no longer there
		}
	}()
	if err := write(o); err != nil {
		return err
	}
	for i, name := range o.names {
		if name == format.Library(path) {
			continue
		}
		if err := unlike(filepath.Join(filepath.Dir(path), name), o.members[i].Name()); err != nil {
			return err
		}
	}
	for i, name := range o.names {
		if err := place(o.members[i], filepath.Join(filepath.Dir(path), name)); err != nil {
			return err
		}
	}
	return place(f, path)
}

func place(f *os.File, path string) error {
	if err := errors.Join(f.Chmod(0o644), f.Sync()); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}

// unlike fails when there is a file of that path already with other content.
func unlike(path, content string) error {
	there, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	mine, also := os.ReadFile(content)
	if err := errors.Join(err, also); err != nil {
		return err
	}
	if !bytes.Equal(there, mine) {
		return fmt.Errorf("%s is there already and is another picture; write to a folder of its own", path)
	}
	return nil
}

// notItself fails when a command would write over the file that it reads.
func notItself(in, out string) error {
	a, err := os.Stat(in)
	if err != nil {
		return err
	}
	if b, err := os.Stat(out); err == nil && os.SameFile(a, b) {
		return fmt.Errorf("%s is the file to read; files are never written over, so name another to write", out)
	}
	return nil
}
