package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/cli"
	"oskel/internal/client"
)

func file(t *testing.T, name, body string) string {
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(body), 0o644))
	return path
}

// The whole job from the command line, as an analyst and a reviewer do it.
func TestTheJobFromTheCommandLine(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	s := newService(t)
	defer s.stop()

	code, _, errs := s.oskel("", "exceptions", "-period", "2026-10")
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "oskel sign-in NAME")

	book := file(t, "rulebook.yaml", smallBook)
	code, out, errs := s.oskel("ana", "publish", "-note", "first", book)
	assert.Equal(t, 0, code, errs)
	assert.Empty(t, out)
	assert.Contains(t, errs, "Published revision 1")
	for _, args := range [][]string{{"-register", "rep", file(t, "reps.csv", smallReps)}, {"-targets", "rep", file(t, "targets.csv", smallTargets)},
		{"-feed", "sales", file(t, "sales.csv", smallSales)}} {
		code, _, errs = s.oskel("ana", append([]string{"load"}, args...)...)
		assert.Equal(t, 0, code, errs)
	}
	assert.Contains(t, errs, "Loaded 6 rows of sales.csv as intake 3, 2026-09 to 2026-10; totals: cost 3780, net 4999.9999.")

	code, _, errs = s.oskel("ana", "load", "-feed", "sales", file(t, "bad.csv", salesHead+"2026-10-05,A1,R9,1.23456,4\n"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `bad.csv, line 2, column rep: "R9": unknown rep`)
	assert.Contains(t, errs, `bad.csv, line 2, column net: "1.23456": expected a decimal`)

	code, out, errs = s.oskel("ana", "sweep", "-period", "2026-10")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "4 raised, 0 standing, 0 cleared")
	assert.Regexp(t, `thin-margin +rep +1 +2 +1 +1 +1`, out)
	code, _, errs = s.oskel("ana", "sweep", "-period", "2026-10")
	assert.Equal(t, 0, code)
	assert.Contains(t, errs, "Nothing has changed since sweep 1")
	code, _, errs = s.oskel("ana", "sweep", "-period", "2025-01")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "no feed has lines in the period: Jan 2025")

	code, out, errs = s.oskel("rob", "exceptions", "-period", "2026-10", "-grade", "act")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "◆ Act now")
	assert.Contains(t, out, "Margin rate is 10.0%, below 18%.")
	assert.Equal(t, "2 exceptions, at stake 120.\n", errs)

	code, out, _ = s.oskel("rob", "exceptions", "-period", "2026-10", "-format", "json")
	var list []client.Exception
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	assert.Equal(t, 0, code)
	assert.Len(t, list, 4)
	for _, args := range [][]string{{"table", "-by", "rep", "-period", "2026-10", "revenue"}, {"grid", "-period", "2026-10"},
		{"exceptions", "-period", "2026-10"}, {"cases"}, {"register", "rep"}} {
		code, out, errs = s.oskel("rob", slices.Concat(args[:1], []string{"-text", "nobody is called this", "-format", "json"}, args[1:])...)
		assert.Equal(t, 0, code, "%s: %s", args[0], errs)
		assert.Contains(t, out, "[]", args[0])
		assert.NotContains(t, out, "null", args[0])
	}
	_, out, _ = s.oskel("rob", "exceptions", "-period", "2026-10", "-format", "csv")
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 5)
	assert.Equal(t, []string{"2026-10", "act", "raised", "thin-margin"}, rows[1][1:5], "words, not marks, for machines")
	assert.Equal(t, []string{"0.1", "0.18", "percent", "120.0001", "south"}, rows[1][8:13], "numbers are numbers: a percentage is the fraction underneath")

	id := list[0].Id
	code, out, _ = s.oskel("rob", "show", itoa(id))
	assert.Equal(t, 0, code)
	for _, line := range []string{"Bera Made-Up (rep R2), Oct 2026", "At stake", "120.00", "Sep 2026", "30.0%", "Revision 1, data version 3, sweep 1."} {
		assert.Contains(t, out, line)
	}

	code, out, _ = s.oskel("rob", "cases")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "Bera Made-Up")
	assert.NotContains(t, out, "Cato Made-Up", "that case is on the other desk")
	number := itoa(s.caseOf("rob", "R2").Id)
	code, out, _ = s.oskel("rob", "case", "take", number)
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "taken by rob")
	code, _, errs = s.oskel("rea", "case", "settle", "-finding", "confirmed", number)
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "only members of the desk")
	code, _, _ = s.oskel("rob", "case", "comment", number, "Asked", "purchasing.")
	assert.Equal(t, 0, code)
	code, out, _ = s.oskel("rob", "case", "settle", "-finding", "confirmed", "-note", "Price goes up", number)
	assert.Equal(t, 0, code)
	assert.Regexp(t, `rob settled it: confirmed: Price goes up`, out)
	code, _, errs = s.oskel("rob", "case", "settle", "-finding", "confirmed", number)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "Rob settled it on 25 Nov 2026 as confirmed")

	code, out, errs = s.oskel("ana", "intake", "list")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "register rep")
	code, _, errs = s.oskel("ana", "intake", "revert", "3")
	assert.Equal(t, 0, code)
	assert.Contains(t, errs, "Intake 3 (sales.csv, 6 rows) was reverted by")
	code, out, _ = s.oskel("ana", "rulebook", "show")
	assert.Equal(t, 0, code)
	assert.Equal(t, smallBook, out[strings.Index(out, "\n")+1:])
	assert.Contains(t, out, "# From revision 1.")
	code, out, _ = s.oskel("ana", "rules", "-period", "2026-10")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "Act now when margin rate is below 18%")
	code, _, _ = s.oskel("ana", "sign-out")
	assert.Equal(t, 0, code)
	code, _, _ = s.oskel("", "person", "list")
	assert.Equal(t, 3, code)
}

func TestCheckWithoutAService(t *testing.T) {
	check := func(text string) (int, string, string) {
		var out, errs bytes.Buffer
		code := cli.Main(ctx, []string{"check", file(t, "book.yaml", text)}, nil, &out, &errs)
		return code, out.String(), errs.String()
	}
	code, out, errs := check(smallBook)
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "thin-margin (threshold): Each month, for every rep: Act now when margin rate is below 18%")
	assert.Contains(t, errs, "3 rules, 3 measures, 2 desks: no errors")
	code, out, errs = check(strings.NewReplacer("below: floor", "below: flor", "formula: \"(revenue", "formula: \"(margin").Replace(smallBook))
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "book.yaml:15:42: measures.margin.formula: circular reference between formulas: margin -> margin")
	assert.Contains(t, out, `unknown dial "flor"; did you mean floor?`)
	assert.Contains(t, errs, "2 problems")
}

// Each command explains itself, with an example; what is not understood says
// how it is used.
func TestHelpAndUsage(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	run := func(args ...string) (int, string, string) {
		var out, errs bytes.Buffer
		code := cli.Main(ctx, args, strings.NewReader(""), &out, &errs)
		return code, out.String(), errs.String()
	}
	code, overview, _ := run("help")
	assert.Equal(t, 0, code)
	for _, name := range []string{"serve", "demo", "load", "check", "publish", "sweep", "exceptions", "show", "cases"} {
		assert.Regexp(t, "(?m)^  "+name+" ", overview)
		code, out, errs := run(name, "-h")
		assert.Equal(t, 0, code)
		assert.Contains(t, out, "Example:\n  oskel "+name)
		assert.Empty(t, errs)
	}
	for _, args := range [][]string{{}, {"swep", "2026-10"}, {"sweep"}, {"sweep", "-x"}, {"show", "abc"}, {"load", "x.csv"},
		{"load", "-feed", "a", "-register", "b", "x.csv"}, {"publish", "x.yaml"}, {"settle", "1"}, {"exceptions", "-period", "2026-10", "-format", "xml"}} {
		code, _, _ := run(args...)
		assert.Equal(t, 2, code, "%v", args)
	}
	_, _, errs := run("swep")
	assert.Contains(t, errs, "did you mean sweep?")
	code, _, errs = run("exceptions", "-period", "2026-10", "-server", "http://127.0.0.1:1")
	assert.Equal(t, 4, code)
	assert.Contains(t, errs, "does not answer")
}

// The token is kept where only its owner reads it, one for each service; a
// variable overrules it, and signing out makes it void.
func TestTheTokenIsKeptPrivately(t *testing.T) {
	home := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", home)
	s, other := small(t), small(t)
	s.home, other.home = "", "" // as everybody's
	code, _, errs := s.oskelReading("", "wrong\n", "sign-in", "rea")
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "wrong user name or password")
	assert.NoFileExists(t, filepath.Join(home, "oskel", "tokens.json"))
	for _, at := range []*service{s, other} {
		code, _, errs = at.oskelReading("", password+"\n", "sign-in", "rea")
		require.Equal(t, 0, code, errs)
	}
	info, err := os.Stat(filepath.Join(home, "oskel", "tokens.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	text, err := os.ReadFile(filepath.Join(home, "oskel", "tokens.json"))
	require.NoError(t, err)
	var kept map[string]string
	require.NoError(t, json.Unmarshal(text, &kept))
	assert.Len(t, kept, 2)
	assert.NotContains(t, string(text), password)

	t.Setenv("OSKEL_TOKEN", kept[other.url]) // void at this service
	code, _, errs = s.oskel("", "cases")
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "oskel sign-in NAME")
	t.Setenv("OSKEL_TOKEN", "")
	code, _, _ = s.oskel("", "sign-out")
	assert.Equal(t, 0, code)
	refused(t, 401, "sign-in")(s.with(kept[s.url]).GetSession(ctx))
	code, _, errs = other.oskel("", "cases")
	assert.Equal(t, 0, code, errs)
	code, _, _ = s.oskel("", "cases")
	assert.Equal(t, 3, code)
}

// Accounts are made from the command line, by leads, and begin with a one-time password;
// an analyst needs no desk.
func TestAccountsFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	add := func(person string, args ...string) (int, string, string) {
		return s.oskel(person, append([]string{"person", "add"}, args...)...)
	}
	code, word, errs := add("lea", "-role", "analyst", "-title", "Ava Made-Up", "ava")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "Added Ava Made-Up (analyst).")
	assert.Regexp(t, `^([a-z2-7]{4}-){3}[a-z2-7]{4}\n$`, word)
	code, _, errs = add("lea", "-desk", "north", "-desk", "south", "both")
	assert.Equal(t, 0, code, errs)
	code, _, errs = add("lea", "-desk", "nowhere", "none")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "nowhere")
	code, _, _ = add("ana", "mine")
	assert.Equal(t, 3, code)
	code, _, _ = add("lea")
	assert.Equal(t, 2, code)
	code, out, _ := s.oskel("lea", "person", "list")
	assert.Equal(t, 0, code)
	assert.Regexp(t, `ava +Ava Made-Up +analyst`, out)
	assert.Regexp(t, `both +both +reviewer +north, south`, out)

	// What is not said of an account stays; one that is not there is said to be missing.
	code, _, errs = s.oskel("lea", "person", "change", "-title", "Both Desks", "both")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "Both Desks is a reviewer now, on north, south.")
	code, _, errs = s.oskel("", "person", "change", "-no-desks", "-role", "analyst", "both")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "Both Desks is an analyst now, on no desk.")
	for _, args := range [][]string{{"change-person", "-title", "X", "nobody"}, {"close-person", "nobody"}} {
		code, _, errs = s.oskel("", args...)
		assert.Equal(t, 1, code, args)
		assert.Contains(t, errs, `here is no open account "nobody"`, args)
	}
	code, _, errs = s.oskel("", "password", "nobody")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `There is no open account "nobody".`)
	for _, args := range [][]string{{"change-person"}, {"close-person", "a", "b"}, {"password", "a", "b"}} {
		code, _, _ = s.oskel("", args...)
		assert.Equal(t, 2, code, args)
	}
	code, _, errs = s.oskelReading("", word+"ava\n", "sign-in", "ava")
	assert.Equal(t, 1, code, errs)
	assert.Contains(t, errs, "needs 12 characters; this one has 3")
	code, _, errs = s.oskelReading("", word+"long enough now\n", "sign-in", "ava")
	assert.Equal(t, 0, code, errs)
	code, _, errs = s.oskelReading("", "long enough now\n", "sign-in", "ava")
	assert.Equal(t, 0, code, errs)
	code, _, _ = s.oskel("", "exceptions", "-period", "2026-10")
	assert.Equal(t, 0, code)
	code, _, errs = s.oskel("", "sign-out")
	assert.Equal(t, 0, code, errs)
	code, _, errs = s.oskel("", "exceptions", "-period", "2026-10")
	assert.Equal(t, 3, code, errs)
}

// A case is looked at, taken, put back and taken by another.
func TestACaseFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	number := itoa(s.caseOf("rea", "R3").Id)
	code, out, errs := s.oskel("rea", "case", "show", number)
	assert.Equal(t, 0, code, errs)
	for _, says := range []string{"Cato Made-Up", "There is no data on revenue for Oct 2026", "No order lines since 12 Sep 2026",
		"sweep 1 opened the case", "added a flag"} {
		assert.Contains(t, out, says)
	}
	code, _, errs = s.oskel("rea", "case", "return", number)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "taken")
	code, _, errs = s.oskel("rea", "case", "take", number)
	assert.Equal(t, 0, code, errs)
	code, out, errs = s.oskel("rea", "case", "return", number)
	assert.Equal(t, 0, code, errs)
	assert.Regexp(t, `rea returned it to the desk`, out)
	for _, verb := range []string{"show", "take", "return"} {
		code, _, _ = s.oskel("rea", "case", verb, "999")
		assert.Equal(t, 1, code, verb)
		code, _, _ = s.oskel("rea", verb, "first")
		assert.Equal(t, 2, code, verb)
	}
	code, out, _ = s.oskel("rea", "case", "show", number, "-format", "json")
	var detail client.CaseDetail
	require.NoError(t, json.Unmarshal([]byte(out), &detail))
	assert.Equal(t, 0, code)
	assert.Len(t, detail.Exceptions, 2)
}
