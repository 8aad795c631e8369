package cli

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/rulebook"
	"oskel/internal/client"
)

func TestTablesAlignAndWrap(t *testing.T) {
	var out bytes.Buffer
	e := &env{out: &out, format: "table", width: 44}
	columns := []column{{head: "id", right: true}, {head: "grade"}, {head: "sentence", wrap: true}}
	require.NoError(t, e.show(nil, columns, [][]string{{"9", "\x1b[31m◆ Act now\x1b[0m", "Margin rate is 17.1%, below 18%."}, {"120", "Look", "Short."}}))
	assert.Equal(t, ` ID  GRADE      SENTENCE
  9  `+"\x1b[31m◆ Act now\x1b[0m"+`  Margin rate is 17.1%, below
                18%.
120  Look       Short.
`, out.String(), "colours take no room, and what wraps stays in its column")

	out.Reset()
	e.format = "csv"
	require.NoError(t, e.show(nil, []column{{head: "no data", right: true}}, [][]string{{"a, b"}}))
	assert.Equal(t, "no_data\n\"a, b\"\n", out.String())

	out.Reset()
	e.format = "json"
	require.NoError(t, e.show(map[string]string{"a": "<b>"}, nil, nil))
	assert.Equal(t, "{\n  \"a\": \"<b>\"\n}\n", out.String())
}

func TestEveryMarkIsDrawn(t *testing.T) {
	for _, shape := range rulebook.Shapes {
		assert.NotEmpty(t, rulebook.Glyphs[shape], shape)
	}
	for _, tone := range rulebook.Tones {
		assert.NotEmpty(t, tones[tone], tone)
	}
}

func TestMarksAreWordsWithoutATerminal(t *testing.T) {
	plain := &env{format: "table"}
	assert.Equal(t, "▲ Look", plain.mark("triangle", "amber", "Look"))
	colour := &env{format: "table", colour: true}
	assert.Equal(t, "\x1b[33m▲ Look\x1b[0m", colour.mark("triangle", "amber", "Look"))
	machine := &env{format: "csv", colour: true}
	assert.Equal(t, "Look", machine.mark("triangle", "amber", "Look"))
}

func TestColumnHeads(t *testing.T) {
	column := func(measure, period string) client.TableColumn {
		return client.TableColumn{Measure: measure, Title: "The " + measure, Period: period, Label: "in " + period}
	}
	for _, c := range []struct {
		columns []client.TableColumn
		want    []string
	}{
		{[]client.TableColumn{column("a", "1"), column("b", "1")}, []string{"The a", "The b"}},
		{[]client.TableColumn{column("a", "1"), column("a", "2")}, []string{"in 1", "in 2"}},
		{[]client.TableColumn{column("a", "1"), column("b", "2")}, []string{"The a in 1", "The b in 2"}},
	} {
		assert.Equal(t, c.want, heads(client.Table{Columns: c.columns}))
	}
}
