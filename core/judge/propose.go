package judge

import (
	"cmp"
	"fmt"
	"math/big"
	"regexp"
	"slices"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// Settled is one exception of a rule whose case was settled, with what was found.
type Settled struct {
	Period  calendar.Period
	Level   rulebook.Level
	Key     string
	Event   calendar.Day // 0 of one that is of the period
	Finding string       // explained, confirmed or rule fault
}

// spared says whether it had better not been flagged.
func (s Settled) spared() bool { return s.Finding == "explained" || s.Finding == "rule fault" }

// Proposal is a change of a rule, and what it would have made of what was settled.
type Proposal struct {
	What       string // "base", "cut" or "leave out"
	Words      string // the change, such as "a base of revenue at least 4,000"
	Definition rulebook.RuleDefinition
	Text       string // the whole rulebook with it
	Spared     int    // explained, or the rule's fault, and no longer flagged
	Lost       int    // confirmed, and no longer flagged
	Flagged    int    // in the same periods, of all
	Newly      int    // of these, not flagged by the rule as it is
}

// Proposed is what there is to propose for a rule, on a record that the rule as it is
// still flags by the data as they are.
type Proposed struct {
	Explained, Confirmed int // on that record; the rule's faults count as explained
	Flagged              int // in the same periods, of all
	Proposals            []Proposal
}

// The bounds of what is tried and told.
const (
	leastExplained = 3
	mostCandidates = 48
	mostProposals  = 5
	oneLostIn      = 10 // confirmed: one of so many may be lost, no more
)

// Propose searches a rule's base, numbers and scope for changes that would have dropped
// what was explained and kept what was confirmed, and proves each: it judges the periods
// of the record by the changed rule, on the engine's data. Those that spare most stand
// first. text is the engine's rulebook as it is written.
func Propose(e *measure.Engine, rule *rulebook.Rule, text string, record []Settled, methods rulebook.Methods) Proposed {
	p := proposer{engine: e, rule: rule, text: text, methods: methods, was: map[slotKey]*Result{}}
	for _, s := range record {
		if r := p.result(p.was, e, rule, s); r != nil && p.flags(r, s) {
			p.record = append(p.record, s)
			if s.spared() {
				p.out.Explained++
			} else if s.Finding == "confirmed" {
				p.out.Confirmed++
			}
		}
	}
	for _, r := range p.was {
		p.out.Flagged += len(r.Flagged())
	}
	if p.out.Explained < leastExplained {
		return p.out
	}
	p.bases()
	p.scopes()
	p.numbers() // which are the most
	slices.SortStableFunc(p.out.Proposals, func(a, b Proposal) int {
		return cmp.Or(b.Spared-3*b.Lost-a.Spared+3*a.Lost, a.Newly-b.Newly, b.Flagged-a.Flagged) // of equal ones the mildest
	})
	seen := map[[3]any]bool{}
	p.out.Proposals = slices.DeleteFunc(p.out.Proposals, func(x Proposal) bool {
		k := [3]any{x.What, x.Spared, x.Lost}
		again := seen[k]
		seen[k] = true
		return again
	})
	p.out.Proposals = p.out.Proposals[:min(len(p.out.Proposals), mostProposals)]
	return p.out
}

// slotKey names a period at a level, of which a rule has one result.
type slotKey struct {
	level  rulebook.Level
	period calendar.Period
}

// proposer tries other bands of one rule on its past. It lives for one question, belongs to who
// asks it, and counts its trials, so that it ends.
type proposer struct {
	engine  *measure.Engine
	rule    *rulebook.Rule
	text    string
	methods rulebook.Methods
	record  []Settled // what the rule as it is still flags
	was     map[slotKey]*Result
	tried   int
	out     Proposed
}

// result judges the period of a record once; nil where the level is none of the rule's.
func (p *proposer) result(kept map[slotKey]*Result, e *measure.Engine, rule *rulebook.Rule, s Settled) *Result {
	k := slotKey{s.Level, s.Period}
	if kept[k] == nil && slices.Contains(rule.Levels, s.Level) && e.Book.Calendar.Grain(s.Period) == rule.Each && !e.Stopped() {
		kept[k] = Judge(e, rule, s.Level, s.Period)
	}
	return kept[k]
}

func (p *proposer) flags(r *Result, s Settled) bool {
	code, there := p.engine.Code(s.Level, s.Key)
	if !there || !r.IsFlagged(code) {
		return false
	}
	return s.Event == 0 || slices.Contains(r.Events(code), s.Event)
}

// try proves a change, and keeps it if it is worth telling.
func (p *proposer) try(what, words string, change func(*rulebook.RuleDefinition)) {
	if p.tried++; p.tried > mostCandidates || p.engine.Stopped() {
		return
	}
	d := p.engine.Book.Define(p.rule)
	change(&d)
	text, err := rulebook.PlaceRule(p.text, p.rule.Name, &d, p.methods)
	if err != nil {
		return
	}
	book, problems := rulebook.Read([]byte(text), p.methods)
	if len(problems) > 0 {
		return // such as a band that would be empty
	}
	rule := book.Rule(p.rule.Name)
	e := measure.New(book, p.engine.Snapshot)
	e.Until(p.engine.Stopped)
	kept := map[slotKey]*Result{} // of all periods of the record, those too in which nothing of it is flagged any more
	for k := range p.was {
		kept[k] = Judge(e, rule, k.level, k.period)
	}
	out := Proposal{What: what, Words: words, Definition: d, Text: text}
	for _, s := range p.record {
		r := p.result(kept, e, rule, s)
		if r == nil || p.flags(r, s) {
			continue
		}
		if s.spared() {
			out.Spared++
		} else if s.Finding == "confirmed" {
			out.Lost++
		}
	}
	for k, r := range kept {
		for _, code := range r.Flagged() {
			if out.Flagged++; !p.was[k].IsFlagged(code) {
				out.Newly++
			}
		}
	}
	if e.Stopped() || out.Spared == 0 || out.Lost*oneLostIn > p.out.Confirmed || out.Newly > p.out.Flagged/10 {
		return
	}
	p.out.Proposals = append(p.out.Proposals, out)
}

// bases tries minimums of what the rule adds up: above the most that was explained below
// the least that was confirmed, and up to that.
func (p *proposer) bases() {
	book := p.engine.Book
	names := []string{}
	for _, b := range p.rule.Base {
		names = append(names, b.Measure)
	}
	for _, f := range book.FeedsRead(p.rule) {
		for i := range book.Measures {
			m := &book.Measures[i]
			if m.Formula == nil && m.Of.Feed == f && (m.Aggregate == "sum" || m.Aggregate == "count") && m.Where == nil && !slices.Contains(names, m.Name) {
				names = append(names, m.Name)
			}
		}
	}
	for _, name := range names[:min(len(names), 4)] {
		var confirmed, explained []*big.Rat
		for _, s := range p.record {
			code, _ := p.engine.Code(s.Level, s.Key)
			v, why := p.engine.Exact(name, code, p.engine.Slot(s.Level, s.Period))
			switch {
			case why != measure.Present:
			case s.spared():
				explained = append(explained, v)
			case s.Finding == "confirmed":
				confirmed = append(confirmed, v)
			}
		}
		slices.SortFunc(explained, (*big.Rat).Cmp)
		slices.SortFunc(confirmed, (*big.Rat).Cmp)
		var tries []*big.Rat
		switch {
		case len(confirmed) > 0:
			for i := len(explained) - 1; i >= 0; i-- {
				if explained[i].Cmp(confirmed[0]) < 0 { // a little more than it
					tries = append(tries, new(big.Rat).Mul(explained[i], big.NewRat(12, 10)))
					break
				}
			}
			tries = append(tries, confirmed[0], confirmed[len(confirmed)/10])
		case len(explained) > 0:
			tries = append(tries, explained[len(explained)/2])
		}
		m := book.Measure(name)
		for _, v := range tries {
			least, ok := roundDown(v)
			if !ok || len(explained) == 0 || explained[0].Cmp(least.Rat()) >= 0 {
				continue
			}
			bound := least.String()
			p.try("base", fmt.Sprintf("a base of %s at least %s", strings.ToLower(m.Title), rulebook.FormatNumber(least)), func(d *rulebook.RuleDefinition) {
				d.Base = slices.DeleteFunc(slices.Clone(d.Base), func(b rulebook.BaseDefinition) bool { return b.Measure == name })
				d.Base = append(d.Base, rulebook.BaseDefinition{Measure: name, Least: "at least " + bound})
			})
		}
	}
}

// roundDown is a number of two digits that matter, at most as large; ok is false where it
// is none above zero.
func roundDown(v *big.Rat) (amount.Amount, bool) {
	if v.Sign() <= 0 {
		return 0, false
	}
	a, err := amount.Parse(amount.RoundRat(v, 4))
	if err != nil {
		return 0, false
	}
	unit := amount.Amount(1)
	for a/unit >= 100 {
		unit *= 10
	}
	return a / unit * unit, a/unit*unit > 0
}

var firstNumber = regexp.MustCompile(`^-?\d+(\.\d+)?`)

// steps are how much further a number is moved, either way, the mildest first.
var steps = []*big.Rat{big.NewRat(11, 10), big.NewRat(5, 4), big.NewRat(3, 2), big.NewRat(2, 1)}

// numbers tries the rule's own numbers, one after the other, further away and nearer.
func (p *proposer) numbers() {
	d := p.engine.Book.Define(p.rule)
	for _, settings := range []map[string]string{d.Outlier, d.Window} {
		if p.rule.Method == nil {
			break
		}
		for _, s := range p.rule.Method.Settings {
			text := settings[s.Key]
			if text == "" || !slices.Contains([]rulebook.SettingType{rulebook.NumberSetting, rulebook.PercentSetting, rulebook.QuantitySetting,
				rulebook.FigureSetting}, s.Type) || s.Key == "peers" || s.Key == "history" {
				continue
			}
			p.moved(p.numberOf(text), func(now string) {
				p.try("cut", fmt.Sprintf("%s: %s", s.Key, now+firstNumber.ReplaceAllString(p.numberOf(text), "")), func(d *rulebook.RuleDefinition) {
					to := d.Outlier
					if len(d.Window) > 0 {
						to = d.Window
					}
					to[s.Key] = now + firstNumber.ReplaceAllString(p.numberOf(text), "")
				})
			}, s.Whole || s.Type == rulebook.QuantitySetting)
		}
	}
	for i, b := range d.Bands {
		for _, end := range []struct {
			key, text string
			of        func(*rulebook.BandDefinition) *string
		}{
			{"below", b.Below, func(b *rulebook.BandDefinition) *string { return &b.Below }},
			{"at most", b.AtMost, func(b *rulebook.BandDefinition) *string { return &b.AtMost }},
			{"above", b.Above, func(b *rulebook.BandDefinition) *string { return &b.Above }},
			{"at least", b.AtLeast, func(b *rulebook.BandDefinition) *string { return &b.AtLeast }},
		} {
			if end.text == "" || b.Grade == "" || b.Label != "" {
				continue
			}
			written := p.numberOf(end.text)
			tail := firstNumber.ReplaceAllString(written, "")
			p.moved(written, func(now string) {
				p.try("cut", fmt.Sprintf("%s %s %s", p.label(b.Grade), end.key, now+tail), func(d *rulebook.RuleDefinition) {
					for j := range d.Bands { // whatever else ends there moves along
						for _, at := range []*string{&d.Bands[j].Below, &d.Bands[j].AtMost, &d.Bands[j].Above, &d.Bands[j].AtLeast} {
							if *at == end.text {
								*at = now + tail
							}
						}
					}
					*end.of(&d.Bands[i]) = now + tail
				})
			}, false)
		}
	}
}

func (p *proposer) label(grade string) string {
	if g := p.engine.Book.Grade(grade); g != nil {
		return g.Label
	}
	return grade
}

// numberOf is a number as it is written, or that of the dial that stands for it.
func (p *proposer) numberOf(text string) string {
	if d := p.engine.Book.Dial(text); d != nil {
		return d.Text(d.Value)
	}
	return text
}

// moved tells numbers further away and nearer than one is, the mildest first.
func (p *proposer) moved(text string, try func(string), whole bool) {
	at := firstNumber.FindString(text)
	n, ok := new(big.Rat).SetString(at)
	if !ok || n.Sign() == 0 {
		return
	}
	for _, by := range steps {
		for _, to := range []*big.Rat{new(big.Rat).Mul(n, by), new(big.Rat).Quo(n, by)} {
			places := 1
			if whole {
				places = 0
			} else if new(big.Rat).Abs(n).Cmp(big.NewRat(10, 1)) < 0 {
				places = 2
			}
			if now := trimmed(amount.RoundRat(to, places)); now != at {
				try(now)
			}
		}
	}
}

func trimmed(s string) string {
	if strings.Contains(s, ".") {
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	}
	return s
}

// scopes tries leaving out each value of an attribute of which much was explained and
// nothing confirmed.
func (p *proposer) scopes() {
	type value struct{ attribute, text string }
	explained, confirmed := map[value]int{}, map[value]int{}
	for _, s := range p.record {
		code, _ := p.engine.Code(s.Level, s.Key)
		lookup := p.engine.Lookup(p.engine.Slot(s.Level, s.Period), code)
		for name := range p.engine.Book.Attributes(s.Level) {
			if v := lookup(name); v.Type == lang.TextType {
				if s.spared() {
					explained[value{name, v.Text}]++
				} else if s.Finding == "confirmed" {
					confirmed[value{name, v.Text}]++
				}
			}
		}
	}
	var worth []value
	for v, n := range explained {
		if n >= max(2, p.out.Explained/5) && confirmed[v] == 0 && !strings.Contains(v.text, `"`) {
			worth = append(worth, v)
		}
	}
	slices.SortFunc(worth, func(a, b value) int {
		if d := explained[b] - explained[a]; d != 0 {
			return d
		}
		return strings.Compare(a.attribute+a.text, b.attribute+b.text)
	})
	for _, v := range worth[:min(len(worth), 6)] {
		p.try("leave out", fmt.Sprintf("leaving out those whose %s is %s", v.attribute, v.text), func(d *rulebook.RuleDefinition) {
			not := fmt.Sprintf("not (%s is %q)", v.attribute, v.text) // those without the attribute stay
			if d.Where != "" {
				not = "(" + d.Where + ") and " + not
			}
			d.Where = not
		})
	}
}
