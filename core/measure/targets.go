package measure

import (
	"math"
	"slices"
	"sort"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
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
	Sums    []amount.Amount
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
	g := TargetGrid{Sums: make([]amount.Amount, len(a.Months)), Missing: make([]int, len(a.Months))}
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
				g.Sums[i] += t
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

func (e *Engine) targeted(n *lang.Node, s Slot) *Column {
	targets := e.targetsOf(n.Parts[0].Text, s)
	own := e.Formula(n.Parts[0], s)
	out := newColumn(len(targets))
	for i, t := range targets {
		y := t.Float()
		switch {
		case t == amount.Missing:
			out.Why[i] = NoTarget
		case n.Text == "target":
			out.set(i, y, 0, 1)
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

// Target is a code's target for a measure over a slot, if there is one.
func (e *Engine) Target(measure string, code uint32, s Slot) (amount.Amount, bool) {
	a := e.targetsOf(measure, s)[code]
	return a, a != amount.Missing
}

func (e *Engine) targetsOf(measure string, s Slot) []amount.Amount {
	k := key{measure, s}
	if e.held[k] == nil && e.given != nil {
		e.held[k] = slices.Repeat([]amount.Amount{e.givenTarget}, e.Size(s.Level))
	}
	if e.held[k] == nil {
		e.held[k] = e.targets(measure, s)
	}
	return e.held[k]
}
