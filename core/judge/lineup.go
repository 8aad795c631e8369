package judge

import (
	"math"
	"sort"

	"oskel/core/measure"
	"oskel/core/stats"
)

// LineUp is every judged subject of a result in order of what was held
// against the cuts, the lowest first.
type LineUp struct {
	Points []Point
	Cuts   []float64 // where verdicts change
}

// Point is one subject of a line-up.
type Point struct {
	Code  uint32
	Held  float64
	Grade string // "" is clear
}

// LineUp orders the judged subjects. For an outlier rule within groups only
// the group of the subject asked for is shown, since only it has those cuts;
// code -1 then shows all, without cuts.
func (r *Result) LineUp(e *measure.Engine, code int) LineUp {
	var up LineUp
	same := func(int) bool { return true }
	if o := r.Rule.Outlier; o != nil && o.Among != "" && code >= 0 {
		register := e.Snapshot.Registers[r.Level.Kind]
		own := register.Value(o.Among, uint32(code), r.slot.Last)
		same = func(other int) bool { return register.Value(o.Among, uint32(other), r.slot.Last) == own }
	}
	for c, held := range r.held {
		if !math.IsNaN(held) && same(c) {
			up.Points = append(up.Points, Point{uint32(c), held, r.words[r.marks[c].grade]})
		}
	}
	sort.SliceStable(up.Points, func(i, j int) bool { return up.Points[i].Held < up.Points[j].Held })
	up.Cuts = r.cuts(e, up.Points, code)
	return up
}

func (r *Result) cuts(e *measure.Engine, points []Point, code int) []float64 {
	switch {
	case r.Rule.Window != nil:
		return []float64{float64(r.Rule.Window.Days)}
	case r.Rule.Threshold != nil && r.Rule.Threshold.Choices != nil:
		return nil
	case r.Rule.Threshold != nil:
		intervals, _ := e.Book.Partition(r.Rule.Threshold.Bands)
		var out []float64
		for _, in := range intervals[1:] {
			out = append(out, in.Low.At.Float())
		}
		return out
	}
	o := r.Rule.Outlier
	if len(points) == 0 || o.Among != "" && code < 0 {
		return nil
	}
	xs := make([]float64, len(points))
	for i, p := range points {
		xs[i] = p.Held
	}
	median, mad := stats.MedianMAD(xs)
	far := e.Book.Value(o.Beyond).Float() * mad / stats.RobustFactor
	var out []float64
	if o.Side != "high" {
		out = append(out, median-far)
	}
	if o.Side != "low" {
		out = append(out, median+far)
	}
	return out
}
