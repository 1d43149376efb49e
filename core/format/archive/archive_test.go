package archive

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/formattest"
)

func packed(names ...string) string {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, n := range names {
		w, _ := z.CreateHeader(&zip.FileHeader{Name: n, Method: zip.Store})
		io.WriteString(w, "content of "+n)
	}
	z.Close()
	return b.String()
}

func walk(t *testing.T, content string) (names []string, err error) {
	t.Helper()
	err = Walk(formattest.Source("parts.zip", content), formattest.Limits(), func(name string, r io.Reader) error {
		names = append(names, name)
		b, err := io.ReadAll(r)
		if err == nil && len(b) < 1000 {
			assert.Equal(t, "content of "+name, string(b))
		}
		return err
	})
	return names, err
}

func TestMeshFilesAreTakenOut(t *testing.T) {
	names, err := walk(t, packed("readme.txt", "a.stl", "deep/B.OBJ", "deep/b.mtl", "__MACOSX/a.stl", ".hidden.stl", "photo.jpg", "folder/", "c.3mf"))
	require.NoError(t, err)
	assert.Equal(t, []string{"a.stl", "deep/B.OBJ", "deep/b.mtl", "photo.jpg", "c.3mf"}, names)
}

func TestOnlyArchivesAreArchives(t *testing.T) {
	assert.True(t, Is(formattest.Source("a.zip", packed("a.stl"))))
	assert.False(t, Is(formattest.Source("a.3mf", packed("_rels/.rels", "3D/m.model"))))
	assert.False(t, Is(formattest.Source("a.stl", "solid x")))
	assert.False(t, Is(formattest.Source("a", "")))
	assert.False(t, Is(formattest.Source("a.3mf", "PK\x03\x04 broken")))
}

func TestHostileArchives(t *testing.T) {
	var bomb bytes.Buffer
	z := zip.NewWriter(&bomb)
	w, _ := z.Create("a.stl")
	io.Copy(w, io.LimitReader(zeros{}, 30<<20))
	z.Close()
	damaged := packed("a.stl")
	damaged = strings.Replace(damaged, "content", "cOntent", 1)
	many := make([]string, 60)
	for i := range many {
		many[i] = strings.Repeat("x", i+1) + ".stl"
	}
	for problem, content := range map[string]string{
		"unpacks to more than allowed": bomb.String(),
		"holds no mesh file":           packed("readme.txt", "b.mtl"),
		"60 entries, over the limit":   packed(many...),
		"cannot be read":               "PK\x03\x04",
	} {
		_, err := walk(t, content)
		assert.ErrorContains(t, err, problem)
		assert.ErrorContains(t, err, "parts.zip")
	}
	_, err := walk(t, damaged)
	assert.Error(t, err)
	stop := errors.New("stop")
	err = Walk(formattest.Source("a.zip", packed("a.stl")), formattest.Limits(), func(string, io.Reader) error { return stop })
	assert.ErrorIs(t, err, stop, "a visitor's error is its own")
}

type zeros struct{}

func (zeros) Read(b []byte) (int, error) { clear(b); return len(b), nil }
