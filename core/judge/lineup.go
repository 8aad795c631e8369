package judge

import (
	"math"
	"sort"
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

// LineUp orders the judged subjects. For a method that compares within groups
// only the group of the subject asked for is shown, since only it has those
// cuts; code -1 then shows all, without cuts.
func (r *Result) LineUp(code int) LineUp {
	var up LineUp
	if r.found == nil {
		return up
	}
	same := r.found.Beside(code)
	for c := range uint32(r.Len()) {
		if held := r.Held(c); !math.IsNaN(held) && (same == nil || same(int(c))) {
			up.Points = append(up.Points, Point{c, held, r.Verdict(c).Grade})
		}
	}
	sort.SliceStable(up.Points, func(i, j int) bool { return up.Points[i].Held < up.Points[j].Held })
	up.Cuts = r.found.Cuts(code)
	return up
}
