package rulebook

import (
	"regexp"
	"strings"

	"oskel/core/lang"
)

// attribute reads 'team: text' or 'team: {type: text, within: territory}'.
func (e entry) attribute() Attribute {
	a := Attribute{At: e.at, Name: e.key, Type: lang.TextType}
	if !e.isMapping() {
		a.typed(e.oneOf("text", "text", "number", "date", "person"))
		return a
	}
	f := e.fields(sections["attribute"]...)
	a.typed(f["type"].oneOf("text", "text", "number", "date", "person"))
	if is := f["is"]; !is.absent() {
		said := is.oneOf("self", "self", "reports to")
		if a.Subject, a.Manager = said == "self", said == "reports to"; !a.Person {
			is.complain("only an attribute of type person can be the subject's own account, or that of whom it reports to")
		}
	}
	a.Within = f["within"].scalar()
	return a
}

// typed takes a type as it is written: a person is a text, the name of an account.
func (a *Attribute) typed(written string) {
	if a.Type = lang.Type(written); written == "person" {
		a.Type, a.Person = lang.TextType, true
	}
}

// checkWithin finds attributes that lie within what is not there, or in a
// circle, which it names in full.
func (r *reader) checkWithin(k *Kind, path string) {
	for _, a := range k.Attributes {
		trail := []string{a.Name}
		for at := &a; at.Within != ""; {
			next := k.Attribute(at.Within)
			if next == nil {
				if at.Name == a.Name {
					r.complain(a.At, path+"."+a.Name, "unknown attribute %q%s", a.Within, suggest(a.Within, names(k.Attributes, func(a Attribute) string { return a.Name })))
				}
				break
			}
			trail = append(trail, next.Name)
			if next.Name == a.Name {
				r.complain(a.At, path+"."+a.Name, "attributes lie within one another in a circle: %s", strings.Join(trail, " -> "))
				break
			}
			if len(trail) > len(k.Attributes) {
				break // a circle further up, told there
			}
			at = next
		}
	}
}

// Above lists what an attribute lies within, the widest first, itself last.
func (k *Kind) Above(attribute string) []string {
	var out []string
	for a := k.Attribute(attribute); a != nil && len(out) <= len(k.Attributes); a = k.Attribute(a.Within) {
		out = append([]string{a.Name}, out...)
	}
	return out
}

var currency = regexp.MustCompile(`^money [A-Z]{3}$`)

// unit reads money, money EUR, count, percent or days.
func (v value) unit(fallback Unit) Unit {
	if !v.absent() && currency.MatchString(v.scalar()) {
		return Unit(v.scalar())
	}
	if s := v.scalar(); strings.HasPrefix(s, "money ") {
		v.complain("expected a currency of three capital letters, such as money EUR, found %q", s)
		return fallback
	}
	return Unit(v.oneOf(string(fallback), "money", "count", "percent", "days"))
}
