package books

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"math"
	"math/big"
	"slices"
	"strings"
	"sync"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/routing"
	"oskel/core/rulebook"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Rehearser judges drafts on real data and changes nothing. It is safe for
// concurrent use; one rehearsal happens after the other.
type Rehearser struct {
	books   *Service
	figures *figures.Keeper
	store   *store.Store

	mu   sync.Mutex
	last map[[32]byte]*rulebook.Book // drafts read lately, by their text
	was  map[publishedKey]*publishedResult
}

// publishedKey names what a published rule finds: nothing of it changes.
type publishedKey struct {
	snapshot *ledger.Snapshot
	rule     *rulebook.Rule // of the published book
	level    rulebook.Level
	month    calendar.Month
}

// publishedResult is what a published rule finds, to hold drafts against.
type publishedResult struct {
	result *judge.Result
	tally  judge.Tally
	desks  map[string]int
}

// keptResults is how many of these are remembered.
const keptResults = 16

// published judges a published rule, or remembers what it found.
func (r *Rehearser) published(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, m calendar.Month) *publishedResult {
	key := publishedKey{e.Snapshot, rule, level, m}
	r.mu.Lock()
	defer r.mu.Unlock()
	if p := r.was[key]; p != nil {
		return p
	}
	p := &publishedResult{result: judge.Judge(e, rule, level, m), desks: map[string]int{}}
	p.tally = p.result.Tally()
	desks(e, p.result, p.desks)
	if len(r.was) >= keptResults {
		clear(r.was)
	}
	if !e.Stopped() {
		r.was[key] = p
	}
	return p
}

// NewRehearser is a rehearser of drafts against the published book.
func NewRehearser(s *store.Store, b *Service, f *figures.Keeper) *Rehearser {
	return &Rehearser{books: b, figures: f, store: s, last: map[[32]byte]*rulebook.Book{}, was: map[publishedKey]*publishedResult{}}
}

// Draft says what is rehearsed: a text, or without one the published book, with
// dials turned and cuts moved.
type Draft struct {
	Text    *string
	Dials   map[string]string // by name, as written: "24%"
	CutRule string            // whose cuts are moved
	Cuts    []Cut
}

// Cut moves one stated end of a band, counted from 0.
type Cut struct {
	Band  int
	High  bool
	Value string
}

// ErrRehearsal says why something cannot be rehearsed.
type ErrRehearsal struct{ Text string }

func (e *ErrRehearsal) Error() string { return e.Text }

func cannot(format string, args ...any) error { return &ErrRehearsal{fmt.Sprintf(format, args...)} }

// keptDrafts is how many texts are remembered.
const keptDrafts = 8

func (r *Rehearser) read(text string) (*rulebook.Book, error) {
	key := sha256.Sum256([]byte(text))
	r.mu.Lock()
	defer r.mu.Unlock()
	if b := r.last[key]; b != nil {
		return b, nil
	}
	b, problems := rulebook.Read([]byte(text))
	if len(problems) > 0 {
		return nil, &Faulty{problems}
	}
	if len(r.last) >= keptDrafts {
		clear(r.last)
	}
	r.last[key] = b
	return b, nil
}

// draft is the published book, and the draft as it is turned.
func (r *Rehearser) draft(ctx context.Context, d Draft) (published, draft *rulebook.Book, err error) {
	_, published, err = r.books.Published(ctx)
	if err != nil {
		return nil, nil, err
	}
	draft = published
	if d.Text != nil {
		if draft, err = r.read(*d.Text); err != nil {
			return nil, nil, err
		}
	}
	for name, value := range d.Dials {
		dial := draft.Dial(name)
		if dial == nil {
			return nil, nil, cannot("there is no dial %q%s", name, lang.Suggestion(name, dialNames(draft)))
		}
		v, err := dialValue(dial, value)
		if err != nil {
			return nil, nil, err
		}
		draft = draft.WithDial(name, v)
	}
	var moves []rulebook.CutMove
	for _, c := range d.Cuts {
		v, err := lang.ParseNumber(c.Value)
		if err != nil {
			return nil, nil, cannot("the cut: %s", err)
		}
		moves = append(moves, rulebook.CutMove{Band: c.Band, High: c.High, At: v})
	}
	if len(moves) > 0 {
		if draft, err = draft.WithCuts(d.CutRule, moves...); err != nil {
			return nil, nil, &ErrRehearsal{err.Error()}
		}
	}
	return published, draft, nil
}

func dialNames(b *rulebook.Book) (out []string) {
	for _, d := range b.Dials {
		out = append(out, d.Name)
	}
	return out
}

// dialValue reads a value as the dial is written, within its range.
func dialValue(d *rulebook.Dial, s string) (amount.Amount, error) {
	v, err := lang.ParseNumber(s)
	switch {
	case err != nil:
		return 0, cannot("the dial %s: %s", d.Name, err)
	case strings.HasSuffix(s, "%") != d.Percent && v != 0:
		return 0, cannot("the dial %s is written %s: did you mean %s?", d.Name, map[bool]string{true: "in percent", false: "without percent"}[d.Percent], map[bool]string{true: s + "%", false: strings.TrimSuffix(s, "%")}[d.Percent])
	case d.From != nil && v < *d.From || d.To != nil && v > *d.To:
		return 0, cannot("the dial %s may not be turned to %s: its range says otherwise", d.Name, s)
	}
	return v, nil
}

// Ask is a question about one rule of a draft in a month.
type Ask struct {
	Draft
	Rule     string
	Level    string // one of those it judges; the first unless stated
	Month    calendar.Month
	LookBack int
	LineUp   bool
	Key      string // of the subject of a what-if
	WhatIf   map[string]string
}

// most lists are this long.
const (
	mostShown = 200
	mostNear  = 12
)

// Found is one subject with its sentence.
type Found struct {
	Key, Name        string
	Before, After    string // grades
	Sentence         string
	Value, Yardstick string
}

// Answer is what a rehearsal of one rule finds.
type Answer struct {
	Book      *rulebook.Book
	Rule      *rulebook.Rule
	Level     rulebook.Level
	Result    *judge.Result
	Engine    *measure.Engine // while the answer is read
	Tally     judge.Tally
	Published *judge.Tally // nil where the rule is new
	Flagged   []Found
	Flips     []Found
	Turned    [3]int // newly flagged, no longer flagged, regraded
	Near      []Found
	Before    map[string]int // by desk, of the published rule
	Desks     map[string]int
	Back      []Back
	WhatIf    *WhatIf
}

// Back is one month of a look back, with how many of those flagged were
// settled as explained.
type Back struct {
	judge.Back
	Explained int
}

// WhatIf is what the rule would say.
type WhatIf struct {
	Verdict judge.Verdict
	Refused string
}

// Rehearse judges one rule of a draft on real data; then reads the answer while
// the engine is at hand.
func (r *Rehearser) Rehearse(ctx context.Context, ask Ask, then func(*Answer) error) error {
	published, draft, err := r.draft(ctx, ask.Draft)
	if err != nil {
		return err
	}
	rule := draft.Rule(ask.Rule)
	if rule == nil {
		var names []string
		for _, x := range draft.Rules {
			names = append(names, x.Name)
		}
		return cannot("there is no rule %q%s", ask.Rule, lang.Suggestion(ask.Rule, names))
	}
	level := rule.Levels[0]
	if ask.Level != "" {
		i := slices.IndexFunc(rule.Levels, func(l rulebook.Level) bool { return l.String() == ask.Level })
		if i < 0 {
			return cannot("the rule %s does not judge %q", rule.Name, ask.Level)
		}
		level = rule.Levels[i]
	}
	// A draft of another shape is judged on columns of its own, and the
	// published rule on the published ones.
	var apart *measure.Engine
	if !rulebook.SameShape(published, draft) {
		if apart, err = r.figures.Engine(ctx, published); err != nil {
			return err
		}
	}
	return r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		a := &Answer{Book: draft, Rule: rule, Level: level, Engine: e, Before: map[string]int{}, Desks: map[string]int{}}
		a.Result = judge.Judge(e, rule, level, ask.Month)
		a.Tally = a.Result.Tally()
		var before *judge.Result
		if old := published.Rule(rule.Name); old != nil && old.On && slices.Contains(old.Levels, level) && judge.Holds(published, old, ask.Month) {
			engine := apart
			if engine == nil {
				engine = e.With(published)
			}
			was := r.published(engine, old, level, ask.Month)
			before, a.Published, a.Before = was.result, &was.tally, was.desks
		}
		a.find(before)
		if ask.LookBack > 0 {
			if err := r.lookBack(ctx, a, ask); err != nil {
				return err
			}
		}
		if ask.Key != "" {
			if err := a.whatIf(ask); err != nil {
				return err
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return then(a)
	})
}

// desks counts the flagged by the desk they would go to.
func desks(e *measure.Engine, r *judge.Result, to map[string]int) (flagged int) {
	codes, kind := r.Flagged(), r.Level.String()
	for _, code := range codes {
		to[routing.Desk(e.Book, routing.Item{Kind: kind, Rule: r.Rule.Name, Grade: r.Verdict(code).Grade, Attributes: r.Attributes(e, code)})]++
	}
	return len(codes)
}

// find says who is flagged, who flips, and who is near.
func (a *Answer) find(before *judge.Result) {
	keys, names := a.Engine.Names(a.Level)
	shown := func(code uint32, v judge.Verdict) Found {
		ev := judge.EvidenceFor(a.Engine, a.Result, code)
		f := Found{Key: keys[code], Name: names[code], After: v.Grade, Sentence: explain.Sentence(a.Book, a.Rule, a.Result.Month, v, ev)}
		f.Value, f.Yardstick = explain.Values(a.Book, a.Rule, ev)
		return f
	}
	flagged := a.Result.Flagged()
	desks(a.Engine, a.Result, a.Desks)
	slices.SortStableFunc(flagged, func(x, y uint32) int {
		p, q := a.Result.Verdict(x).Grade, a.Result.Verdict(y).Grade
		return a.Book.Severity(p) - a.Book.Severity(q)
	})
	for _, code := range flagged[:min(len(flagged), mostShown)] {
		a.Flagged = append(a.Flagged, shown(code, a.Result.Verdict(code)))
	}
	for _, f := range judge.Flips(before, a.Result) {
		switch {
		case f.Before.Grade == "":
			a.Turned[0]++
		case f.After.Grade == "":
			a.Turned[1]++
		default:
			a.Turned[2]++
		}
		if len(a.Flips) < mostShown {
			found := shown(f.Code, f.After)
			found.Before = f.Before.Grade
			a.Flips = append(a.Flips, found)
		}
	}
	for _, n := range a.Result.NearCut(a.Engine, mostNear) {
		a.Near = append(a.Near, shown(n.Code, a.Result.Verdict(n.Code)))
	}
}

func (r *Rehearser) lookBack(ctx context.Context, a *Answer, ask Ask) error {
	explained, err := r.store.Explained(ctx, a.Rule.Name, a.Level.String(), ask.Month-calendar.Month(ask.LookBack)+1, ask.Month)
	if err != nil {
		return err
	}
	keys, _ := a.Engine.Names(a.Level)
	for _, b := range judge.LookBack(a.Engine, a.Rule, a.Level, ask.Month, ask.LookBack) {
		out := Back{Back: b}
		for _, code := range b.Codes {
			if explained[store.SubjectMonth{Key: keys[code], Month: b.Month}] {
				out.Explained++
			}
		}
		a.Back = append(a.Back, out)
	}
	return nil
}

func (a *Answer) whatIf(ask Ask) error {
	code, ok := a.Engine.Code(a.Level, ask.Key)
	if !ok {
		return cannot("there is no %s %q", a.Book.One(a.Level), ask.Key)
	}
	changes := map[string]*big.Rat{}
	for name, text := range ask.WhatIf {
		if a.Book.Measure(name) == nil && name != "target" && name != "yardstick" {
			var known []string
			for _, m := range a.Book.Measures {
				known = append(known, m.Name)
			}
			return cannot("there is no measure %q%s", name, lang.Suggestion(name, append(known, "target", "yardstick")))
		}
		if text == "missing" {
			changes[name] = nil
			continue
		}
		n, err := lang.ParseNumber(text)
		if err != nil {
			return cannot("what if: %s: %s", name, err)
		}
		changes[name] = n.Rat()
	}
	if a.Rule.Outlier != nil || a.Rule.Window != nil {
		return cannot("a what-if is for threshold rules: %s holds a subject against others or against its last line", a.Rule.Name)
	}
	v, refused := judge.WhatIf(a.Engine, a.Result, code, changes)
	a.WhatIf = &WhatIf{v, refused}
	return nil
}

// Change is what a whole draft does to one rule at one level.
type Change struct {
	Rule          *rulebook.Rule
	Level         rulebook.Level
	Before, After *judge.Tally
	Turned        [3]int
}

// Changes is what a whole draft does: rule by rule, and desk by desk the
// exceptions it would have before and after.
type Changes struct {
	Book    *rulebook.Book
	Rules   []Change
	Before  map[string]int
	After   map[string]int
	Advice  []string
	Flagged [2]int
}

// Book rehearses all rules of a draft, in their order and with what stops
// them, against the published book.
func (r *Rehearser) Book(ctx context.Context, d Draft, m calendar.Month) (*Changes, error) {
	published, draft, err := r.draft(ctx, d)
	if err != nil {
		return nil, err
	}
	out := &Changes{Book: draft, Before: map[string]int{}, After: map[string]int{}}
	type part struct {
		rule  string
		level rulebook.Level
	}
	old := map[part]*judge.Result{}
	err = r.figures.Share(ctx, published, published, func(e *measure.Engine) error {
		for _, res := range judge.All(e, m) {
			old[part{res.Rule.Name, res.Level}] = res
			out.Flagged[0] += desks(e, res, out.Before)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		for _, res := range judge.All(e, m) {
			key := part{res.Rule.Name, res.Level}
			before := old[key]
			delete(old, key)
			t := res.Tally()
			c := Change{Rule: res.Rule, Level: res.Level, After: &t}
			if before != nil {
				b := before.Tally()
				c.Before = &b
			}
			for _, f := range judge.Flips(before, res) {
				switch {
				case f.Before.Grade == "":
					c.Turned[0]++
				case f.After.Grade == "":
					c.Turned[1]++
				default:
					c.Turned[2]++
				}
			}
			if t.Crowded() {
				out.Advice = append(out.Advice, Crowded(res.Rule, t))
			}
			out.Rules = append(out.Rules, c)
			out.Flagged[1] += desks(e, res, out.After)
		}
		for name, r := range e.Snapshot.Registers {
			if len(r.Keys) == 0 {
				out.Advice = append(out.Advice, fmt.Sprintf("the register of %s is empty: nobody can be judged", name))
			}
		}
		return ctx.Err()
	})
	for key, res := range old { // rules that the draft lacks, or that are off
		t := res.Tally()
		out.Rules = append(out.Rules, Change{Rule: res.Rule, Level: key.level, Before: &t, Turned: [3]int{0, t.Flagged, 0}})
	}
	slices.SortStableFunc(out.Rules, func(a, b Change) int { return strings.Compare(boolKey(a), boolKey(b)) })
	slices.Sort(out.Advice)
	return out, err
}

// boolKey sorts removed rules last, by name.
func boolKey(c Change) string {
	if c.After == nil {
		return "1" + c.Rule.Name + c.Level.String()
	}
	return "0"
}

// Crowded says that a rule marks so many that nothing stands out.
func Crowded(rule *rulebook.Rule, t judge.Tally) string {
	share := 100 * float64(t.Flagged) / float64(max(1, t.Judged()+t.NoData))
	text := fmt.Sprintf("%s flags %d of %d judged, %.0f%%: marks on so many do not stand out", rule.Name, t.Flagged, t.Judged()+t.NoData, share)
	if share > 50 {
		return text + "; mark the rarer side instead"
	}
	return text
}

// Solve asks for the value of a dial that flags about so many a month.
type Solve struct {
	Draft
	Dial   string
	Wanted float64
	Month  calendar.Month
	Months int
	Rules  []string // those that use the dial unless stated
}

// Solution is the value found, and what was tried.
type Solution struct {
	Dial  *rulebook.Dial
	Rules []string
	Best  judge.Tried
	Now   float64
	Tried []judge.Tried
}

// Solve finds a dial's value for a wanted number of exceptions.
func (r *Rehearser) Solve(ctx context.Context, s Solve) (*Solution, error) {
	published, draft, err := r.draft(ctx, s.Draft)
	if err != nil {
		return nil, err
	}
	dial := draft.Dial(s.Dial)
	if dial == nil {
		return nil, cannot("there is no dial %q%s", s.Dial, lang.Suggestion(s.Dial, dialNames(draft)))
	}
	out := &Solution{Dial: dial, Rules: s.Rules}
	if len(out.Rules) == 0 {
		out.Rules = draft.RulesUnder(s.Dial)
	}
	if len(out.Rules) == 0 {
		return nil, cannot("no rule uses the dial %s", s.Dial)
	}
	for _, name := range out.Rules {
		if draft.Rule(name) == nil {
			return nil, cannot("there is no rule %q", name)
		}
	}
	low, high, ok := dialRange(dial)
	if !ok {
		return nil, cannot("the dial %s has no range: state 'from' and 'to', between which a value is looked for", s.Dial)
	}
	step := amount.Amount(amount.Scale / 100)
	if dial.Percent {
		step = amount.Scale / 1000 // a tenth of a percent
	}
	err = r.figures.Share(ctx, published, draft, func(e *measure.Engine) error {
		out.Best, out.Tried = judge.SolveDial(e, s.Dial, out.Rules, s.Month, s.Months, s.Wanted, low, high, step)
		out.Now = math.NaN()
		now, _ := judge.SolveDial(e, s.Dial, out.Rules, s.Month, s.Months, s.Wanted, dial.Value, dial.Value, step)
		out.Now = now.Average
		return ctx.Err()
	})
	return out, err
}

func dialRange(d *rulebook.Dial) (low, high amount.Amount, ok bool) {
	if d.From == nil || d.To == nil {
		return 0, 0, false
	}
	return *d.From, *d.To, true
}

// IsRehearsal says whether an error is the asker's to mend.
func IsRehearsal(err error) bool {
	var e *ErrRehearsal
	return errors.As(err, &e)
}
