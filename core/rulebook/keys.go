package rulebook

import (
	"maps"
	"slices"
)

// sections are the keys of each part of the document, in the order in which they are usually
// written. What is read, what a complaint suggests and what an editor offers come from here.
var sections = map[string][]string{
	"rulebook":   {"oskel", "title", "calendar", "kinds", "feeds", "grades", "formats", "dials", "measures", "rules", "desks", "routes", "sweeps", "reasons"},
	"calendar":   {"fiscal_year_starts", "year_named_after", "week_years", "weeks_from", "working_days", "holidays", "windows", "month_weights", "time_zone"},
	"week years": {"pattern", "end_on", "last_in", "nearest_end_of"},
	"window":     {"name", "title", "kind", "from", "to"},
	"kind":       {"title", "plural", "attributes"},
	"attribute":  {"type", "within", "is"},
	"feed":       {"title", "date", "subjects", "numbers", "labels", "notes", "owner"},
	"grade":      {"name", "label", "tone", "shape", "cell", "good"},
	"format":     {"places", "zero", "negative"},
	"dial":       {"value", "from", "to"},
	"measure":    append([]string{"title", "unit", "places", "good", "zero", "negative", "where", "formula", "days", "quantity", "groups"}, Aggregates...),
	"rule": {"name", "title", "judges", "each", "where", "base", "no_data", "ended", "persists", "on", "cases", "to_date", "last_word", "stops",
		"valid_from", "valid_until", "shows", "marks", "stake",
		"threshold", "outlier", "window", "examples"},
	"threshold":     {"of", "against", "as", "bands", "choose"},
	"choice":        {"grade", "all", "any", "none", "some"},
	"some":          {"at_least", "of"},
	"band":          {"grade", "clear", "label", "below", "at_most", "above", "at_least"},
	"desk":          {"name", "title", "due", "closes", "shares", "calendar", "remind", "overdue"},
	"desk calendar": {"working_days", "holidays"},
	"step":          {"step", "after", "tell", "hand_to"},
	"route":         {"when", "to", "otherwise", "for", "copy"},
	"sweep":         {"each", "after", "at", "waits_for", "at_the_latest", "when_outdated", "looks_back", "to_date"},
	"reason":        {"name", "title", "for"},
}

// Keys are all keys of the document, those of the methods' settings among them, sorted.
func Keys(methods Methods) []string {
	all := map[string]bool{"by": true, "is": true}
	for _, keys := range sections {
		for _, k := range keys {
			all[k] = true
		}
	}
	for _, m := range methods {
		for _, s := range m.Settings {
			all[s.Key] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}
