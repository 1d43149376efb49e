package touchup

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Order is one step that a person asks for: the name of a step of the table, or
// of those by hand with what it works on.
type Order struct {
	Name  string
	Title string
	Run   func(context.Context, *Work) (Change, error)
}

// ByHand tells what a person may order, as NAME=VALUE, beside the steps of the table.
const ByHand = "weld=MM, drop-shell=NUMBER, turn-shell=NUMBER, fill-hole=X,Y,Z, remove-triangles=NUMBER,NUMBER…"

// ParseOrder reads an order such as "drop-shell=2": shells count from 1 as the
// check lists them, triangles from 0 as places name them, points and lengths are
// in mm.
func ParseOrder(text string) (Order, error) {
	name, value, _ := strings.Cut(text, "=")
	if value == "" {
		for _, s := range Steps() {
			if s.Name == name {
				return Order{s.Name, s.Title, s.Run}, nil
			}
		}
	}
	numbers, err := Numbers(value)
	if err != nil {
		return Order{}, unknownOrder(text)
	}
	whole := func(i int) int32 { return int32(max(-1, min(numbers[i], math.MaxInt32))) }
	one := len(numbers) == 1
	switch {
	case name == "weld" && one && numbers[0] > 0:
		return Order{name, "Weld open edges", func(_ context.Context, w *Work) (Change, error) { return joinWithin(w, numbers[0]), nil }}, nil
	case name == "drop-shell" && one:
		return Order{name, "Drop a shell", func(_ context.Context, w *Work) (Change, error) { return w.dropShell(whole(0)) }}, nil
	case name == "turn-shell" && one:
		return Order{name, "Turn a shell", func(_ context.Context, w *Work) (Change, error) { return w.turnShell(whole(0)) }}, nil
	case name == "fill-hole" && len(numbers) == 3:
		at := geom.Vec{X: numbers[0], Y: numbers[1], Z: numbers[2]}
		return Order{name, "Fill a hole", func(ctx context.Context, w *Work) (Change, error) { return w.fillNear(ctx, at) }}, nil
	case name == "remove-triangles":
		list := make([]int32, len(numbers))
		for i := range numbers {
			list[i] = whole(i)
		}
		return Order{name, "Remove triangles", func(_ context.Context, w *Work) (Change, error) { return w.removeTriangles(list) }}, nil
	}
	return Order{}, unknownOrder(text)
}

// Numbers reads numbers with commas between them.
func Numbers(value string) ([]float64, error) {
	var numbers []float64
	for _, word := range strings.Split(value, ",") {
		x, err := strconv.ParseFloat(strings.TrimSpace(word), 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return nil, fmt.Errorf("%q is not a number", word)
		}
		numbers = append(numbers, x)
	}
	return numbers, nil
}

func unknownOrder(text string) error {
	var names []string
	for _, s := range Steps() {
		names = append(names, s.Name)
	}
	return fmt.Errorf("no step is called %q; there are %s by themselves, and %s", text, strings.Join(names, ", "), ByHand)
}

// Shell finds the triangles of a shell, counted from 1.
func (w *Work) Shell(number int32) (of []int32, at int32, err error) {
	_, shells := w.topology()
	if number < 1 || int(number) > len(shells.List) {
		return nil, 0, fmt.Errorf("there is no shell %d; there are %d", number, len(shells.List))
	}
	return shells.Of, number - 1, nil
}

func (w *Work) dropShell(number int32) (Change, error) {
	of, at, err := w.Shell(number)
	if err != nil {
		return Change{}, err
	}
	before := len(w.Mesh.Triangles)
	w.Mesh.Keep(func(t int32) bool { return of[t] != at })
	return Change{Count: 1, Detail: fmt.Sprintf("shell %d dropped, %s", number, counted(before-len(w.Mesh.Triangles), "triangle"))}, nil
}

func (w *Work) turnShell(number int32) (Change, error) {
	of, at, err := w.Shell(number)
	if err != nil {
		return Change{}, err
	}
	for t := range w.Mesh.Triangles {
		if of[t] == at {
			w.Mesh.Turn(int32(t))
		}
	}
	return Change{Count: 1, Detail: fmt.Sprintf("shell %d turned", number)}, nil
}

// fillNear fills the hole whose rim comes nearest to a point.
func (w *Work) fillNear(ctx context.Context, at geom.Vec) (Change, error) {
	topo, shells := w.topology()
	f := newFiller(w.Mesh, topo, shells)
	var best mesh.Loop
	nearest := math.Inf(1)
	for _, loop := range topo.Loops() {
		for _, h := range loop.Halves {
			if d := w.Mesh.Positions[topo.From(h)].Distance(at); d < nearest {
				nearest, best = d, loop
			}
		}
	}
	if best.Halves == nil {
		return Change{}, fmt.Errorf("there is no hole")
	}
	f.gather(best)
	return f.closeAll(ctx)
}

func (w *Work) removeTriangles(list []int32) (Change, error) {
	slices.Sort(list)
	list = slices.Compact(list)
	if n := len(list); n == 0 || list[0] < 0 || int(list[n-1]) >= len(w.Mesh.Triangles) {
		return Change{}, fmt.Errorf("triangles are numbered from 0 to %d", len(w.Mesh.Triangles)-1)
	}
	drop(w.Mesh, list)
	return Change{Count: len(list), Detail: counted(len(list), "triangle") + " removed"}, nil
}
