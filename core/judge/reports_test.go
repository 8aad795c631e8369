package judge_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// Who reports to whom alone: of the kinds that say both, of who is active on the day, and
// nobody to themselves or to two.
func TestReportsTo(t *testing.T) {
	book, problems := rulebook.Read([]byte(`oskel: 1
kinds:
  rep: {attributes: {manager: {type: person, is: reports to}, account: {type: person, is: self}}}
  agent: {attributes: {account: {type: person, is: self}, head: person}}
  nobody: {attributes: {manager: {type: person, is: reports to}, account: {type: person, is: self}}}
`), method.All())
	require.Empty(t, problems)
	day := calendar.Date(2026, 10, 31)
	register := func(kind string, rows ...[3]string) *ledger.Register {
		var keys []string
		var accounts, bosses []lang.Value
		for i, r := range rows {
			keys = append(keys, string(rune('A'+i)))
			accounts, bosses = append(accounts, said(r[0])), append(bosses, said(r[1]))
		}
		r := ledger.NewRegister(kind, keys, keys)
		r.SetAttribute("account", accounts)
		r.SetAttribute("manager", bosses)
		r.SetAttribute("head", bosses)
		for i, row := range rows {
			if row[2] == "left" {
				r.SetActive(uint32(i), ledger.Spell{First: ledger.Never, Last: day - 1})
			}
		}
		return r
	}
	snapshot := &ledger.Snapshot{Registers: map[string]*ledger.Register{
		"rep": register("rep", [3]string{"ann", "bob"}, [3]string{"cy", "bob"}, [3]string{"dot", "bob"}, [3]string{"dot", "eve"}, [3]string{"flo", "flo"},
			[3]string{"", "bob"}, [3]string{"gus", ""}, [3]string{"hal", "bob", "left"}, [3]string{"ida", "eve"}),
		"agent": register("agent", [3]string{"jo", "bob"}),
	}}
	assert.Equal(t, map[string]string{"bob": "ann cy", "eve": "ida"}, judge.ReportsTo(measure.New(book, snapshot), day))
}

func said(text string) lang.Value {
	if text == "" {
		return lang.Value{}
	}
	return lang.Value{Type: lang.TextType, Text: text}
}
