package workbench

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"veneer/core/check"
	"veneer/core/mesh"
	"veneer/core/picture"
	"veneer/core/pipeline"
	"veneer/core/repair"
)

// mostPreviewed is how many triangles a part has at most for its questions'
// outcomes to be drawn: more would take longer than the check.
const mostPreviewed = 300_000

// outcomeFile names the picture of a question's outcome in a task's folder.
func outcomeFile(question, answer int) string {
	return fmt.Sprintf("outcome-%d-%d.png", question, answer)
}

// drawOutcomes leaves a picture of what each answer to each open question would
// make of the part.
func (t Task) drawOutcomes(ctx context.Context, c *pipeline.Checked) error {
	if len(c.Mesh.Triangles) > mostPreviewed || c.Report.Unit.Doubtful {
		return nil
	}
	for i, q := range c.Report.Questions {
		for k, choice := range q.Choices {
			m, err := repair.Preview(ctx, c.Mesh, c.Report, t.Process, q.ID, choice.Answer)
			if err != nil {
				return err
			}
			opt := picture.DefaultOptions(c.Mesh)
			opt.Width, opt.Height = 240, 180
			if q.ID == check.NestedShell || q.ID == check.MembraneQuestion {
				m = cutOpen(m)
			}
			f, err := os.Create(filepath.Join(t.Dir, outcomeFile(i, k)))
			if err != nil {
				return err
			}
			if err := errors.Join(picture.WritePNG(f, m, opt), f.Close()); err != nil {
				return err
			}
		}
	}
	return nil
}

// cutOpen takes the front half of a mesh away, so that a picture shows its inside.
func cutOpen(m *mesh.Mesh) *mesh.Mesh {
	m = m.Clone()
	middle := m.Bounds().Centre().Y
	m.Keep(func(t int32) bool {
		a, b, c := m.Corners(t)
		return a.Y+b.Y+c.Y >= 3*middle
	})
	return m
}
