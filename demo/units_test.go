package demo_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/format/file"
	"veneer/core/geom"
	"veneer/core/pipeline"
	"veneer/core/process"
	"veneer/core/unit"
	"veneer/demo"
)

// sized is a part of the demo set with its true size.
type sized struct {
	mm      geom.Vec
	process process.Process
}

func sizedParts(t *testing.T) (parts []sized) {
	for _, b := range demo.Batches() {
		p, err := process.Named(b.Process)
		require.NoError(t, err)
		for _, f := range b.Files {
			set := pipeline.Settings{Process: p, Limits: file.DefaultLimits()}
			if f.Findings["unit"] > 0 {
				set.Unit = "in"
			}
			content := f.Bytes()
			c, err := pipeline.Check(t.Context(), file.Source{Name: f.Name, R: bytes.NewReader(content), Size: int64(len(content))}, set)
			require.NoError(t, err)
			if s := c.Report.Geometry.SizeMM; c.Mesh != nil && f.Findings["oversize"] == 0 {
				parts = append(parts, sized{geom.Vec{X: s[0], Y: s[1], Z: s[2]}, p})
			}
		}
	}
	return parts
}

// clues are what a file of the part would tell if it were written in that unit.
func (s sized) clues(t *testing.T, name string, expect bool) unit.Clues {
	mm, err := unit.Millimetres(name)
	require.NoError(t, err)
	c := unit.Clues{}
	for i, x := range s.mm.Scale(1 / mm).Array() {
		c.Size[i] = float64(float32(x))
	}
	if expect {
		c.ExpectMM = s.mm.Array()
	}
	return c
}

// tally counts how estimates turn out, by how sure they were.
type tally struct {
	n, right, sureWrong int
	bands               [5]struct {
		n, right int
		sum      float64
	}
}

func (t *tally) add(e unit.Estimate, truth string) {
	t.n++
	band := &t.bands[min(int(e.Confidence*5), 4)]
	band.n++
	band.sum += e.Confidence
	if e.Chosen == truth {
		t.right++
		band.right++
	} else if e.Confidence > unit.Sure {
		t.sureWrong++
	}
}

func (t *tally) percent(n int) float64 { return 100 * float64(n) / float64(max(t.n, 1)) }

// TestUnitsAreCalibrated settles the unit of every demo part written in every
// unit, alone and among sisters, with the customer's size and without. With
// VENEER_UNITS it writes the table of docs/units.md.
func TestUnitsAreCalibrated(t *testing.T) {
	parts := sizedParts(t)
	r := rand.New(rand.NewPCG(1, 1))
	var alone, known, stated, five, fiveStated tally
	for _, name := range unit.Names() {
		for _, p := range parts {
			alone.add(unit.Infer(p.clues(t, name, false), p.process), name)
			earlier := p.clues(t, name, false)
			earlier.Earlier = map[string]int{name: 10}
			known.add(unit.Infer(earlier, p.process), name)
			stated.add(unit.Infer(p.clues(t, name, true), p.process), name)
		}
		for range 200 {
			var some, told []unit.Clues
			pick := r.Perm(len(parts))[:5]
			for _, i := range pick {
				some = append(some, parts[i].clues(t, name, false))
				told = append(told, parts[i].clues(t, name, true))
			}
			for _, e := range unit.Together(some, parts[pick[0]].process) {
				five.add(e, name)
			}
			for _, e := range unit.Together(told, parts[pick[0]].process) {
				fiveStated.add(e, name)
			}
		}
	}
	var table strings.Builder
	fmt.Fprintf(&table, "| files | estimates | right | sure (over %.0f %%) but wrong |\n|---|--:|--:|--:|\n", 100*unit.Sure)
	rows := []struct {
		name string
		t    *tally
	}{{"alone", &alone}, {"alone, after ten files of the customer in that unit", &known}, {"alone, size stated", &stated}, {"batches of five", &five}, {"batches of five, size stated", &fiveStated}}
	for _, row := range rows {
		fmt.Fprintf(&table, "| %s | %d | %.1f %% | %.2f %% |\n", row.name, row.t.n, row.t.percent(row.t.right), row.t.percent(row.t.sureWrong))
	}
	fmt.Fprintf(&table, "\n| alone, believed to | files | believed on average | right |\n|---|--:|--:|--:|\n")
	for i, b := range alone.bands {
		if b.n > 0 {
			fmt.Fprintf(&table, "| %d–%d %% | %d | %.0f %% | %.0f %% |\n", 20*i, 20*i+20, b.n, 100*b.sum/float64(b.n), 100*float64(b.right)/float64(b.n))
		}
	}
	t.Log("\n" + table.String())
	if path := os.Getenv("VENEER_UNITS"); path != "" {
		require.NoError(t, os.WriteFile(path, []byte(table.String()), 0o644))
	}
	assert.GreaterOrEqual(t, alone.percent(alone.right), 95.0)
	assert.GreaterOrEqual(t, stated.percent(stated.right), 99.5)
	assert.GreaterOrEqual(t, five.percent(five.right), 99.5)
	for _, row := range rows {
		assert.LessOrEqual(t, row.t.percent(row.t.sureWrong), 0.5, row.name)
	}
}
