package judge

import (
	"maps"
	"slices"
	"sync"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
)

// mostKept bounds what is kept, in bytes; when there is more, all is forgotten.
const mostKept = 192 << 20

// Kept keeps verdicts of periods for as long as nothing that they depend on is
// another: the book, the registers, the targets, and the lines of the feeds that the
// rule reads up to the period's end. All of these are never changed, only replaced. It
// is safe for concurrent use; the zero value is ready.
type Kept struct {
	mu   sync.Mutex
	all  map[keptKey]keptResult
	size int
}

type keptKey struct {
	book   *rulebook.Book
	rule   string
	level  rulebook.Level
	period calendar.Key
}

type keptResult struct {
	on     basis
	result *Result
}

// basis is the data that verdicts depend on.
type basis struct {
	chunks    []*ledger.Chunk
	registers map[string]*ledger.Register
	targets   map[ledger.SheetKey]*ledger.Sheet
}

func (b basis) same(o basis) bool {
	return slices.Equal(b.chunks, o.chunks) && maps.Equal(b.registers, o.registers) && maps.Equal(b.targets, o.targets)
}

func basisOf(e *measure.Engine, rule *rulebook.Rule, last calendar.Day) basis {
	out := basis{registers: e.Snapshot.Registers, targets: e.Snapshot.Targets}
	feeds := e.Book.FeedsRead(rule)
	for _, base := range rule.Base {
		feeds = append(feeds, e.Book.FeedsUnder(base.Measure)...)
	}
	for _, name := range feeds {
		if f := e.Snapshot.Feeds[name]; f != nil {
			for _, c := range f.Chunks {
				if c.Month.First() <= last {
					out.chunks = append(out.chunks, c)
				}
			}
			out.chunks = append(out.chunks, nil) // the next feed's
		}
	}
	return out
}

// History is History, of which the verdicts of all periods but the last are kept:
// those have no line-up and no evidence.
func (k *Kept) History(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, last calendar.Period, n int) (out []*Result) {
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

func (k *Kept) judge(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, p calendar.Period) *Result {
	_, last := e.Book.Calendar.Span(p)
	key, on := keptKey{e.Book, rule.Name, level, e.Book.Calendar.Key(p)}, basisOf(e, rule, last)
	k.mu.Lock()
	known, ok := k.all[key]
	k.mu.Unlock()
	if ok && known.on.same(on) {
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
