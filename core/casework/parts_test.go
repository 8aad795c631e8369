package casework_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/casework"
)

// Who is named: after no letter, once, without what ends a sentence.
func TestMentions(t *testing.T) {
	for text, names := range map[string][]string{
		"":                             nil,
		"@sig":                         {"sig"},
		"Hello @sig, @pim.":            {"sig", "pim"},
		"@sig @sig @sig":               {"sig"},
		"a.b@sig.example and a@pim":    nil,
		"@Sig @7up @ sig":              nil,
		"(@sig.h-) \"@pim\"\n@ned":     {"sig.h", "pim", "ned"},
		"é@sig 9@pim":                  nil,
		"see @sig's note, @@pim":       {"sig"},
		"@" + strings.Repeat("a", 41):  {strings.Repeat("a", 40)},
		"price@10 @sig-pim... @ned--x": {"sig-pim", "ned--x"},
	} {
		assert.Equal(t, names, casework.Mentions(text), text)
	}
	rapid.Check(t, func(t *rapid.T) {
		names := rapid.SliceOfNDistinct(rapid.StringMatching(`[a-z][a-z0-9]{0,9}`), 1, 5, rapid.ID[string]).Draw(t, "names")
		sep := rapid.SampledFrom([]string{" ", ", ", "; ", ") (", "\n"}).Draw(t, "sep")
		assert.Equal(t, names, casework.Mentions("@"+strings.Join(names, sep+"@")))
	})
}

func TestNobodyNamesACrowd(t *testing.T) {
	s := scene(t)
	var text []string
	for i := range 21 {
		text = append(text, fmt.Sprintf("@a%d", i))
	}
	c := open()
	_, err := s.Apply(&c, nell, casework.Action{Kind: "comment", Text: strings.Join(text, " ")})
	assert.ErrorContains(t, err, "20 people at most")
	_, err = s.Apply(&c, nell, casework.Action{Kind: "comment", Text: strings.Join(text[1:], " ")})
	assert.ErrorContains(t, err, `there is no account @a1; type @ and the name of an account`, "twenty are not too many")
}

// Nothing recovered is something to say.
func TestNothingRecovered(t *testing.T) {
	s := scene(t)
	c := open()
	e, err := s.Apply(&c, nell, casework.Action{Kind: "settle", Finding: "confirmed", Recovered: money(0), WrittenOff: money(0)})
	require.NoError(t, err)
	assert.Equal(t, "confirmed, recovered 0, written off 0", e.Text)
}

// Who was named may say something; nothing more than that.
func TestWhoIsNamedMaySay(t *testing.T) {
	s := scene(t)
	c := open()
	named := pim
	named.Named = true
	_, err := s.Apply(&c, pim, casework.Action{Kind: "comment", Text: "Ours"})
	assert.ErrorIs(t, err, casework.ErrNotYours)
	_, err = s.Apply(&c, named, casework.Action{Kind: "comment", Text: "Ours"})
	assert.NoError(t, err)
	_, err = s.Apply(&c, named, casework.Action{Kind: "take"})
	assert.ErrorIs(t, err, casework.ErrNotYours)
	for _, p := range []casework.Person{nell, ines, tor, named} {
		assert.True(t, casework.MaySay(&c, p), p.Name)
	}
	assert.False(t, casework.MaySay(&c, pim))
	c.Asked = "pim"
	assert.True(t, casework.MaySay(&c, pim))
}

// Every ending with what it begins with, what does not, and the bounds.
func TestFiles(t *testing.T) {
	begins := map[string]string{".pdf": "%PDF-1", ".png": "\x89PNG\r\n\x1a\n", ".jpg": "\xff\xd8\xff\xe0", ".jpeg": "\xff\xd8\xff\xe0", ".txt": "a",
		".csv": "a,b", ".eml": "From: a", ".xlsx": "PK\x03\x04", ".docx": "PK\x03\x04", ".pptx": "PK\x03\x04", ".ods": "PK\x03\x04", ".odt": "PK\x03\x04"}
	require.Len(t, casework.FileEndings(), len(begins))
	for _, ending := range casework.FileEndings() {
		kept, media, err := casework.CheckFile("dir/A file"+strings.ToUpper(ending), []byte(begins[ending]))
		require.NoError(t, err, ending)
		assert.Equal(t, "A file"+strings.ToUpper(ending), kept)
		assert.Contains(t, media, "/")
		_, _, err = casework.CheckFile("x"+ending, []byte("\x00\x01\x02"+begins[ending]))
		assert.ErrorContains(t, err, "does not match its name", ending)
	}
	for _, c := range []struct {
		name, content, says string
	}{
		{"", "x", "no name"}, {"/", "x", "no name"}, {".", "x", "no name"},
		{"a.exe", "x", "cannot be attached; allowed files end in .csv"}, {"a", "x", "cannot be attached; allowed files end in .csv"},
		{"a.pdf.js", "%PDF-", "cannot be attached; allowed files end in .csv"},
		{"a\n.txt", "x", "cannot be printed"}, {"\xff.txt", "x", "cannot be printed"},
		{strings.Repeat("a", 197) + ".txt", "x", "200 bytes at most"},
		{"a.txt", "", "is empty"},
		{"a.txt", strings.Repeat("x", casework.LargestFile+1), "10.0 MB at most"},
	} {
		_, _, err := casework.CheckFile(c.name, []byte(c.content))
		assert.ErrorContains(t, err, c.says, "%q", c.name)
	}
	_, _, err := casework.CheckFile(strings.Repeat("a", 196)+".txt", []byte(strings.Repeat("x", casework.LargestFile)))
	assert.NoError(t, err)
}

func TestTodos(t *testing.T) {
	s := scene(t)
	c := open()
	for _, x := range []struct {
		by   casework.Person
		todo casework.Todo
		says string
	}{
		{nell, casework.Todo{Text: " Call ", Owner: "sig", Due: today}, ""},
		{nell, casework.Todo{Text: "Call", Owner: "sig", Due: today + 366}, ""},
		{nell, casework.Todo{Text: strings.Repeat("x", 500), Owner: "sig", Due: today}, ""},
		{nell, casework.Todo{Text: strings.Repeat("x", 501), Owner: "sig", Due: today}, "500 bytes"},
		{nell, casework.Todo{Text: " ", Owner: "sig", Due: today}, "write what is to be done"},
		{nell, casework.Todo{Text: "Call", Owner: "nobody", Due: today}, `no account "nobody"`},
		{nell, casework.Todo{Text: "Call", Owner: "sig", Due: today - 1}, "the due day must be today or later; 4 Nov 2026 is past"},
		{nell, casework.Todo{Text: "Call", Owner: "sig", Due: today + 367}, "until 6 Nov 2027"},
		{pim, casework.Todo{Text: "Call", Owner: "sig", Due: today}, "only members"},
	} {
		err := s.CheckTodo(&c, x.by, &x.todo)
		if x.says == "" {
			assert.NoError(t, err)
			assert.Equal(t, strings.TrimSpace(x.todo.Text), x.todo.Text)
		} else {
			assert.ErrorContains(t, err, x.says)
		}
	}
	assert.True(t, casework.MayTick(pim, "pim", "nell", "north"))
	assert.True(t, casework.MayTick(pim, "sig", "pim", "north"))
	assert.True(t, casework.MayTick(sig, "nell", "nell", "north"))
	assert.False(t, casework.MayTick(pim, "sig", "nell", "north"))
}
