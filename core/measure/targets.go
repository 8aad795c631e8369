package measure

import (
	"sort"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
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
