package judge

import (
	"math"
	"math/big"

	"oskel/core/amount"
	"oskel/core/measure"
	"oskel/core/stats"
)

// judgeOutlier flags by the robust score 0.6745 (x - median) / MAD, strictly
// beyond the cut. Median and MAD are over the group, own value included;
// peers counted are the others. A group without spread (MAD = 0) is not
// judged.
func judgeOutlier(e *measure.Engine, r *Result) {
	o := r.Rule.Outlier
	column := r.prepare(e, e.Column(o.Of, r.slot))
	cut := e.Book.Value(o.Beyond)
	r.groups = groups(e, r)
	for _, group := range r.groups {
		if len(group)-1 < o.Peers {
			for _, code := range group {
				r.set(code, Verdict{Outcome: NotJudged, Why: FewPeers})
			}
			continue
		}
		g := &peerGroup{near: column.Near(group, r.exactly(e))}
		median, mad := stats.MedianMAD(g.near.Values)
		noSpread := mad == 0
		if mad <= 4*g.near.Error {
			_, exact := g.exactly()
			noSpread = exact.Sign() == 0
		}
		for i, code := range group {
			if noSpread {
				r.set(code, Verdict{Outcome: NotJudged, Why: NoSpread})
				continue
			}
			r.held[code] = g.near.Values[i]
			if g.beyond(i, g.near.Values[i]-median, mad, cut, o.Side) {
				r.set(code, Verdict{Outcome: Breach, Grade: o.Grade})
			}
		}
	}
}

// exactly answers for the exact values that an outlier rule compares.
func (r *Result) exactly(e *measure.Engine) func(code int) *big.Rat {
	return func(code int) *big.Rat {
		v, _ := e.Exact(r.Rule.Outlier.Of, uint32(code), r.slot)
		return v
	}
}

// groups are the subjects still open, by the attribute they are compared
// within; those without one form no group and are not judged.
func groups(e *measure.Engine, r *Result) [][]int {
	o := r.Rule.Outlier
	if o.Among == "" {
		var all []int
		for code, v := range r.marks {
			if v.outcome == Clear {
				all = append(all, code)
			}
		}
		return [][]int{all}
	}
	attribute := e.Snapshot.Registers[r.Level.Kind].Attributes[o.Among]
	if attribute == nil {
		for code, v := range r.marks {
			if v.outcome == Clear {
				r.set(code, Verdict{Outcome: NotJudged, Why: FewPeers})
			}
		}
		return nil
	}
	codes := attribute.At(r.slot.Last)
	out := make([][]int, len(attribute.Values))
	for code, v := range r.marks {
		if v.outcome != Clear {
			continue
		}
		if codes[code] == 0 {
			r.set(code, Verdict{Outcome: NotJudged, Why: FewPeers})
			continue
		}
		out[codes[code]] = append(out[codes[code]], code)
	}
	return out
}

// peerGroup is one group; its exact figures are computed when first needed.
type peerGroup struct {
	near        stats.Near
	median, mad *big.Rat
}

func (g *peerGroup) exactly() (median, mad *big.Rat) {
	if g.median == nil {
		g.median, g.mad = g.near.MedianMAD()
	}
	return g.median, g.mad
}

// beyond decides 0.6745 |x - median| > cut * MAD on the sides asked for. The
// floating-point figures decide unless the two sides are nearer than their
// errors: the median is off by at most that of the values, deviation and MAD by
// twice that.
func (g *peerGroup) beyond(i int, deviation, mad float64, cut amount.Amount, side string) bool {
	left, right := stats.RobustFactor*math.Abs(deviation), cut.Float()*mad
	doubt := (2+2*cut.Float())*g.near.Error + (left+right)*0x1p-50
	if left < right-doubt {
		return false // whichever side of the median it is on
	}
	sign, beyond := 1, true
	if deviation < 0 {
		sign = -1
	}
	if left <= right+doubt || math.Abs(deviation) <= 2*g.near.Error {
		median, exactMAD := g.exactly()
		d := new(big.Rat).Sub(g.near.Exact(i), median)
		sign = d.Sign()
		l := new(big.Rat).Mul(stats.RobustFactorRat, d.Abs(d))
		beyond = l.Cmp(new(big.Rat).Mul(cut.Rat(), exactMAD)) > 0
	}
	return beyond && (side == "both" || side == "high" && sign > 0 || side == "low" && sign < 0)
}
