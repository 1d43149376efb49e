package core_test

import (
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestImportsRunDownward holds the house to its plan: who may import whom.
func TestImportsRunDownward(t *testing.T) {
	// Go keeps a test's result while what it opened stays the same, and does not see
	// what go list opens.
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && (d.Name() == "node_modules" || len(d.Name()) > 2 && d.Name()[0] == '.') {
			return fs.SkipDir
		}
		if err == nil && strings.HasSuffix(path, ".go") {
			_, err = os.Stat(path)
		}
		return err
	}))
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "veneer/...").Output()
	require.NoError(t, err)
	floors := map[string]int{"core": 0, "demo": 1, "bureau": 1, "console": 1, "api": 2, "client": 3, "cli": 4, "cmd": 5, "e2e": 6}
	core := map[string]int{"geom": 0, "mesh": 1, "spatial": 2} // everything else is above these
	allowed := []string{"gonum.org/v1/", "golang.org/x/"}
	decoder := json.NewDecoder(strings.NewReader(string(out)))
	packages := 0
	for decoder.More() {
		var p struct {
			ImportPath string
			Imports    []string
		}
		require.NoError(t, decoder.Decode(&p))
		packages++
		from := strings.Split(strings.TrimPrefix(p.ImportPath, "veneer/"), "/")
		helper := strings.HasSuffix(p.ImportPath, "test") // of tests, beside the package that it serves
		for _, imported := range p.Imports {
			rest, ours := strings.CutPrefix(imported, "veneer/")
			if !ours {
				if outside := strings.Contains(strings.Split(imported, "/")[0], "."); outside && from[0] == "core" && !helper {
					assert.True(t, strings.HasPrefix(imported, allowed[0]) || strings.HasPrefix(imported, allowed[1]), "%s imports %s", p.ImportPath, imported)
				}
				continue
			}
			to := strings.Split(rest, "/")
			if from[0] != to[0] {
				assert.Greater(t, floors[from[0]], floors[to[0]], "%s imports %s", p.ImportPath, imported)
				continue
			}
			if from[0] != "core" || len(from) < 2 || len(to) < 2 {
				continue
			}
			low, basic := core[from[1]]
			if target, known := core[to[1]]; basic {
				assert.True(t, known && (target < low || helper && target == low), "%s imports %s", p.ImportPath, imported)
			}
			if to[1] == "format" {
				assert.Contains(t, []string{"format", "pipeline"}, from[1], "%s imports %s", p.ImportPath, imported)
			}
		}
	}
	assert.Greater(t, packages, 15)
}
