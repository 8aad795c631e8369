package judge

import (
	"maps"
	"slices"
	"sync"
	"weak"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// mostKept bounds what is kept, in bytes; when there is more, all is forgotten.
const mostKept = 192 << 20

// Cache keeps verdicts of periods for as long as nothing that they depend on is
// another: the book, the registers, the targets, and the lines of the feeds that the
// rule reads up to the period's end. All of these are never changed, only replaced. It
// is safe for concurrent use; the zero value is ready.
type Cache struct {
	mu   sync.Mutex
	all  map[keptKey]keptResult
	size int
}

// keptKey names what is judged. The book stands for all that rules say, dials too: another
// book, however alike, is judged anew.
type keptKey struct {
	book   *rulebook.Book
	rule   string
	level  rulebook.Level
	period calendar.Key
}

// keptResult is good for as long as its basis is the same as that which is asked for.
type keptResult struct {
	on     Basis
	result *Result
}

// Basis is the data that verdicts, and what led to them, depend on: of the same book the
// same basis has the same. It keeps none of the data from being forgotten, and shares what
// it holds with those that were made with it.
type Basis struct {
	feeds     map[string][]weak.Pointer[ledger.Chunk] // the chunks of each feed that is read
	registers map[string]weak.Pointer[ledger.Register]
	targets   map[ledger.SheetKey]weak.Pointer[ledger.Sheet]
}

// Same says whether nothing is another.
func (b Basis) Same(o Basis) bool {
	return maps.EqualFunc(b.feeds, o.feeds, slices.Equal) && maps.Equal(b.registers, o.registers) && maps.Equal(b.targets, o.targets)
}

// Bases answers for the basis of the verdicts of rules in a period, each at a level.
func Bases(e *measure.Engine, p calendar.Period) func(rule *rulebook.Rule, level rulebook.Level) Basis {
	all := Basis{map[string][]weak.Pointer[ledger.Chunk]{}, map[string]weak.Pointer[ledger.Register]{}, map[ledger.SheetKey]weak.Pointer[ledger.Sheet]{}}
	for kind, r := range e.Snapshot.Registers {
		all.registers[kind] = weak.Make(r)
	}
	for key, sheet := range e.Snapshot.Targets {
		all.targets[key] = weak.Make(sheet)
	}
	_, last := e.Book.Calendar.Span(p)
	for name, f := range e.Snapshot.Feeds {
		for _, c := range f.Chunks {
			if c.Month.First() <= last {
				all.feeds[name] = append(all.feeds[name], weak.Make(c))
			}
		}
	}
	return func(rule *rulebook.Rule, level rulebook.Level) Basis {
		out := Basis{map[string][]weak.Pointer[ledger.Chunk]{}, all.registers, all.targets}
		for _, name := range feedsOf(e, rule, level) {
			out.feeds[name] = all.feeds[name]
		}
		return out
	}
}

// wholly is the basis of all that there is.
func wholly(e *measure.Engine) Basis {
	out := Basis{map[string][]weak.Pointer[ledger.Chunk]{}, map[string]weak.Pointer[ledger.Register]{}, map[ledger.SheetKey]weak.Pointer[ledger.Sheet]{}}
	for kind, r := range e.Snapshot.Registers {
		out.registers[kind] = weak.Make(r)
	}
	for key, sheet := range e.Snapshot.Targets {
		out.targets[key] = weak.Make(sheet)
	}
	for name, f := range e.Snapshot.Feeds {
		for _, c := range f.Chunks {
			out.feeds[name] = append(out.feeds[name], weak.Make(c))
		}
	}
	return out
}

// feedsOf are the feeds whose lines bear on a rule's verdicts or on their evidence: where
// groups or pairs are looked at all, since who is not active is there by a line of any.
func feedsOf(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level) (out []string) {
	if !level.Plain() || e.Book.Gathers(rule) {
		for _, f := range e.Book.Feeds {
			out = append(out, f.Name)
		}
		return out
	}
	out = e.Book.FeedsRead(rule)
	named := slices.Clone(rule.Shows)
	for _, base := range rule.Base {
		named = append(named, base.Measure)
	}
	if rule.Stake != nil {
		named = append(named, rule.Stake.Tree.Names()...)
	}
	for _, name := range named {
		out = append(out, e.Book.FeedsUnder(name)...)
	}
	return out
}

// History is History, of which the verdicts of all periods but the last are kept:
// those have no line-up and no evidence.
func (k *Cache) History(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, last calendar.Period, n int) (out []*Result) {
	for _, p := range e.Book.Calendar.Run(last, n) {
		switch {
		case e.Stopped():
			return out
		case p == last:
			out = append(out, Judge(e, rule, level, p))
		default:
			out = append(out, k.judge(e, rule, level, p))
		}
	}
	return out
}

func (k *Cache) judge(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, p calendar.Period) *Result {
	key, on := keptKey{e.Book, rule.Name, level, e.Book.Calendar.Key(p)}, Bases(e, p)(rule, level)
	if level.Paired() {
		on = wholly(e) // verdicts are by code, and pairs are numbered over all lines
	}
	k.mu.Lock()
	known, ok := k.all[key]
	k.mu.Unlock()
	if ok && known.on.Same(on) {
		return known.result
	}
	r := Judge(e, rule, level, p)
	out := &Result{Rule: r.Rule, Level: r.Level, Period: r.Period, Empty: r.Empty, Verdicts: r.Verdicts}
	if e.Stopped() {
		return out // it may not be all
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.size += r.Bytes(); k.all == nil || k.size > mostKept {
		k.all, k.size = map[keptKey]keptResult{}, r.Bytes()
	}
	k.all[key] = keptResult{on, out}
	return out
}
