package rulebook

import (
	"slices"
	"strings"
)

// findingsNamed are the findings that reasons may go with, as package casework has them.
var findingsNamed = []string{"confirmed", "explained", "data fault", "rule fault"}

// readFor reads who gets what a route sends: an account, or an attribute of persons, also of
// another kind that an attribute names: customer.rep.manager.
func (r *reader) readFor(v value, book *Book) string {
	name := v.scalar()
	if known := book.personAttributes(); !v.absent() && strings.Contains(name, ".") && !slices.Contains(known, name) {
		v.complain("%q is no attribute of type person%s", name, suggest(name, known))
	}
	return name
}

func (r *reader) readReasons(v value, book *Book) {
	for _, item := range v.maps() {
		f := item.fields(sections["reason"]...)
		reason := Reason{At: item.at, Name: f["name"].required()}
		r.name(f["name"].at, f["name"].path, reason.Name, true)
		reason.Title = titled(f["title"], strings.ReplaceAll(reason.Name, "-", " "))
		if book.Reason(reason.Name) != nil {
			f["name"].complain("the reason %q is defined twice", reason.Name)
		}
		findings := []value{f["for"]}
		if f["for"].isList() {
			findings = f["for"].items()
		}
		for _, of := range findings {
			if !of.absent() {
				reason.For = append(reason.For, of.oneOf("", findingsNamed...))
			}
		}
		book.Reasons = append(book.Reasons, reason)
	}
}
