package measure

import (
	"cmp"
	"maps"
	"math"
	"math/big"
	"slices"
	"sort"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
)

// TargetAsk is a question for the targets of a kind by month.
type TargetAsk struct {
	Kind, Measure string
	Months        []calendar.Month
	Missing       bool   // only subjects that lack a target in a month they are active in
	Text          string // in key or name
}

// TargetRow is one subject's targets: amount.Missing where it has none, and
// whether it is active then.
type TargetRow struct {
	Code    uint32
	Targets []amount.Amount
	Active  []bool
	Missing int // months in which it is active and has none
}

// TargetGrid is every subject that is active or has a target in the months
// asked for, by key, with the sum of each month and how many lack a target.
type TargetGrid struct {
	Rows    []TargetRow
	Sums    []*big.Rat
	Missing []int
}

// TargetMeasures lists the measures that a kind has targets for.
func (e *Engine) TargetMeasures(kind string) []string {
	var out []string
	for k := range e.Snapshot.Targets {
		if k.Kind == kind {
			out = append(out, k.Measure)
		}
	}
	sort.Strings(out)
	return out
}

// TargetGrid lists targets and what is missing. Sums and what is missing count
// all subjects, whatever Text and Missing leave of the rows.
func (e *Engine) TargetGrid(a TargetAsk) TargetGrid {
	g := TargetGrid{Missing: make([]int, len(a.Months))}
	for range a.Months {
		g.Sums = append(g.Sums, new(big.Rat))
	}
	register := e.Snapshot.Registers[a.Kind]
	level := Level{Kind: a.Kind}
	text := strings.ToLower(a.Text)
	for code := range e.Size(level) {
		row := TargetRow{Code: uint32(code)}
		some := false
		for i, m := range a.Months {
			s := e.Slot(level, calendar.MonthPeriod(m))
			t := e.targetsOf(a.Measure, s)[code]
			active := register.Active(uint32(code), s.First, s.Last)
			row.Targets, row.Active = append(row.Targets, t), append(row.Active, active)
			some = some || active || t != amount.Missing
			switch {
			case t != amount.Missing:
				g.Sums[i].Add(g.Sums[i], t.Rat())
			case active:
				row.Missing++
				g.Missing[i]++
			}
		}
		shown := some && (row.Missing > 0 || !a.Missing)
		if shown && (text == "" || strings.Contains(strings.ToLower(register.Keys[code]), text) || strings.Contains(strings.ToLower(register.Names[code]), text)) {
			g.Rows = append(g.Rows, row)
		}
	}
	sort.SliceStable(g.Rows, func(i, j int) bool { return register.Keys[g.Rows[i].Code] < register.Keys[g.Rows[j].Code] })
	return g
}

// targets are a level's targets for a measure over a slot: a month's, or the
// sum of the months of a longer period that have one; of a group those of its
// subjects. Of a month that is taken so far it is the part that its working days up to
// then have of it. None is amount.Missing, a sum out of range is beyond.
func (e *Engine) targets(measure string, s Slot) []amount.Amount {
	out := slices.Repeat([]amount.Amount{amount.Missing}, e.Size(s.Level))
	add := func(code uint32, a amount.Amount) {
		switch sum, err := amount.Add(out[code], a); {
		case out[code] == amount.Missing:
			out[code] = a
		case out[code] == beyond || err != nil:
			out[code] = beyond
		default:
			out[code] = sum
		}
	}
	begin, end := e.Book.Calendar.Of(calendar.Monthly, s.First), e.Book.Calendar.Of(calendar.Monthly, s.Last)
	from, _ := e.Book.Calendar.Whole(begin)
	cut, to := e.Book.Calendar.Whole(end)
	_, toDate := e.Book.Calendar.ToDate()
	if s.First != from || s.Last != to && !toDate || s.Joined > 0 {
		return out // targets are kept by month; a part of one has none
	}
	first, last := calendar.Month(begin.Number), calendar.Month(end.Number)
	part := func(m calendar.Month, a amount.Amount) amount.Amount { return a }
	if s.Last != to {
		days, due := e.daysOf(cut, to), len(e.daysOf(cut, s.Last))
		part = func(m calendar.Month, a amount.Amount) amount.Amount {
			if m == last {
				return partOf(a, days, due)
			}
			return a
		}
	}
	for _, key := range e.sheets() {
		if key.Measure != measure || s.Kind != "" && key.Kind != s.Kind || s.Paired() {
			continue // a sheet is of one kind, so pairs have no targets
		}
		sheet := e.Snapshot.Targets[key]
		_, groups := e.group(Slot{Level: Level{Kind: key.Kind}, Last: s.Last}, key.Kind, s.By)
		for m := first; m <= last; m++ {
			for code, a := range sheet.Months[m] {
				if a != amount.Missing {
					a = part(m, a)
				}
				switch {
				case a == amount.Missing:
				case s.Kind == "":
					add(0, a)
				case groups != nil:
					add(groups[code], a)
				default:
					add(uint32(code), a)
				}
			}
		}
	}
	return out
}

// daysOf are equal weights for the days of a month over which a target is spread: those
// that are worked, or all where none is.
func (e *Engine) daysOf(first, last calendar.Day) []amount.Amount {
	n := e.Book.Calendar.WorkingDays(first, last)
	if _, whole := e.Book.Calendar.Whole(e.Book.Calendar.Of(calendar.Monthly, first)); e.Book.Calendar.WorkingDays(first, whole) == 0 {
		n = int(last-first) + 1
	}
	return slices.Repeat([]amount.Amount{1}, n)
}

// partOf is what the first days of a month have of its target, spread to the last cent.
func partOf(target amount.Amount, days []amount.Amount, due int) (sum amount.Amount) {
	for _, a := range amount.Spread(target, days, amount.Scale/100)[:due] {
		sum += a // of one sign, and no more than the target
	}
	return sum
}

// beyond stands for a sum of targets that leaves the range of amounts.
const beyond = amount.Missing + 1

// sheets lists the target sheets in one order, so that sums meet the end of
// their range alike.
func (e *Engine) sheets() []ledger.SheetKey {
	return slices.SortedFunc(maps.Keys(e.Snapshot.Targets), func(a, b ledger.SheetKey) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Measure, b.Measure))
	})
}

func (e *Engine) targeted(n *lang.Node, s Slot) *Column {
	targets := e.targetsOf(n.Parts[0].Text, s)
	own := e.Formula(n.Parts[0], s)
	out := newColumn(len(targets))
	out.Decimal = n.Text == "target"
	for i, t := range targets {
		y := t.Float()
		switch {
		case t == amount.Missing:
			out.Why[i] = NoTarget
		case t == beyond:
			out.Why[i] = BeyondRange
		case n.Text == "target":
			out.decimal(i, t)
		case own.Why[i] != Present:
			out.Why[i] = own.Why[i]
		case n.Text == "gap":
			out.set(i, own.Value[i]-y, own.Error[i]+math.Abs(y)*rounding, 1)
		case t == 0:
			out.Why[i] = ZeroBase
		case t < 0:
			out.Why[i] = BaseNotPositive
		default:
			q := own.Value[i] / y
			out.set(i, q, (own.Error[i]+math.Abs(q)*y*rounding)/(y-y*rounding), 1)
		}
	}
	return out
}

func (e *Engine) exactTargeted(n *lang.Node, code uint32, s Slot) (*big.Rat, Why) {
	t := e.targetsOf(n.Parts[0].Text, s)[code]
	switch {
	case t == amount.Missing:
		return nil, NoTarget
	case t == beyond:
		return nil, BeyondRange
	case n.Text == "target":
		return t.Rat(), Present
	}
	own, why := e.ExactFormula(n.Parts[0], code, s)
	switch {
	case why != Present:
		return nil, why
	case n.Text == "gap":
		return new(big.Rat).Sub(own, t.Rat()), Present
	}
	return positiveQuotient(own, t.Rat())
}

// Target is a code's target for a measure over a slot, if there is one.
func (e *Engine) Target(measure string, code uint32, s Slot) (amount.Amount, bool) {
	a := e.targetsOf(measure, s)[code]
	return a, a != amount.Missing && a != beyond
}

func (e *Engine) targetsOf(measure string, s Slot) []amount.Amount {
	s.Ended = false
	k := key{measure: measure, slot: s}
	if e.held[k] == nil && e.given != nil {
		e.held[k] = slices.Repeat([]amount.Amount{e.givenTarget}, e.Size(s.Level))
	}
	if e.held[k] == nil {
		e.held[k] = e.targets(measure, s)
	}
	return e.held[k]
}
