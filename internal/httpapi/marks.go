package httpapi

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"weak"

	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/books"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

// marking is where the marks of one table come from: what sweeps recorded, or what the rules
// say now. Praise is never recorded, so that it is always what they say now.
type marking struct {
	s       *server
	by      contract.MarksFrom
	book    *rulebook.Book  // whose rules they are
	text    string          // of the draft or the trial that it is of; "" is what is published
	where   string          // of which lines it is
	engine  *measure.Engine // that judges them; nil where nothing is judged
	periods []calendar.Period
	known   map[measure.Level][]store.FlagCount
}

func (m *marking) live() bool { return m.by != contract.MarksFromRecorded }

// keys are those of the periods.
func (m *marking) keys() []calendar.Key { return keysOf(m.book, m.periods) }

// counts are all marks of a level: flags and praise.
func (m *marking) counts(ctx context.Context, level measure.Level) ([]store.FlagCount, error) {
	if known, ok := m.known[level]; ok {
		return known, nil
	}
	var out []store.FlagCount
	if !m.live() {
		var err error
		if out, err = m.s.Sweep.FlagCounts(ctx, level.String(), m.keys()); err != nil {
			return nil, err
		}
	}
	for key, marks := range m.judged(level) {
		for _, mark := range marks {
			out = append(out, store.FlagCount{Key: key, Rule: mark.Rule.Name, Grade: mark.Grade, Period: m.book.Calendar.Key(mark.Period), Count: 1})
		}
	}
	if m.engine != nil && m.engine.Stopped() {
		return nil, ctx.Err()
	}
	m.known[level] = out
	return out, nil
}

// judged is what the rules say now of a level, by key: all, or praise alone where flags are
// those on record.
func (m *marking) judged(level measure.Level) map[string][]judge.Mark {
	if m.engine == nil {
		return nil
	}
	return m.s.marked.of(&m.s.verdicts, m.engine, level, m.periods, !m.live())
}

// sorted lists who is marked, in order, with the severity of the most serious mark, and those
// among them who are flagged.
func (m *marking) sorted(ctx context.Context, level measure.Level) (marked []string, severity []int, flagged []string, err error) {
	counts, err := m.counts(ctx, level)
	if err != nil {
		return nil, nil, nil, err
	}
	most, bad := map[string]int{}, map[string]bool{}
	for _, c := range counts {
		at := m.book.Severity(c.Grade)
		if known, ok := most[c.Key]; !ok || at < known {
			most[c.Key] = at
		}
		if g := m.book.Grade(c.Grade); g == nil || !g.Good {
			bad[c.Key] = true
		}
	}
	marked, flagged = make([]string, 0, len(most)), make([]string, 0, len(bad))
	for key := range most {
		if marked = append(marked, key); bad[key] {
			flagged = append(flagged, key)
		}
	}
	slices.Sort(marked)
	slices.Sort(flagged)
	for _, key := range marked {
		severity = append(severity, most[key])
	}
	return marked, severity, flagged, nil
}

// rows are the marks of some of a level, by key, the most serious first.
func (m *marking) rows(ctx context.Context, a measure.Ask, level measure.Level, keys []string) (map[string][]contract.RowMark, error) {
	out := map[string][]contract.RowMark{}
	if !m.live() {
		flags, err := m.s.Sweep.FlagsOf(ctx, level.String(), keys, m.keys())
		if err != nil {
			return nil, err
		}
		for _, e := range flags {
			mark := contract.RowMark{Exception: &e.ID, Case: e.CaseID, Period: keyText(m.book.Calendar, e.Period), Rule: e.Rule, Title: e.Rule, Grade: e.Grade,
				Sentence: e.Sentence}
			if rule := m.book.Rule(e.Rule); rule != nil {
				mark.Title, mark.Measure = rule.Title, standsOn(m.book, a.Measures, rule)
			}
			out[e.Key] = append(out[e.Key], mark)
		}
	}
	judged := m.judged(level)
	for _, key := range keys {
		for _, mark := range judged[key] {
			sentence := words.UpperFirst(m.book.MarkWords(mark.Rule, mark.Grade))
			out[key] = append(out[key], contract.RowMark{Period: m.book.Calendar.String(mark.Period), Rule: mark.Rule.Name, Title: mark.Rule.Title,
				Grade: mark.Grade, Sentence: sentence, Measure: standsOn(m.book, a.Measures, mark.Rule)})
		}
	}
	return out, nil
}

// standsOn is on which of some measures a rule's mark stands: the one that it looks at, or says
// that it marks; nil is the row.
func standsOn(book *rulebook.Book, measures []string, rule *rulebook.Rule) *string {
	on := rule.Marks
	if on == "" {
		on, _ = explain.MovedBy(book, rule)
	}
	if !slices.Contains(measures, on) {
		return nil
	}
	return &on
}

// unlike counts, among some levels, whom a rule gives now another grade than on record, or one
// of the two alone, in the periods that were swept.
func (m *marking) unlike(ctx context.Context, levels []measure.Level, swept map[calendar.Key]store.Sweep) (n int, err error) {
	type of struct {
		key, rule, grade string
		period           calendar.Key
	}
	type said struct {
		of
		now bool
	}
	for _, level := range levels {
		recorded, err := m.s.Sweep.FlagCounts(ctx, level.String(), m.keys())
		if err != nil {
			return 0, err
		}
		now, err := m.counts(ctx, level)
		if err != nil {
			return 0, err
		}
		all := map[said]bool{}
		put := func(counts []store.FlagCount, isNow bool) {
			for _, c := range counts {
				_, is := swept[c.Period]
				if g := m.book.Grade(c.Grade); is && (g == nil || !g.Good) {
					all[said{of{c.Key, c.Rule, c.Grade, c.Period}, isNow}] = true
				}
			}
		}
		put(recorded, false)
		put(now, true)
		differing := map[of]bool{} // of whom and by which rule, whatever the grade
		for s := range all {
			if !all[said{s.of, !s.now}] {
				differing[of{s.key, s.rule, "", s.period}] = true
			}
		}
		n += len(differing)
	}
	return n, nil
}

// says puts into words what the marks of a table are.
func (m *marking) says(ctx context.Context, levels []measure.Level) (*contract.TableMarking, error) {
	swept, err := m.s.Sweep.LastOf(ctx, m.keys()...)
	if err != nil {
		return nil, err
	}
	out := &contract.TableMarking{By: m.by, Unswept: []string{}}
	for _, p := range m.periods {
		judges := false // periods of which no rule judges those shown are not missed
		for _, level := range judge.Evaluated(m.book, p) {
			judges = judges || slices.Contains(levels, level)
		}
		if _, is := swept[m.book.Calendar.Key(p)]; !is && judges {
			out.Unswept = append(out.Unswept, m.book.Calendar.Words(p))
		}
	}
	if out.Narrowed = m.where != ""; m.live() && !out.Narrowed {
		n, err := m.unlike(ctx, levels, swept)
		if err != nil {
			return nil, err
		}
		out.Unlike = &n
	}
	return out, nil
}

// carried says of each column which rules mark it, and how many of those who are listed.
func (m *marking) carried(ctx context.Context, a measure.Ask, listed map[measure.Level]map[string]bool, columns []contract.TableColumn) error {
	type at struct {
		rule   string
		period calendar.Key
	}
	counts := map[at]int{}
	for level, keys := range listed {
		all, err := m.counts(ctx, level)
		if err != nil {
			return err
		}
		for _, c := range all {
			if keys[c.Key] {
				counts[at{c.Rule, c.Period}] += c.Count
			}
		}
	}
	for i := range columns {
		if a.Across.Kind != "" && i < len(columns)-1 {
			continue // of a table across another level they are told at the total
		}
		period := a.Periods[i%len(a.Periods)]
		for rule, level := range judge.Evaluated(m.book, period) {
			on := standsOn(m.book, a.Measures, rule)
			if listed[level] == nil || on == nil || *on != columns[i].Measure ||
				slices.ContainsFunc(columns[i].Rules, func(r contract.ColumnRule) bool { return r.Rule == rule.Name }) {
				continue
			}
			columns[i].Rules = append(columns[i].Rules, contract.ColumnRule{Rule: rule.Name, Title: rule.Title,
				Count: counts[at{rule.Name, m.book.Calendar.Key(period)}]})
		}
	}
	return nil
}

// mostMarked is how many levels are remembered of which all marks are known.
const mostMarked = 8

// keptMarks remembers what rules say of levels, so that scrolling through a table does not ask
// them again. Book and snapshot are never changed, only followed by others; neither is kept
// from being forgotten.
type keptMarks struct {
	mu  sync.Mutex
	all []markedLevel // the last asked for first
}

type markedLevel struct {
	book     weak.Pointer[rulebook.Book]
	snapshot weak.Pointer[ledger.Snapshot]
	level    measure.Level
	periods  []calendar.Period
	praise   bool
	marks    map[string][]judge.Mark
}

func (k *keptMarks) of(verdicts *judge.Cache, e *measure.Engine, level measure.Level, periods []calendar.Period, praise bool) map[string][]judge.Mark {
	asked := markedLevel{book: weak.Make(e.Book), snapshot: weak.Make(e.Snapshot), level: level, periods: periods, praise: praise}
	same := func(m markedLevel) bool {
		return m.book == asked.book && m.snapshot == asked.snapshot && m.level == level && m.praise == praise && slices.Equal(m.periods, periods)
	}
	k.mu.Lock()
	i := slices.IndexFunc(k.all, same)
	if i >= 0 {
		asked = k.all[i]
	}
	k.mu.Unlock()
	if i < 0 {
		keys, _ := e.Names(level)
		asked.marks = map[string][]judge.Mark{}
		for code, marks := range verdicts.Marks(e, level, periods, praise) {
			asked.marks[keys[code]] = marks
		}
		if e.Stopped() {
			return nil // it may not be all
		}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.all = append([]markedLevel{asked}, slices.DeleteFunc(k.all, same)...)
	k.all = k.all[:min(len(k.all), mostMarked)]
	return asked.marks
}

// mostJudged bounds how many verdicts are asked for at once for the marks of a table.
const mostJudged = 30_000_000

// markingOf is where the marks of a table come from, and the book of its figures: of a draft
// the draft's own.
func (s *server) markingOf(ctx context.Context, p contract.GetTableParams, published *rulebook.Book) (*marking, error) {
	m := &marking{s: s, by: or(p.Marks, contract.MarksFromRecorded), book: published, known: map[measure.Level][]store.FlagCount{}}
	if m.where = or(p.Where, ""); m.where != "" && m.by == contract.MarksFromRecorded {
		m.by = contract.MarksFromNow // what is on record is of all lines
	}
	names := rulebook.SplitFormulas(p.Measures)
	dials := or(p.Dials, "")
	switch {
	case m.by == contract.MarksFromDraft && dials != "":
		return nil, refusal(http.StatusBadRequest, "invalid-request", "dials: they are tried on the published rules, so that marks=draft does not go with them.")
	case (m.by == contract.MarksFromDraft || dials != "") && p.Version != nil:
		return nil, refusal(http.StatusBadRequest, "invalid-request", "version: drafts and trials mark the newest data.")
	case m.by == contract.MarksFromDraft:
		d, err := s.Books.Draft(ctx, whoAsks(ctx).Name)
		if err != nil {
			return nil, err
		}
		if d.Version == 0 {
			return nil, refusal(http.StatusNotFound, "not-found", "You have no draft. Marks by the published rules as they are now: marks=now.")
		}
		if m.book, err = s.drafts.read(d.Text); err != nil {
			return nil, refusal(http.StatusUnprocessableEntity, "draft-refused", "your draft has problems; the first: %s", err)
		}
		m.text = d.Text
	case dials != "":
		values, err := dialsOf(dials)
		if err != nil {
			return nil, err
		}
		if m.book, err = s.drafts.turned(published, dials, values); err != nil {
			return nil, refusal(http.StatusUnprocessableEntity, "trial-refused", "dials: %s", err)
		}
		m.by, m.text = contract.MarksFromTrial, "\x00"+dials // no text of a draft is such
	case m.by == contract.MarksFromTrial:
		m.by = contract.MarksFromNow
	}
	return m, m.narrow(names)
}

// dialsOf reads dials with their values, such as "floor=23%,drop=40%".
func dialsOf(text string) (map[string]string, error) {
	out := map[string]string{}
	for _, one := range strings.Split(text, ",") {
		name, value, is := strings.Cut(one, "=")
		if !is {
			return nil, refusal(http.StatusBadRequest, "invalid-request", "dials: expected dials with their values, such as floor=23%%; found %q.", one)
		}
		out[strings.TrimSpace(name)] = strings.TrimSpace(value)
	}
	return out, nil
}

// narrow makes the book one of certain lines, where some are asked for. Measures that are asked
// for must be among what it leaves.
func (m *marking) narrow(measures []string) error {
	if m.where == "" {
		return nil
	}
	book, err := m.s.narrowed.of(m.book, m.where)
	if err != nil {
		return refusal(http.StatusBadRequest, "condition-refused", "where: %s.", strings.TrimSuffix(err.Error(), "."))
	}
	for _, name := range measures {
		if of := m.book.Measure(name); of != nil && book.Measure(name) == nil {
			return refusal(http.StatusBadRequest, "condition-refused", "where: %s is made of lines that cannot be asked this.", titled(of))
		}
	}
	m.book = book
	return nil
}

// narrowedBook is the last book that was narrowed, as draftBooks are of drafts.
type narrowedBook struct {
	mu    sync.Mutex
	from  *rulebook.Book
	where string
	book  *rulebook.Book
}

func (n *narrowedBook) of(from *rulebook.Book, where string) (*rulebook.Book, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.book == nil || n.from != from || n.where != where {
		book, err := from.Narrowed(where)
		if err != nil {
			return nil, err
		}
		n.from, n.where, n.book = from, where, book
	}
	return n.book, nil
}

// ready gives it the engine that judges, where anything is to be judged.
func (m *marking) ready(ctx context.Context, a measure.Ask, published *rulebook.Book, version int64) (err error) {
	m.periods = a.Periods
	switch {
	case m.text != "":
		m.engine, err = m.s.Figures.EngineFor(ctx, published, m.book)
	case m.live() || len(m.book.GoodGrades()) > 0:
		m.engine, err = m.s.Figures.EngineAt(ctx, m.book, version)
	}
	if err != nil || m.engine == nil {
		return err
	}
	verdicts := 0
	for _, p := range a.Periods {
		for _, level := range judge.Evaluated(m.book, p) {
			if level == a.Level {
				verdicts += m.engine.Size(level)
			}
		}
	}
	if verdicts > mostJudged {
		return refusal(http.StatusBadRequest, "too-wide", "Marking %d periods takes %d verdicts; at most %d are judged at once. Ask for fewer periods.",
			len(a.Periods), verdicts, mostJudged)
	}
	return nil
}

// mostDrafts is how many texts are remembered: a dozen people may try at once.
const mostDrafts = 12

// draftBooks are the last drafts and trials that were read, by their texts: while one looks at
// one, it is asked for again and again.
type draftBooks struct {
	mu  sync.Mutex
	all []draftBook // the last asked for first
}

type draftBook struct {
	text string         // of the draft, or the dials of a trial
	from *rulebook.Book // that they are turned in; nil of a draft
	book *rulebook.Book
}

func (d *draftBooks) read(text string) (*rulebook.Book, error) {
	return d.of(draftBook{text: text}, func() (*rulebook.Book, error) {
		book, problems := rulebook.Read([]byte(text), method.All())
		if len(problems) > 0 {
			return nil, fmt.Errorf("%s", problems[0])
		}
		return book, nil
	})
}

// turned is the published book with other values of dials.
func (d *draftBooks) turned(published *rulebook.Book, text string, dials map[string]string) (*rulebook.Book, error) {
	return d.of(draftBook{text: text, from: published}, func() (*rulebook.Book, error) { return books.Turned(published, dials) })
}

func (d *draftBooks) of(one draftBook, make func() (*rulebook.Book, error)) (_ *rulebook.Book, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	same := func(b draftBook) bool { return b.text == one.text && b.from == one.from }
	if i := slices.IndexFunc(d.all, same); i >= 0 {
		one = d.all[i]
	} else if one.book, err = make(); err != nil {
		return nil, err
	}
	d.all = append([]draftBook{one}, slices.DeleteFunc(d.all, same)...)
	d.all = d.all[:min(len(d.all), mostDrafts)]
	return one.book, nil
}

// sortLegend puts the entries of a legend in order: by grade, then by rule.
func sortLegend(book *rulebook.Book, out []contract.LegendEntry) {
	at := func(e contract.LegendEntry) (grade, rule int) {
		return book.Severity(e.Grade), slices.IndexFunc(book.Rules, func(r rulebook.Rule) bool { return r.Name == e.Rule })
	}
	slices.SortFunc(out, func(x, y contract.LegendEntry) int {
		xg, xr := at(x)
		yg, yr := at(y)
		return cmp.Or(cmp.Compare(xg, yg), cmp.Compare(xr, yr), cmp.Compare(x.Rule, y.Rule))
	})
}

// markCrossed puts the marks of pairs on their cells in a table across another level, and those
// of what lies across on the totals.
func (m *marking) markCrossed(ctx context.Context, a measure.Ask, out *contract.Table) error {
	pairs := pairOf(a.Level, a.Across)
	marked, _, _, err := m.sorted(ctx, pairs)
	if err != nil {
		return err
	}
	at := map[string][2]int{} // row and column of each pair
	var keys []string
	for i, r := range out.Rows {
		for k, c := range out.Columns {
			if c.Across == nil || r.Depth != nil {
				continue
			}
			key := rulebook.PairKey(r.Key, *c.Across)
			if _, is := slices.BinarySearch(marked, key); is {
				keys, at[key] = append(keys, key), [2]int{i, k}
			}
		}
	}
	crossed, err := m.rows(ctx, a, pairs, keys)
	if err != nil {
		return err
	}
	for key, marks := range crossed {
		row, across := &out.Rows[at[key][0]], out.Columns[at[key][1]].Across
		row.Marks = ptr(append(or(row.Marks, nil), acrossMarks(marks, *across)...))
	}
	keys = nil
	for _, c := range out.Columns {
		if c.Across != nil {
			keys = append(keys, *c.Across)
		}
	}
	totals, err := m.rows(ctx, a, a.Across, keys)
	for key, marks := range totals {
		out.WholeMarks = ptr(append(or(out.WholeMarks, nil), acrossMarks(marks, key)...))
	}
	return err
}

func acrossMarks(marks []contract.RowMark, across string) []contract.RowMark {
	for i := range marks {
		marks[i].Across = &across
	}
	return marks
}

// markLines gives the points of lines the grades that they have.
func (m *marking) markLines(ctx context.Context, a measure.Ask, out *contract.Table) error {
	over := *m
	over.periods, over.known = a.Lines, map[measure.Level][]store.FlagCount{}
	keys := map[measure.Level][]string{}
	for _, r := range out.Rows {
		keys[rowLevel(a, r)] = append(keys[rowLevel(a, r)], r.Key)
	}
	for level, some := range keys {
		marks, err := over.rows(ctx, a, level, some)
		if err != nil {
			return err
		}
		for _, r := range out.Rows {
			if rowLevel(a, r) != level {
				continue
			}
			for i, c := range r.Cells {
				for k := range or(c.Line, nil) {
					point := &(*c.Line)[k]
					for _, mark := range marks[r.Key] { // the most serious first
						if point.Grade == nil && mark.Period == point.Period && or(mark.Measure, "") == out.Columns[i].Measure {
							point.Grade = &mark.Grade
						}
					}
				}
			}
		}
	}
	return nil
}

// rowLevel is the level of a row: of a subtotal that of its groups.
func rowLevel(a measure.Ask, r contract.TableRow) measure.Level {
	if r.Depth == nil {
		return a.Level
	}
	return a.Groups[*r.Depth-1]
}
