package judge_test

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// A rule's basis is another when a month of a feed that it reads in any way is, up to the
// period's end, or a register or a target sheet; lines it does not read leave it the same.
func TestWhatARuleIsJudgedOn(t *testing.T) {
	text := strings.NewReplacer("grades:\n", "  visits: {date: day, subjects: {rep: rep}, numbers: {minutes: count}}\ngrades:\n",
		"desks:", "  time: {sum: visits.minutes, unit: count}\n  pace: {formula: \"revenue / time\", unit: money}\n  beside: {formula: "+
			"\"group_value(revenue, rep.territory)\", unit: money}\ndesks:").Replace(head)
	const plain = "judges: rep, threshold: {of: revenue, bands: [{grade: act, below: 3}, {clear: rest}]}"
	for _, c := range []struct {
		rule          string
		sales, visits bool // whether it hangs on them
	}{
		{plain, true, false},
		{plain + ", shows: [time]", true, true},
		{plain + ", stake: time * 2", true, true},
		{plain + ", base: {pace: at least 1}", true, true},
		{plain + ", persists: 2 of 3", true, false},
		{"judges: rep, outlier: {of: pace, by: standard score, beyond: 2, grade: act}", true, true},
		{"judges: rep, window: {silence: visits, at_least: 9 days, grade: act}", false, true},
		{"judges: rep, window: {followed: visits, by: sales, within: 9 days, grade: act}", true, true},
		// Which groups there are may hang on a line of any feed.
		{strings.Replace(plain, "judges: rep", "judges: rep.territory", 1), true, true},
		{strings.Replace(plain, "of: revenue", "of: revenue, against: beside, as: difference", 1), true, true},
	} {
		book, problems := rulebook.Read([]byte(text+"  - {name: it, "+c.rule+"}\n"), method.All())
		require.Empty(t, problems, c.rule)
		rule := book.Rule("it")
		month := func(m calendar.Month) *ledger.Chunk { return &ledger.Chunk{Month: m, Subjects: make([][]uint32, 1)} }
		feed := func(name string) *ledger.Feed {
			return &ledger.Feed{Name: name, Subjects: []string{"rep"}, Chunks: []*ledger.Chunk{month(october - 1), month(october), month(october + 1)}}
		}
		was := &ledger.Snapshot{
			Registers: map[string]*ledger.Register{"rep": ledger.NewRegister("rep", []string{"R0"}, []string{"R0"})},
			Feeds:     map[string]*ledger.Feed{"sales": feed("sales"), "visits": feed("visits")},
			Targets:   map[ledger.SheetKey]*ledger.Sheet{{Kind: "rep", Measure: "revenue"}: {}},
		}
		basis := func(s *ledger.Snapshot) judge.Basis {
			return judge.Bases(measure.New(book, s), calendar.MonthPeriod(october))(rule, rule.Levels[0])
		}
		changed := func(change func(s *ledger.Snapshot)) bool {
			now := &ledger.Snapshot{Version: was.Version + 1, Registers: maps.Clone(was.Registers), Feeds: map[string]*ledger.Feed{}, Targets: maps.Clone(was.Targets)}
			for name, f := range was.Feeds {
				of := *f
				of.Chunks = slices.Clone(f.Chunks)
				now.Feeds[name] = &of
			}
			change(now)
			return !basis(was).Same(basis(now))
		}
		assert.False(t, changed(func(*ledger.Snapshot) {}), c.rule)
		for name, hangs := range map[string]bool{"sales": c.sales, "visits": c.visits} {
			for k, within := range []bool{true, true, false} {
				assert.Equal(t, hangs && within, changed(func(s *ledger.Snapshot) { s.Feeds[name].Chunks[k] = month(s.Feeds[name].Chunks[k].Month) }),
					"%s: chunk %d of %s", c.rule, k, name)
			}
			assert.Equal(t, hangs, changed(func(s *ledger.Snapshot) { s.Feeds[name].Chunks = s.Feeds[name].Chunks[1:] }), "%s: a month of %s taken back", c.rule, name)
		}
		assert.True(t, changed(func(s *ledger.Snapshot) {
			s.Registers["rep"] = ledger.NewRegister("rep", []string{"R0"}, []string{"R0"})
		}), c.rule)
		assert.True(t, changed(func(s *ledger.Snapshot) {
			s.Targets[ledger.SheetKey{Kind: "rep", Measure: "revenue"}] = &ledger.Sheet{}
		}), c.rule)
	}
}
