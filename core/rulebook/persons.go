package rulebook

import (
	"fmt"
	"maps"
	"slices"

	"oskel/core/lang"
)

// SelfOf is the account of a subject itself, by the attribute of its kind that says so; ""
// where there is none. Groups and pairs have none.
func (b *Book) SelfOf(level Level, attributes lang.Lookup) string {
	if !level.Plain() {
		return ""
	}
	if k := b.Kind(level.Kind); k != nil {
		if name := k.SubjectAttribute(); name != "" {
			return attributes(k.Name + "." + name).Text
		}
	}
	return ""
}

// SubjectAttribute is the name of the attribute that holds the account of the subject
// itself, ManagerAttribute that of whom it reports to; "" where there is none.
func (k *Kind) SubjectAttribute() string {
	return k.attributeThat(func(a Attribute) bool { return a.Subject })
}

// ManagerAttribute is described at SubjectAttribute.
func (k *Kind) ManagerAttribute() string {
	return k.attributeThat(func(a Attribute) bool { return a.Manager })
}

func (k *Kind) attributeThat(is func(Attribute) bool) string {
	if i := slices.IndexFunc(k.Attributes, is); i >= 0 {
		return k.Attributes[i].Name
	}
	return ""
}

// PersonsNamed are the accounts that routes, feeds and the steps of desks name, each once, in order.
func (b *Book) PersonsNamed() (names []string) {
	seen := map[string]bool{}
	for _, r := range b.Routes {
		for _, name := range append([]string{r.For}, r.Copy...) {
			if name == "" || seen[name] || b.Desk(name) != nil || b.isPersonAttribute(name) {
				continue
			}
			seen[name] = true
			names = append(names, name)
		}
	}
	for _, f := range b.Feeds {
		if f.Owner != "" && !seen[f.Owner] {
			seen[f.Owner] = true
			names = append(names, f.Owner)
		}
	}
	for _, d := range b.Desks {
		for _, s := range d.Overdue {
			for _, name := range s.accounts() {
				if !seen[name] {
					seen[name] = true
					names = append(names, name)
				}
			}
		}
	}
	return names
}

// accounts are those that a step names.
func (s DeskStep) accounts() (names []string) {
	for _, name := range append(slices.Clone(s.Tell), s.HandTo) {
		if name != "" && !slices.Contains(told, name) {
			names = append(names, name)
		}
	}
	return names
}

// personAttributes lists the attributes that hold accounts: those of each kind, and of kinds
// that an attribute names by their keys, such as customer.rep.manager.
func (b *Book) personAttributes() (out []string) {
	for i := range b.Kinds {
		for _, a := range b.Kinds[i].Attributes {
			path := b.Kinds[i].Name + "." + a.Name
			if a.Person {
				out = append(out, path)
				continue
			}
			if next := b.Kind(a.Name); next != nil {
				for _, further := range next.Attributes {
					if further.Person {
						out = append(out, path+"."+further.Name)
					}
				}
			}
		}
	}
	return out
}

func (b *Book) isPersonAttribute(name string) bool {
	return slices.Contains(b.personAttributes(), name)
}

// AdvisePeople warns of accounts that routes name and there are not, and of desks that no
// reviewer is a member of, where there are reviewers at all. Accounts are by name, with
// the desks that a reviewer is a member of.
func (b *Book) AdvisePeople(accounts map[string][]string) (out []Problem) {
	known := slices.Sorted(maps.Keys(accounts))
	manned, any := map[string]bool{}, false
	for _, desks := range accounts {
		for _, d := range desks {
			manned[d], any = true, true
		}
	}
	for i, r := range b.Routes {
		for _, name := range append([]string{r.For}, r.Copy...) {
			if _, there := accounts[name]; name != "" && !there && b.Desk(name) == nil && !b.isPersonAttribute(name) {
				out = append(out, Problem{Position: r.At, Path: fmt.Sprintf("routes[%d]", i+1),
					Text: fmt.Sprintf("there is no account %q%s", name, lang.Suggestion(name, known))})
			}
		}
	}
	for _, f := range b.Feeds {
		if _, there := accounts[f.Owner]; f.Owner != "" && !there {
			out = append(out, Problem{Position: f.At, Path: "feeds." + f.Name + ".owner",
				Text: fmt.Sprintf("there is no account %q%s", f.Owner, lang.Suggestion(f.Owner, known))})
		}
	}
	if !any && len(accounts) > 1 && len(b.Desks) > 0 { // with one there is only who began
		out = append(out, Problem{Position: b.Desks[0].At, Path: "desks", Text: "no desk has members: only leads see its cases"})
	}
	for _, d := range b.Desks {
		for _, s := range d.Overdue {
			for _, name := range s.accounts() {
				if _, there := accounts[name]; !there {
					out = append(out, Problem{Position: d.At, Path: "desks." + d.Name + ".overdue",
						Text: fmt.Sprintf("the step %q names an account that there is not: %q%s", s.Name, name, lang.Suggestion(name, known))})
				}
			}
		}
		if any && !manned[d.Name] {
			out = append(out, Problem{Position: d.At, Path: "desks." + d.Name, Text: "it has no members: only leads see its cases"})
		}
	}
	return out
}
