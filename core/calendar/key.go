package calendar

// Key is how a period is kept: by its grain, which is a unit's name or the kind
// of a window, and a day. Keys of one grain are in order of their periods. Those
// of months, quarters, halves and years count by the calendar's own numbers, so
// that a changed calendar leaves them what they were.
type Key struct {
	Grain string
	Start Day
}

// Grain is "month" and its like, or the kind of a window.
func (c Calendar) Grain(p Period) string {
	if p.Unit == Named {
		return c.Windows[p.Number].Kind
	}
	return p.Unit.String()
}

// Key is the key of a period.
func (c Calendar) Key(p Period) Key {
	k := Key{Grain: c.Grain(p)}
	if n := monthsOf(p.Unit); n > 0 {
		k.Start = Month(p.Number * n).First()
	} else {
		k.Start, _ = c.Whole(p)
	}
	return k
}

// ByKey is the period of a key; false where the calendar has no such window.
func (c Calendar) ByKey(k Key) (Period, bool) {
	unit, err := ParseUnit(k.Grain)
	if err != nil {
		for i, w := range c.Windows {
			if w.Kind == k.Grain && w.From == k.Start {
				return Period{Named, int32(i)}, true
			}
		}
		return Period{}, false
	}
	if n := monthsOf(unit); n > 0 {
		return Period{unit, floorDiv(int32(k.Start.Month()), n)}, true
	}
	return c.Of(unit, k.Start), true
}

// Last is the last period of a grain that ends on a day or before it; false
// where there is none.
func (c Calendar) Last(grain string, day Day) (Period, bool) {
	unit, err := ParseUnit(grain)
	if err != nil {
		found := Period{}
		for i, w := range c.Windows {
			if w.Kind == grain && w.To <= day && (found.Unit == 0 || w.To > c.Windows[found.Number].To) {
				found = Period{Named, int32(i)}
			}
		}
		return found, found.Unit != 0
	}
	p := c.Of(unit, day)
	if _, last := c.Whole(p); last > day {
		p.Number--
	}
	return p, true
}

// Holding is the period of a grain that a day lies in; of windows the last that
// has begun by then.
func (c Calendar) Holding(grain string, day Day) (Period, bool) {
	if unit, err := ParseUnit(grain); err == nil {
		return c.Of(unit, day), true
	}
	found := Period{}
	for i, w := range c.Windows {
		if w.Kind == grain && w.From <= day {
			found = Period{Named, int32(i)}
		}
	}
	return found, found.Unit != 0
}

// Within is the period of a grain that a period is, or the last one that ends by
// its end.
func (c Calendar) Within(p Period, grain string) (Period, bool) {
	if c.Grain(p) == grain {
		return p, true
	}
	_, last := c.Whole(p)
	return c.Last(grain, last)
}

// In is the period of this calendar that one of another is: the same window by
// name, or the one of the same unit in which it ends.
func (c Calendar) In(other Calendar, p Period) (Period, bool) {
	if p.Unit == Named {
		for i, w := range c.Windows {
			if w.Name == other.Windows[p.Number].Name {
				return Period{Named, int32(i)}, true
			}
		}
		return p, false
	}
	_, last := other.Whole(p)
	return c.Of(p.Unit, last), true
}

// Run are the n periods up to one, the oldest first; of windows only those there
// are.
func (c Calendar) Run(p Period, n int) (out []Period) {
	for k := n - 1; k >= 0; k-- {
		if before, ok := c.Before(p, k); ok {
			out = append(out, before)
		}
	}
	return out
}
