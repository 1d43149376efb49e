package workbench

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"

	"veneer/bureau/record"
	"veneer/core/format/file"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/picture"
	"veneer/core/pipeline"
	"veneer/core/spatial"
)

// study works out what is asked about one revision, or two, and leaves files beside
// the result.
func (t Task) study(ctx context.Context, src file.Source, set pipeline.Settings) (json.RawMessage, error) {
	if len(t.Study.Reports) == 0 {
		return nil, errors.New("a study needs a report")
	}
	set.Progress("read", 0)
	first, err := pipeline.Read(ctx, src, t.Unit, t.Study.Reports[0], set)
	if err != nil {
		return nil, err
	}
	switch t.Study.Kind {
	case record.Levels:
		return t.levels(ctx, first, set)
	case record.Compare:
		return t.compare(ctx, first, set)
	}
	return nil, fmt.Errorf("no study is called %q", t.Study.Kind)
}

// levels makes the levels for the process, and draws each.
func (t Task) levels(ctx context.Context, c *pipeline.Checked, set pipeline.Settings) (json.RawMessage, error) {
	list, err := pipeline.Suggest(ctx, c, t.Process, set)
	if err != nil {
		return nil, err
	}
	for _, l := range list {
		opt := picture.DefaultOptions(l.Mesh)
		opt.Width, opt.Height = 320, 240
		if err := t.write("level-"+l.Name+".png", func(w *bufio.Writer) error { return picture.WritePNG(w, l.Mesh, opt) }); err != nil {
			return nil, err
		}
	}
	return json.Marshal(list)
}

// compare measures what differs between two revisions, and how far each vertex of
// the one is from the other's surface.
func (t Task) compare(ctx context.Context, a *pipeline.Checked, set pipeline.Settings) (json.RawMessage, error) {
	f, err := os.Open(t.Study.File)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if len(t.Study.Reports) != 2 {
		return nil, errors.New("a comparison needs two reports")
	}
	b, err := pipeline.Read(ctx, file.Source{Name: t.Study.Name, R: f, Size: info.Size()}, t.Study.Unit, t.Study.Reports[1], set)
	if err != nil {
		return nil, err
	}
	set.Progress("measure", 0.2)
	found, err := pipeline.Compare(ctx, a, b)
	if err != nil {
		return nil, err
	}
	set.Progress("map the deviation", 0.6)
	trees := [2]*spatial.Tree{}
	for i, m := range []*mesh.Mesh{a.Mesh, b.Mesh} {
		trees[i] = spatial.New(m, func(t int32) bool { return !m.RepeatsVertex(t) })
	}
	for i, m := range []*mesh.Mesh{a.Mesh, b.Mesh} {
		far, err := measure.Distances(ctx, m.Positions, trees[1-i])
		if err != nil {
			return nil, err
		}
		name := [2]string{"deviation-a.bin", "deviation-b.bin"}[i]
		if err := t.write(name, func(w *bufio.Writer) error {
			for _, d := range far {
				w.Write(binary.LittleEndian.AppendUint32(w.AvailableBuffer(), math.Float32bits(float32(d))))
			}
			return nil
		}); err != nil {
			return nil, err
		}
	}
	return json.Marshal(found)
}

// write leaves a file in the task's folder.
func (t Task) write(name string, do func(*bufio.Writer) error) error {
	f, err := os.Create(filepath.Join(t.Dir, name))
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<17)
	return errors.Join(do(w), w.Flush(), f.Close())
}
