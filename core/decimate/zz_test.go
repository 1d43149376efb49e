package decimate

import (
	"os"
	"testing"
	"time"

	"veneer/core/format"
	"veneer/core/format/file"
)

func TestZZ(t *testing.T) {
	f, _ := os.Open(os.Getenv("ZZ"))
	st, _ := f.Stat()
	model, err := format.Read(t.Context(), file.Source{Name: "x.3mf", R: f, Size: st.Size()}, file.Options{Limits: file.DefaultLimits()})
	if err != nil {
		t.Fatal(err)
	}
	model.Mesh.Round()
	t0 := time.Now()
	r, err := Levels(t.Context(), model.Mesh, []Settings{{ToleranceMM: 0.005}, {ToleranceMM: 0.025}, {ToleranceMM: 0.075}}, nil)
	t.Log(time.Since(t0), err)
	for _, x := range r {
		t.Log(len(x.Mesh.Triangles), x.WithinMM)
	}
}
