package rulebook

import (
	"fmt"
	"reflect"
)

// Difference says in words what to changes against from, item by item; it is
// empty when both say the same.
func Difference(from, to *Book) []string {
	var out []string
	if from.Title != to.Title {
		out = append(out, fmt.Sprintf("title: %q becomes %q", from.Title, to.Title))
	}
	if !reflect.DeepEqual(from.Calendar, to.Calendar) || !reflect.DeepEqual(from.Weights, to.Weights) {
		out = append(out, "calendar: changed")
	}
	out = append(out, differ("kind", from.Kinds, to.Kinds, func(k Kind) string { return k.Name })...)
	out = append(out, differ("feed", from.Feeds, to.Feeds, func(f Feed) string { return f.Name })...)
	out = append(out, differ("grade", from.Grades, to.Grades, func(g Grade) string { return g.Name })...)
	if !reflect.DeepEqual(from.Formats, to.Formats) {
		out = append(out, "formats: changed")
	}
	for _, d := range to.Dials {
		if old := from.Dial(d.Name); old != nil && old.Value != d.Value {
			out = append(out, fmt.Sprintf("dial %s: %s becomes %s", d.Name, cutText(old.Value, old.Percent), cutText(d.Value, d.Percent)))
		} else if old != nil && !reflect.DeepEqual(plain(*old), plain(d)) {
			out = append(out, "dial "+d.Name+": its range changes")
		}
	}
	out = append(out, differ("dial", from.Dials, to.Dials, func(d Dial) string { return d.Name })...)
	out = append(out, differ("measure", from.Measures, to.Measures, func(m Measure) string { return m.Name })...)
	out = append(out, differ("rule", from.Rules, to.Rules, func(r Rule) string { return r.Name })...)
	out = append(out, differ("desk", from.Desks, to.Desks, func(d Desk) string { return d.Name })...)
	if !reflect.DeepEqual(plain(from.Routes), plain(to.Routes)) {
		out = append(out, "routes: changed")
	}
	if !reflect.DeepEqual(plain(from.Sweeps), plain(to.Sweeps)) {
		out = append(out, "sweeps: changed")
	}
	out = append(out, differ("reason", from.Reasons, to.Reasons, func(r Reason) string { return r.Name })...)
	return out
}

func differ[T any](what string, from, to []T, name func(T) string) []string {
	var out []string
	old := map[string]T{}
	for _, x := range from {
		old[name(x)] = x
	}
	kept := map[string]bool{}
	for _, x := range to {
		n := name(x)
		kept[n] = true
		before, ok := old[n]
		switch {
		case !ok:
			out = append(out, what+" "+n+": added")
		case what != "dial" && !reflect.DeepEqual(plain(before), plain(x)):
			out = append(out, what+" "+n+": changed")
		}
	}
	same := len(from) == len(to)
	for _, x := range from {
		if !kept[name(x)] {
			same = false
			out = append(out, what+" "+name(x)+": removed")
		}
	}
	if same && !reflect.DeepEqual(names(from, name), names(to, name)) {
		out = append(out, what+"s: in another order")
	}
	return out
}

var (
	positionType = reflect.TypeOf(Position{})
	formulaType  = reflect.TypeOf(Formula{})
	conditionTyp = reflect.TypeOf(Condition{})
)

// plain is a definition without its positions, as nested maps: moving a line
// or adding a comment is no change.
func plain(x any) any { return strip(reflect.ValueOf(x)) }

// strip is a value without functions and positions, so that two books are compared by what they
// say.
func strip(v reflect.Value) any {
	switch v.Kind() {
	case reflect.Func:
		return nil // of a method, whose name says it all
	case reflect.Pointer:
		if v.IsNil() {
			return nil
		}
		return strip(v.Elem())
	case reflect.Slice:
		out := make([]any, v.Len())
		for i := range out {
			out[i] = strip(v.Index(i))
		}
		return out
	case reflect.Map:
		out := map[string]any{}
		for _, k := range v.MapKeys() {
			out[k.String()] = strip(v.MapIndex(k))
		}
		return out
	case reflect.Struct:
		if v.Type() == formulaType || v.Type() == conditionTyp {
			return v.FieldByName("Text").String()
		}
		out := map[string]any{}
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.Type != positionType && f.IsExported() {
				out[f.Name] = strip(v.Field(i))
			}
		}
		return out
	}
	return v.Interface()
}

// SameShape says whether two books declare the same kinds and feeds, so that
// data read for one serves the other.
func SameShape(a, b *Book) bool {
	return reflect.DeepEqual(plain(a.Kinds), plain(b.Kinds)) && reflect.DeepEqual(plain(a.Feeds), plain(b.Feeds)) && sameMatched(a, b)
}

// SameLines says whether two books declare the same kinds, feeds, calendar and
// aggregates of lines.
func SameLines(a, b *Book) bool {
	if len(a.Measures) > 0 && SameNodes(a, b) {
		return true // copies differ in rules and dials alone
	}
	bases := func(b *Book) (out []Measure) {
		for _, m := range b.Measures {
			if m.Formula == nil {
				out = append(out, m)
			}
		}
		return out
	}
	return SameShape(a, b) && reflect.DeepEqual(plain(a.Calendar), plain(b.Calendar)) && reflect.DeepEqual(plain(bases(a)), plain(bases(b)))
}

// SameMeasures says whether two books define the same measures. What they come
// out at may still hang on dials.
func SameMeasures(a, b *Book) bool {
	return SameNodes(a, b) || reflect.DeepEqual(plain(a.Measures), plain(b.Measures))
}

// SameNodes says whether one book was made from the other by copying, so that
// they share the trees of formulas.
func SameNodes(a, b *Book) bool {
	return len(a.Measures) == len(b.Measures) && (len(a.Measures) == 0 || &a.Measures[0] == &b.Measures[0])
}
