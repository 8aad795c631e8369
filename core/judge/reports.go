package judge

import (
	"maps"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/measure"
)

// ReportsTo are the accounts of those who report to somebody and to nobody else, with
// spaces between, by the account of that one, as of a day: by the kinds that have an
// attribute for the subject itself and one for whom it reports to.
func ReportsTo(e *measure.Engine, day calendar.Day) map[string]string {
	bosses := map[string]map[string]bool{}
	for i := range e.Book.Kinds {
		k := &e.Book.Kinds[i]
		self, boss, register := k.SubjectAttribute(), k.ManagerAttribute(), e.Snapshot.Registers[k.Name]
		if self == "" || boss == "" || register == nil {
			continue
		}
		for code := range uint32(len(register.Keys)) {
			if name, to := register.Value(self, code, day).Text, register.Value(boss, code, day).Text; name != "" && to != "" && register.Active(code, day, day) {
				if bosses[name] == nil {
					bosses[name] = map[string]bool{}
				}
				bosses[name][to] = true
			}
		}
	}
	out := map[string]string{}
	for _, name := range slices.Sorted(maps.Keys(bosses)) {
		if to := slices.Collect(maps.Keys(bosses[name])); len(to) == 1 && to[0] != name {
			out[to[0]] = strings.TrimSpace(out[to[0]] + " " + name)
		}
	}
	return out
}
