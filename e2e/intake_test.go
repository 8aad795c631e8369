package e2e

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

const salesHead = "day,order_no,rep,net,cost\n"

// Each broken file is refused whole, with file, line, column, value and what
// was expected; nothing of it stays.
func TestBrokenFilesAreRefusedWhole(t *testing.T) {
	t.Parallel()
	s := small(t)
	before := want[[]client.Intake](t, 200)(s.as("ana").ListIntakes(ctx))
	cases := []struct {
		name, into, into2, body string
		line                    int
		column, value, says     string
	}{
		{"a row cut short", "feed", "sales", salesHead + "2026-10-05,A1,R1,5\n", 2, "", "", "4 values, and the header has 5 columns"},
		{"a wrong date", "feed", "sales", salesHead + "2026-10-05,A1,R1,5,4\n2026-02-30,A2,R1,5,4\n", 3, "day", "2026-02-30", "expected a day of the calendar"},
		{"a date of another custom", "feed", "sales", salesHead + "31.10.2026,A1,R1,5,4\n", 2, "day", "31.10.2026", "such as 2026-10-31"},
		{"a slip of a century", "feed", "sales", salesHead + "0026-10-05,A1,R1,5,4\n", 2, "day", "0026-10-05", "between 1990"},
		{"too fine an amount", "feed", "sales", salesHead + "2026-10-05,A1,R1,1.23456,4\n", 2, "net", "1.23456", "more than four decimal places"},
		{"a comma for the point", "feed", "sales", salesHead + "2026-10-05,A1,R1,\"1,5\",4\n", 2, "net", "1,5", "not a decimal number"},
		{"too large an amount", "feed", "sales", salesHead + "2026-10-05,A1,R1,900000000000001,4\n", 2, "net", "900000000000001", "beyond 900 trillion"},
		{"a total too large", "feed", "sales", salesHead + strings.Repeat("2026-10-05,A1,R1,800000000000000,4\n", 2), 3, "net", "800000000000000",
			"the column's total is beyond"},
		{"an unknown rep", "feed", "sales", salesHead + "2026-10-05,A1,R9,5,4\n", 2, "rep", "R9", "unknown rep; did you mean R1?"},
		{"no rep", "feed", "sales", salesHead + "2026-10-05,A1,,5,4\n", 2, "rep", "", "expected the key of a rep"},
		{"no header", "feed", "sales", "2026-10-05,A1,R1,5,4\n", 1, "2026-10-05", "", "not a known column"},
		{"a column missing", "feed", "sales", "day,rep,net\n2026-10-05,R1,5\n", 1, "cost", "", "the header lacks this column"},
		{"a column twice", "feed", "sales", "day,rep,net,net,cost\n", 1, "net", "", "there twice"},
		{"semicolons", "feed", "sales", "day;order_no;rep;net;cost\n2026-10-05;A1;R1;5;4\n", 1, "", "", "separated by semicolons"},
		{"an open quotation mark", "feed", "sales", salesHead + "2026-10-05,\"A1,R1,5,4\n", 2, "", "", "quotation mark"},
		{"an empty file", "feed", "sales", "", 0, "", "", "the file is empty; expected a header"},
		{"a header alone", "feed", "sales", salesHead, 0, "", "", "a header and no rows"},
		{"a binary file", "feed", "sales", "PK\x03\x04\x00\x00\x00\x08", 1, "", "", "a binary file"},
		{"a control character", "register", "rep", "rep,name,territory\nR1,\x1b[31mArne,North\n", 2, "name", "\x1b[31mArne", "without control characters"},
		{"a name on two lines", "register", "rep", "rep,name,territory\nR1,\"Arne\nMade-Up\",North\n", 2, "name", "", "without control characters"},
		{"not UTF-8", "feed", "sales", salesHead + "2026-10-05,\xe4\xf6,R1,5,4\n", 2, "order_no", "", "UTF-8"},
		{"a subject twice", "register", "rep", "rep,territory\nR1,North\nR1,South\n", 3, "rep", "R1", "already on line 2"},
		{"gone before it came", "register", "rep", "rep,territory,active_from,active_to\nR1,North,2026-05-01,2026-04-30\n", 2, "active_to", "2026-04-30",
			"not before active_from"},
		{"a target for nobody", "targets", "rep", "rep,month,revenue\nR7,2026-10,5\n", 2, "rep", "R7", "unknown rep"},
		{"a target twice", "targets", "rep", "rep,month,revenue\nR1,2026-10,5\nR1,2026-10,6\n", 3, "rep", "R1", "already has targets for 2026-10 on line 2"},
		{"a target for no measure", "targets", "rep", "rep,month,revnue\nR1,2026-10,5\n", 1, "revnue", "", "did you mean revenue?"},
		{"a target for no month", "targets", "rep", "rep,month,revenue\nR1,October,5\n", 2, "month", "October",
			"expected a month, such as 2026-10, or a longer period"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			p := refused(t, 422, "file-refused")(s.send(c.into, c.into2, c.body))
			var told []string
			for _, f := range *p.Faults {
				line, column, value := 0, "", ""
				if f.Line != nil {
					line = *f.Line
				}
				if f.Column != nil {
					column, value = *f.Column, *f.Value
				}
				if line == c.line && strings.Contains(column, c.column) && (c.value == "" || value == c.value) && strings.Contains(f.Text, c.says) {
					assert.Equal(t, c.into2+".csv", *f.Where)
					return
				}
				told = append(told, column+" "+value+" "+f.Text)
			}
			assert.Fail(t, "not among the faults", "%q", told)
		})
	}
	assert.Equal(t, before, want[[]client.Intake](t, 200)(s.as("ana").ListIntakes(ctx)))
	s.load("feed", "sales", salesHead+"2026-10-08,A9,R1,5,4\n")
}

// Who is not in the register is named once, however many lines name them.
func TestUnknownSubjectsAreNamedOnce(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := refused(t, 422, "file-refused")(s.send("feed", "sales",
		salesHead+strings.Repeat("2026-10-05,A1,R9,5,4\n", 30)+"2026-10-05,A1,Q4,5,4\n2026-10-05,A1,R9,x,4\n"))
	var told []string
	for _, f := range *p.Faults {
		told = append(told, fmt.Sprint(*f.Line, " ", *f.Value, " ", f.Text))
	}
	assert.Equal(t, []string{"2 R9 unknown rep; did you mean R1? (a new one comes in with its register)",
		"32 Q4 unknown rep; did you mean R4? (a new one comes in with its register)",
		"33 x expected a decimal of at most four places, such as 1234.5: not a decimal number"}, told)
	assert.Equal(t, 33, *p.Count)

	empty := newService(t)
	t.Cleanup(empty.stop)
	empty.publish(smallBook, 0)
	p = refused(t, 422, "file-refused")(empty.send("feed", "sales", smallSales))
	assert.Equal(t, "unknown rep: its register is empty, and comes in first", (*p.Faults)[0].Text)
}

func TestFirstTwentyFaultsAndTheCount(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := refused(t, 422, "file-refused")(s.send("feed", "sales", salesHead+strings.Repeat("2026-10-05,A1,R1,x,4\n", 57)))
	assert.Len(t, *p.Faults, 20)
	assert.Equal(t, 57, *p.Count)
}

func TestWindowsFilesAreFine(t *testing.T) {
	t.Parallel()
	s := small(t)
	in := s.load("feed", "sales", "\xef\xbb\xbf"+strings.ReplaceAll(salesHead+"2026-10-09,\"A 1, \"\"x\"\"\",R1,-5.25,\n", "\n", "\r\n"))
	assert.Equal(t, map[string]string{"net": "-5.25", "cost": "0"}, in.Totals)
	assert.Equal(t, []string{"2026-10"}, in.Months)
	s.load("feed", "sales", salesHead+"2026-10-09,\"of two\nlines\",R1,1,1\n") // a note may
}

// endless is a line that does not end.
type endless struct{ left int }

func (e *endless) Read(p []byte) (int, error) {
	if e.left <= 0 {
		return 0, io.EOF
	}
	n := min(len(p), e.left)
	for i := range p[:n] {
		p[i] = 'x'
	}
	e.left -= n
	return n, nil
}

func TestTwoHundredMegabytesOfOneLine(t *testing.T) {
	s := small(t)
	p := refused(t, 422, "file-refused")(s.as("ana").CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales"}, "text/csv",
		&endless{200 << 20}))
	assert.Contains(t, (*p.Faults)[0].Text, "a line of more than 1048576 bytes")
}

func TestTheSameFileTwice(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := refused(t, 409, "already-loaded")(s.send("feed", "sales", smallSales))
	assert.Contains(t, *p.Detail, "intake 3")
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, 3))
	s.load("feed", "sales", smallSales) // taken back, it may come again
}

func TestReplacingAndTakingBack(t *testing.T) {
	t.Parallel()
	s := small(t)
	p := refused(t, 422, "file-refused")(s.send("feed", "sales", salesHead+"2026-09-30,A1,R1,5,4\n", replace("2026-10")))
	assert.Contains(t, (*p.Faults)[0].Text, "outside 2026-10")
	refused(t, 400, "not-possible")(s.send("feed", "sales", smallSales, replace("October")))
	refused(t, 400, "not-possible")(s.send("register", "rep", smallReps, replace("2026-10")))
	refused(t, 404, "not-found")(s.send("feed", "salse", smallSales))

	first := s.load("feed", "sales", salesHead+"2026-10-10,B1,R1,10,4\n", replace("2026-10"))
	second := s.load("feed", "sales", salesHead+"2026-10-11,B2,R1,20,4\n", replace("2026-10"))
	refused(t, 400, "not-possible")(s.as("ana").RevertIntake(ctx, first.Id))
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, second.Id))
	refused(t, 400, "not-possible")(s.as("ana").RevertIntake(ctx, second.Id))
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, first.Id))
	refused(t, 404, "not-found")(s.as("ana").RevertIntake(ctx, 99))
	// All is as it was: R2 is flagged as in the first lines.
	s.sweep("2026-10")
	assert.Contains(t, s.exceptions("2026-10"), "thin-margin R2")
}

// revenue is that of the whole; "" where there is none.
func (s *service) revenue(period string) string {
	s.t.Helper()
	table := want[client.Table](s.t, 200)(s.as("rea").GetTable(ctx, &client.GetTableParams{Measures: "revenue", Period: period}))
	if table.Whole[0].Exact == nil {
		return ""
	}
	return *table.Whole[0].Exact
}

// Not a month alone can be replaced: its lines in those days give way, all
// others stay, and taking back goes the same way backwards.
func TestReplacingAnyPeriod(t *testing.T) {
	t.Parallel()
	s := small(t)
	figures := func() [3]string {
		return [3]string{s.revenue("2026-07"), s.revenue("2026-09"), s.revenue("2026-10")}
	}
	states := [][3]string{figures()}
	assert.Equal(t, [3]string{"", "3000", "1999.9999"}, states[0])
	var done []int64
	for _, c := range []struct {
		period, row string
		months      []string
		then        [3]string
	}{
		{"2026-10-06", "2026-10-06,B1,R1,100,70", []string{"2026-10"}, [3]string{"", "3000", "1700.4999"}},
		{"2026-W41", "2026-10-11,B2,R1,7,4", []string{"2026-10"}, [3]string{"", "3000", "7"}},
		{"2026-W40", "2026-10-01,B3,R1,8,4", []string{"2026-09", "2026-10"}, [3]string{"", "3000", "15"}},
		{"2026-Q3", "2026-07-01,B4,R1,5,4", []string{"2026-07", "2026-08", "2026-09"}, [3]string{"5", "", "15"}},
		{"2026-H2", "2026-09-30,B5,R1,6,4", []string{"2026-07", "2026-08", "2026-09", "2026-10", "2026-11", "2026-12"}, [3]string{"", "6", ""}},
	} {
		in := s.load("feed", "sales", salesHead+c.row+"\n", replace(c.period))
		assert.Equal(t, c.months, in.Months, c.period)
		assert.Equal(t, c.then, figures(), c.period)
		states, done = append(states, figures()), append(done, in.Id)
	}
	for i := len(done) - 1; i >= 0; i-- {
		want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, done[i]))
		assert.Equal(t, states[i], figures())
	}
	p := refused(t, 422, "file-refused")(s.send("feed", "sales", salesHead+"2026-10-12,A1,R1,5,4\n", replace("2026-W41")))
	assert.Contains(t, (*p.Faults)[0].Text, "outside 2026-W41 (2026-10-05 to 2026-10-11)")
	for _, period := range []string{"2026-W54", "2026-13", "1800", "the fair"} {
		refused(t, 400, "not-possible")(s.send("feed", "sales", smallSales, replace(period)))
	}
}

// What one intake after another replaced comes back step by step, in registers
// and target sheets as in feeds, and lines in the order in which they came.
func TestTakingBackStepByStep(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.publish(strings.Replace(smallBook, "measures:\n",
		"measures:\n  opening: {first: sales.net, unit: money}\n  closing: {last: sales.net, unit: money}\n  aim: {formula: target(revenue), groups: own "+
			"figures, unit: money}\n", 1), 1)
	s.load("feed", "sales", salesHead+"2026-10-30,C1,R1,10,4\n2026-10-30,C2,R1,11,4\n")
	s.load("feed", "sales", salesHead+"2026-10-30,C3,R1,12,4\n2026-10-30,C4,R1,13,4\n")
	state := func() string {
		day := want[client.Table](t, 200)(s.as("rea").GetTable(ctx,
			&client.GetTableParams{Measures: "opening,closing", By: ptr("rep"), Period: "2026-10-30", Text: ptr("R1")})).Rows[0]
		month := want[client.Table](t, 200)(s.as("rea").GetTable(ctx,
			&client.GetTableParams{Measures: "aim", By: ptr("rep"), Period: "2026-10", Text: ptr("R1")})).Rows[0]
		history := want[[]client.RegisterEntry](t, 200)(s.as("rea").GetSubject(ctx, "rep", "R1"))
		assert.Equal(t, []string{"R1", "Arne Made-Up"}, []string{day.Key, month.Name}, "a file without names leaves them")
		return fmt.Sprint(history[0].Values["territory"], " ", *month.Cells[0].Exact, " ", *day.Cells[0].Exact, " ", *day.Cells[1].Exact)
	}
	states := []string{state()}
	assert.Equal(t, "North 1000 10 13", states[0])
	var done []int64
	for round, then := range []string{"East 2000 51 51", "West 3000 52 52"} {
		n := itoa(int64(round + 1))
		for _, in := range []client.Intake{
			s.load("feed", "sales", salesHead+"2026-10-30,D"+n+",R1,5"+n+",4\n", replace("2026-10-30")),
			s.load("register", "rep", "rep,territory\nR1,"+[]string{"East", "West"}[round]+"\n"),
			s.load("targets", "rep", "rep,month,revenue\nR1,2026-10,"+itoa(int64(2000+1000*round))+"\n"),
		} {
			done = append(done, in.Id)
		}
		assert.Equal(t, then, state())
		states = append(states, state())
	}
	for i := len(done) - 1; i >= 0; i-- {
		want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, done[i]))
		if i%3 == 0 {
			assert.Equal(t, states[i/3], state())
		}
	}
}

// A correction file replaces by key: the lines of its orders give way, wherever
// they lie, and come back when it is taken back.
func TestCorrectingByKey(t *testing.T) {
	t.Parallel()
	s := small(t)
	by := func(p *client.CreateIntakeParams) { p.Correct = ptr("order_no") }
	before := []string{s.revenue("2026-09"), s.revenue("2026-10")}
	// A1 of September moves to October, A6 is put right.
	in := s.load("feed", "sales", salesHead+"2026-10-02,A1,R1,1100,700\n2026-10-07,A6,R2,2000,900\n", by)
	assert.Equal(t, []string{"2026-09", "2026-10"}, in.Months)
	assert.Equal(t, []string{"2000", "4100"}, []string{s.revenue("2026-09"), s.revenue("2026-10")})
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, in.Id))
	assert.Equal(t, before, []string{s.revenue("2026-09"), s.revenue("2026-10")})
	p := refused(t, 400, "not-possible")(s.send("feed", "sales", smallSales, func(p *client.CreateIntakeParams) { p.Correct = ptr("orderno") }))
	assert.Contains(t, *p.Detail, "did you mean order_no?")
}

func ptr[T any](v T) *T { return &v }

// A sender that goes away in the middle leaves nothing.
func TestBrokenOffUpload(t *testing.T) {
	t.Parallel()
	s := small(t)
	before := want[[]client.Intake](t, 200)(s.as("ana").ListIntakes(ctx))
	r, w := io.Pipe()
	go func() {
		io.WriteString(w, salesHead+"2026-10-05,A1,R1,5,4\n")
		w.CloseWithError(io.ErrUnexpectedEOF)
	}()
	_, err := s.as("ana").CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales"}, "text/csv", r)
	require.Error(t, err)
	assert.Equal(t, before, want[[]client.Intake](t, 200)(s.as("ana").ListIntakes(ctx)))
	s.load("feed", "sales", salesHead+"2026-10-05,A1,R1,5,4\n")
}

// Whoever sends slowly keeps nobody else waiting.
func TestASlowSender(t *testing.T) {
	t.Parallel()
	s := small(t)
	r, w := io.Pipe()
	type answer struct {
		r   *http.Response
		err error
	}
	answered := make(chan answer, 1)
	slow := s.as("ana")
	go func() {
		r, err := slow.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales"}, "text/csv", r)
		answered <- answer{r, err}
	}()
	_, err := io.WriteString(w, salesHead)
	require.NoError(t, err)
	quick := s.load("feed", "sales", salesHead+"2026-10-05,A1,R1,5,4\n")
	_, err = io.WriteString(w, "2026-10-06,A2,R1,7,4\n")
	require.NoError(t, err)
	require.NoError(t, w.Close())
	a := <-answered
	late := want[client.Intake](t, 201)(a.r, a.err)
	assert.Greater(t, late.Id, quick.Id, "numbered when it is whole")
}

// What cannot be taken in, whatever the file holds, is said as such: not as a
// fault of the file.
func TestRefusedWhateverItHolds(t *testing.T) {
	t.Parallel()
	s := small(t)
	for _, c := range []struct {
		params client.CreateIntakeParams
		status int
		kind   string
	}{
		{client.CreateIntakeParams{Into: "feed", Name: "returns"}, 404, "not-found"},
		{client.CreateIntakeParams{Into: "register", Name: "shop"}, 404, "not-found"},
		{client.CreateIntakeParams{Into: "feed", Name: "sales", Replace: ptr("October")}, 400, "not-possible"},
		{client.CreateIntakeParams{Into: "feed", Name: "sales", Correct: ptr("order")}, 400, "not-possible"},
		{client.CreateIntakeParams{Into: "register", Name: "rep", Replace: ptr("2026-10")}, 400, "not-possible"},
	} {
		refused(t, c.status, c.kind)(s.as("ana").CreateIntakeWithBody(ctx, &c.params, "text/csv", strings.NewReader("no,such,columns\n")))
	}
}

func TestLoadingBeforeARulebook(t *testing.T) {
	t.Parallel()
	s := newService(t)
	defer s.stop()
	refused(t, http.StatusConflict, "no-rulebook")(s.send("feed", "sales", smallSales))
	refused(t, http.StatusConflict, "no-rulebook")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
}

// What looks like a slip of the pen is asked about, and taken in when it is meant: days
// far ahead, keys that differ from others in case alone.
func TestSlipsOfThePen(t *testing.T) {
	t.Parallel()
	s := small(t)
	far := salesHead + "2026-10-05,F1,R1,5,4\n2062-10-05,F2,R1,5,4\n"
	p := refused(t, 409, "doubtful")(s.send("feed", "sales", far))
	assert.Equal(t, "this looks like a typing mistake: day: lines are dated up to 2062-10-05, more than a year ahead", *p.Detail)
	twins := smallReps + "r1,Arne Again,North,,\nR8,Nova,South,,\nr8,Nova,South,,\n"
	p = refused(t, 409, "doubtful")(s.send("register", "rep", twins))
	assert.Contains(t, *p.Detail, `the new key "r1" differs from "R1" in case alone; the new key "r8" differs from "R8" in case alone`)
	report := want[client.IntakeReport](t, 200)(s.send("register", "rep", twins, func(p *client.CreateIntakeParams) { p.DryRun = ptr(true) }))
	assert.Len(t, *report.Doubts, 2)
	meant := func(p *client.CreateIntakeParams) { p.AcceptWarnings = ptr(true) }
	s.load("register", "rep", twins, meant)
	s.load("feed", "sales", far, meant)
	s.load("register", "rep", twins+"R10,New,South,,\n") // known by now

	file := filepath.Join(t.TempDir(), "far.csv")
	require.NoError(t, os.WriteFile(file, []byte(salesHead+"2062-10-06,F3,R1,5,4\n"), 0o600))
	code, _, errs := s.oskel("ana", "load", "-feed", "sales", file)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "To load the file as it is, say so with -yes.")
	code, out, errs := s.oskel("ana", "load", "-feed", "sales", "-dry-run", file)
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out+errs, "more than a year ahead")
	code, _, errs = s.oskel("ana", "load", "-feed", "sales", "-yes", file)
	assert.Equal(t, 0, code, errs)
}

// The same file with other line ends is the same file.
func TestTheSameFileWithOtherLineEnds(t *testing.T) {
	t.Parallel()
	s := small(t)
	file := salesHead + "2026-10-05,E1,R1,5,4\n2026-10-06,E2,R1,5,4\n"
	s.load("feed", "sales", file)
	p := refused(t, 409, "already-loaded")(s.send("feed", "sales", strings.ReplaceAll(file, "\n", "\r\n")))
	assert.Contains(t, *p.Detail, "this file was already loaded")
	refused(t, 400, "invalid-request")(s.send("feed", "sales", file, func(p *client.CreateIntakeParams) { p.File = ptr("a\x1b[2J.csv") }))
}
