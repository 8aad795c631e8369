package stats

import (
	"math"
	"math/big"
	"sync"
)

// ln2 is the natural logarithm of 2, computed once.
var ln2 = sync.OnceValue(func() *big.Float { return twiceArtanh(Wide{}.Quo(Wide{}.Int(1), Wide{}.Int(3))) })

// twiceArtanh is 2 artanh(y), the sum of 2 y^k / k over odd k, of |y| <= 1/3.
func twiceArtanh(y *big.Float) *big.Float {
	w := Wide{}
	sum, power, square := wide(), w.Mul(y, w.Int(2)), w.Mul(y, y)
	for k := 1; power.Sign() != 0 && power.MantExp(nil) > -wideDigits-8; k += 2 {
		sum = wide().Add(sum, w.Quo(power, w.Int(k)))
		power = w.Mul(power, square)
	}
	return sum
}

// Ln is the natural logarithm of a number above zero.
func (w Wide) Ln(x *big.Float) *big.Float {
	m := wide()
	e := x.MantExp(m) // m is from 1/2 to 1
	y := w.Quo(wide().Sub(m, w.Int(1)), wide().Add(m, w.Int(1)))
	return wide().Add(twiceArtanh(y), w.Mul(ln2(), w.Int(e)))
}

// Log is the natural logarithms of values that are all above zero.
func (n Near) Log() Near {
	out := Near{logs: true, Values: make([]float64, len(n.Values)), Exact: func(i int) *big.Rat {
		r, _ := Wide{}.Ln(Wide{}.Number(n.Exact(i))).Rat(nil)
		return r
	}}
	for i, v := range n.Values {
		out.Values[i] = math.Log(v)
		bound := math.Inf(1)
		if v > n.Error {
			bound = n.Error/(v-n.Error) + math.Abs(out.Values[i])*0x1p-51
		}
		out.Error = max(out.Error, bound)
	}
	return out
}
