package method

import "oskel/core/rulebook"

// list has every method that a rulebook may name, in the order in which they
// are offered.
var list = []*Method{
	robustScore, standardScore, fences, deviates, discoveries, percentRank, extremePlace, rangePlace,
	ownPast, sameSeason, offTrend, controlChart, smoothed, sums, levelShift,
	silence, burst, followed, unanswered, shift, during,
}

// All are the methods as a rulebook knows them.
func All() rulebook.Methods {
	out := make(rulebook.Methods, len(list))
	for i, m := range list {
		out[i] = &m.Method
	}
	return out
}

// Of is the method of a rule.
func Of(rule *rulebook.Rule) *Method {
	switch {
	case rule.Threshold != nil && rule.Threshold.Choices != nil:
		return choices
	case rule.Threshold != nil:
		return bands
	}
	for _, m := range list {
		if &m.Method == rule.Method {
			return m
		}
	}
	return nil
}
