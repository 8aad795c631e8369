package rulebook

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"oskel/core/lang"
)

// saying takes one piece of advice: where it stands, of what, and its words.
type saying = func(at Position, path, format string, args ...any)

// advisePlans minds plans that wait for some of the feeds that their rules judge by: what
// has not come yet would be judged as if there were none.
func (b *Book) advisePlans(say saying) {
	for i, p := range b.Sweeps {
		if len(p.WaitsFor) == 0 {
			continue
		}
		for _, f := range b.Feeds {
			if slices.Contains(p.WaitsFor, f.Name) {
				continue
			}
			var rules []string
			for i := range b.Rules {
				if r := &b.Rules[i]; r.On && r.Each == p.Each && slices.Contains(b.FeedsRead(r), f.Name) {
					rules = append(rules, r.Name)
				}
			}
			if len(rules) > 0 {
				say(p.At, fmt.Sprintf("sweeps[%d].waits_for", i+1), "does not wait for %s, which %s read: say waits_for: [%s]", f.Name, strings.Join(rules, ", "),
					strings.Join(append(slices.Clone(p.WaitsFor), f.Name), ", "))
			}
		}
	}
}

// adviseKinds minds routes that ask for a kind by itself where its groups or pairs are
// flagged too: those are kinds of their own to a route, and pass it by.
func (b *Book) adviseKinds(say saying) {
	for i, route := range b.Routes {
		if route.When == nil {
			continue
		}
		asked := map[string]bool{}
		for _, leaf := range Comparisons(route.When.Tree) {
			if len(leaf.Parts) > 0 && leaf.Parts[0].Text == "kind" && (leaf.Op == lang.Is || leaf.Op == lang.In) {
				for _, p := range leaf.Parts[1:] {
					asked[p.Text] = true
				}
			}
		}
		var passed []string
		for j := range b.Rules {
			for _, l := range b.Rules[j].Levels {
				level := l.String()
				of := l.Kind != "" && asked[l.Kind] || l.With != "" && asked[l.With]
				if b.Rules[j].On && of && !asked[level] && !slices.Contains(passed, strconv.Quote(level)) {
					passed = append(passed, strconv.Quote(level))
				}
			}
		}
		if len(passed) > 0 {
			say(route.At, fmt.Sprintf("routes[%d].when", i+1), "does not match what is flagged of %s: ask for it by its name too, if it is meant",
				strings.Join(passed, " and "))
		}
	}
}
