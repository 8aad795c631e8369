package httpapi

import (
	"math"
	"net/http"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/internal/httpapi/contract"
)

// beside says of whom a subject shares an attribute's value with, as of a period's last
// day; nil where none is asked for. Without a value it shares it with nobody.
func beside(e *measure.Engine, level measure.Level, code int, p calendar.Period, attribute *string) (func(code uint32) bool, error) {
	if or(attribute, "") == "" || code < 0 {
		return nil, nil
	}
	name := ""
	for full := range e.Book.Attributes(level) {
		if _, short, _ := strings.Cut(full, "."); short == *attribute || full == *attribute {
			name = full
		}
	}
	if name == "" {
		return nil, refusal(http.StatusBadRequest, "unknown-filter", "beside: %s has no attribute %q.", e.Book.One(level), *attribute)
	}
	slot := e.Slot(level, p)
	own := e.Lookup(slot, uint32(code))(name)
	return func(other uint32) bool { return own != (lang.Value{}) && e.Lookup(slot, other)(name) == own }, nil
}

// mostBeside is how many others a history is drawn with.
const mostBeside = 40

// besideHistory is the past of those of a group in some results of a rule, by key,
// without the subject itself.
func besideHistory(e *measure.Engine, level measure.Level, code uint32, results []*judge.Result, of func(uint32) bool) []contract.BesideHistory {
	keys, names := e.Names(level)
	var codes []uint32
	for other := range uint32(len(keys)) {
		if other != code && of(other) && slices.ContainsFunc(results, func(r *judge.Result) bool { return held(r, other) != nil }) {
			codes = append(codes, other)
		}
	}
	slices.SortFunc(codes, func(a, b uint32) int { return strings.Compare(keys[a], keys[b]) })
	out := []contract.BesideHistory{}
	for _, other := range codes[:min(len(codes), mostBeside)] {
		one := contract.BesideHistory{Key: keys[other], Name: names[other]}
		for _, r := range results {
			one.Held = append(one.Held, held(r, other))
		}
		out = append(out, one)
	}
	return out
}

func held(r *judge.Result, code uint32) *float64 {
	if int(code) >= r.Len() {
		return nil
	}
	if v := r.Held(code); !math.IsNaN(v) {
		return &v
	}
	return nil
}
