package httpapi

import (
	"encoding/json"
	"math/big"
	"strconv"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/internal/sheet"
	"oskel/internal/store"
)

// exceptionColumn is all of one column of a file of exceptions, for every form, on paper and in
// the command line, which has the service write its files.
type exceptionColumn struct {
	sheet.Column
	width   float64 // on paper, in characters
	meaning string  // in the legend; "" is plain from the name
	value   func(*exceptionRow) string
}

// exceptionTable are the columns of a file of exceptions, in order. A new one is added here alone.
var exceptionTable = []exceptionColumn{
	{sheet.Column{Name: "id", Kind: sheet.Whole}, 8, "", func(e *exceptionRow) string { return strconv.FormatInt(e.ID, 10) }},
	{sheet.Column{Name: "period"}, 10, "", func(e *exceptionRow) string { return keyText(e.calendar, e.Period) }},
	{sheet.Column{Name: "grade"}, 10, "", func(e *exceptionRow) string { return e.Grade }},
	{sheet.Column{Name: "state"}, 10, "raised: new in this period; standing: flagged in the period before too; cleared: no longer flagged",
		func(e *exceptionRow) string { return e.State }},
	{sheet.Column{Name: "rule"}, 20, "", func(e *exceptionRow) string { return e.Rule }},
	{sheet.Column{Name: "kind"}, 12, "", func(e *exceptionRow) string { return e.Kind }},
	{sheet.Column{Name: "key"}, 12, "", func(e *exceptionRow) string { return e.Key }},
	{sheet.Column{Name: "name"}, 28, "", func(e *exceptionRow) string { return e.Name }},
	{sheet.Column{Name: "value", Kind: sheet.Number}, 12, "the judged value; a percentage as a fraction",
		func(e *exceptionRow) string { return decimalText(e.found.Value) }},
	{sheet.Column{Name: "comparison", Kind: sheet.Number}, 12, "the comparison value, if any",
		func(e *exceptionRow) string { return decimalText(e.found.Against) }},
	{sheet.Column{Name: "unit"}, 10, "of value and comparison", func(e *exceptionRow) string { return string(e.found.Unit) }},
	{sheet.Column{Name: "stake", Title: "At stake", Kind: sheet.Money}, 12, "at stake, by the rule's formula",
		func(e *exceptionRow) string { return trimmed(or(e.Stake, "")) }},
	{sheet.Column{Name: "desk"}, 14, "", func(e *exceptionRow) string { return e.Desk }},
	{sheet.Column{Name: "case", Kind: sheet.Whole}, 8, "", func(e *exceptionRow) string {
		if e.CaseID == nil {
			return ""
		}
		return strconv.FormatInt(*e.CaseID, 10)
	}},
	{sheet.Column{Name: "case_state"}, 12, "state of its case", func(e *exceptionRow) string { return or(e.CaseState, "") }},
	{sheet.Column{Name: "sentence"}, 80, "", func(e *exceptionRow) string { return e.Sentence }},
	{sheet.Column{Name: "event", Kind: sheet.Day}, 12, "the day of the event; empty for exceptions of a period",
		func(e *exceptionRow) string { return eventText(e.Event) }},
	{sheet.Column{Name: "streak", Title: "In a row", Kind: sheet.Whole}, 8, "number of consecutive flagged periods", func(e *exceptionRow) string {
		if or(e.Streak, 0) <= 0 {
			return ""
		}
		return strconv.Itoa(*e.Streak)
	}},
	{sheet.Column{Name: "beyond", Title: "Beyond its cut", Kind: sheet.Percent}, 8, "distance from the cut, as a share of the cut", func(e *exceptionRow) string {
		if e.Beyond == nil {
			return ""
		}
		return trimmed(strconv.FormatFloat(*e.Beyond, 'f', 4, 64))
	}},
}

// exceptionColumns and exceptionWidths are the columns as files want them.
var exceptionColumns, exceptionWidths = fileColumns(exceptionTable)

func fileColumns(all []exceptionColumn) (columns []sheet.Column, widths []float64) {
	for _, c := range all {
		columns, widths = append(columns, c.Column), append(widths, c.width)
	}
	return columns, widths
}

// exceptionRow is an exception with what its evidence has in numbers; percentages are the
// fraction underneath.
type exceptionRow struct {
	store.Exception
	calendar calendar.Calendar
	found    method.Compared
}

// exceptionCells are the cells of an exception, by column.
func exceptionCells(e store.Exception, c calendar.Calendar) (cells []string) {
	var ev judge.Evidence
	json.Unmarshal(e.Evidence, &ev) //nolint:errcheck // unreadable evidence has no numbers
	row := &exceptionRow{Exception: e, calendar: c, found: ev.Compared()}
	for _, column := range exceptionTable {
		cells = append(cells, column.value(row))
	}
	return cells
}

// decimalText is a number of at most four places; "" where there is none.
func decimalText(r *big.Rat) string {
	if r == nil {
		return ""
	}
	return trimmed(amount.RoundRat(r, 4))
}

// eventText is the day of an event, empty where there is none.
func eventText(day calendar.Day) string {
	if day == 0 {
		return ""
	}
	return day.String()
}
