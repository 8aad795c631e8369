package e2e

import (
	"bytes"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/casework"
	"oskel/internal/client"
)

func (s *service) toldTo(t *testing.T, person string) (what []string) {
	for _, n := range want[client.Notifications](t, 200)(s.as(person).ListNotifications(ctx, &client.ListNotificationsParams{Unseen: ptr(true)})).Items {
		what = append(what, n.By+" "+string(n.What)+" "+n.Text)
	}
	return what
}

func day(text string) openapi_types.Date {
	d, err := time.Parse(time.DateOnly, text)
	if err != nil {
		panic(err)
	}
	return openapi_types.Date{Time: d}
}

// Who is named with an @ is told, and may answer on a case of another desk; what is done
// is told to whom it concerns, and not to who did it.
func TestNamedAndTold(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R3").Id
	say := func(person, text string) (*http.Response, error) {
		return onCase(s.as(person), id, toSay(text))
	}
	refused(t, 403, "not-allowed")(say("rob", "mine?"))
	assert.Contains(t, *refused(t, 409, "case-state")(say("rea", "what of @rob and @robert?")).Detail,
		`There is no account @robert; type @ and the name of an account`)
	assert.Empty(t, s.toldTo(t, "rob"), "nothing half done")
	refused(t, 409, "case-state")(say("rea", strings.Repeat("@a@b ", 2)))

	want[[]client.Case](t, 200)(say("rea", "Is it yours, @rob? (@rea, @rob.) x@ana.example"))
	assert.Equal(t, []string{"rea mentioned Is it yours, @rob? (@rea, @rob.) x@ana.example"}, s.toldTo(t, "rob"))
	assert.Empty(t, s.toldTo(t, "rea"))
	assert.Empty(t, s.toldTo(t, "ana"), "the address of a mail names nobody")
	assert.True(t, want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, id)).MaySay)
	want[[]client.Case](t, 200)(say("rob", "<b>No</b>, @rea"))
	assert.Equal(t, []string{"rob mentioned <b>No</b>, @rea"}, s.toldTo(t, "rea"))

	// All of it is there, page by page, and none of it is seen before it was shown.
	_, err := s.pool(t).Exec(ctx, "insert into notices (person, case_id, what, text, author) select 'lea', $1, 'mentioned', 'no ' || n, 'rea' from "+
		"generate_series(1, 450) n", id)
	require.NoError(t, err)
	code, out, errs := s.oskel("lea", "notifications", "-keep-unread", "-format", "csv")
	require.Equal(t, 0, code, errs)
	assert.Equal(t, 451, strings.Count(out, "\n"))
	assert.Contains(t, out, ",no 1,")
	last := want[client.Notifications](t, 200)(s.as("lea").ListNotifications(ctx, &client.ListNotificationsParams{Skip: ptr(449)}))
	assert.Equal(t, 450, last.News)
	assert.Equal(t, "no 1", last.Items[0].Text)
	want[struct{}](t, 204)(s.as("lea").MarkNotificationsRead(ctx, client.NotificationsRead{UpTo: last.Items[0].Id + 449}))

	// Seen is seen; by the command line too.
	code, out, errs = s.oskel("rob", "notifications")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "Is it yours")
	assert.Empty(t, s.toldTo(t, "rob"))
	code, out, _ = s.oskel("rob", "notifications", "-all", "-format", "csv")
	require.Equal(t, 0, code)
	assert.Contains(t, out, "rea,mentioned you")

	// Handed over and undone: told, and told no more. Asked and answered: who asked is told.
	hand := act(client.CaseActDoHandOver, id)
	hand.Person = ptr("ned")
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx, hand))
	var told int
	nedsNews := "select count(*) from notices where person = 'ned'"
	require.NoError(t, s.pool(t).QueryRow(ctx, nedsNews).Scan(&told))
	assert.Equal(t, 1, told)
	want[[]client.Case](t, 200)(s.as("lea").UndoOnCases(ctx, client.CaseUndo{Cases: []int64{id}}))
	require.NoError(t, s.pool(t).QueryRow(ctx, nedsNews).Scan(&told))
	assert.Zero(t, told)
	want[[]client.Case](t, 200)(s.as("rea").ActOnCases(ctx, act(client.CaseActDoTake, id)))
	code, _, _ = s.oskel("rea", "notifications")
	require.Equal(t, 0, code)
	ask := act(client.CaseActDoAsk, id)
	ask.Person, ask.Text = ptr("ana"), ptr("Right?")
	want[[]client.Case](t, 200)(s.as("lea").ActOnCases(ctx, ask))
	assert.Equal(t, []string{"lea asked Right?"}, s.toldTo(t, "ana"))
	assert.Equal(t, []string{"lea asked ana: Right?"}, s.toldTo(t, "rea"), "who holds the case is told")
	want[[]client.Case](t, 200)(say("ana", "Yes."))
	assert.Equal(t, []string{"ana answered Yes."}, s.toldTo(t, "lea"))
	news := want[client.Notifications](t, 200)(s.as("lea").ListNotifications(ctx, &client.ListNotificationsParams{}))
	want[struct{}](t, 204)(s.as("lea").MarkNotificationsRead(ctx, client.NotificationsRead{UpTo: news.Items[0].Id, Case: ptr(id + 1)}))
	assert.Len(t, s.toldTo(t, "lea"), 1, "of another case")
}

// Files: what may be attached is, byte for byte, and comes back to be kept and not shown.
func TestFilesOfACase(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("lea", "R3").Id
	send := func(person, name string, content string) (*http.Response, error) {
		return s.as(person).AddCaseFileWithBody(ctx, id, &client.AddCaseFileParams{Name: name}, "application/octet-stream", strings.NewReader(content))
	}
	pdf := "%PDF-1.7\n\x00\x01 bytes"
	f := want[client.CaseFile](t, 201)(send("rea", `C:\tmp\Rechnung "März".pdf`, pdf))
	assert.Equal(t, `Rechnung "März".pdf`, f.Name)
	assert.Equal(t, len(pdf), f.Size)
	r, err := s.as("rob").GetCaseFile(ctx, id, f.Id)
	require.NoError(t, err)
	got, _ := io.ReadAll(r.Body)
	assert.Equal(t, pdf, string(got))
	assert.Contains(t, r.Header.Get("Content-Disposition"), "attachment")
	assert.Contains(t, r.Header.Get("Content-Security-Policy"), "sandbox")
	assert.Equal(t, "nosniff", r.Header.Get("X-Content-Type-Options"))
	refused(t, 404, "not-found")(s.as("rob").GetCaseFile(ctx, id+1, f.Id))

	for _, bad := range []struct{ name, content, says string }{
		{"tool.exe", "MZ", "cannot be attached; allowed files end in .csv"},
		{"page.html", "<script>", "cannot be attached; allowed files end in .csv"},
		{"picture.svg", "<svg/>", "cannot be attached; allowed files end in .csv"},
		{"invoice.pdf", "MZ", "does not match its name"},
		{"a.txt", "a\x00b", "does not match its name"},
		{"a.txt", "", "is empty"},
		{"..", "x", "cannot be attached; allowed files end in .csv"},
		{"a\u0007.txt", "x", "cannot be printed"},
	} {
		assert.Contains(t, *refused(t, 409, "case-state")(send("rea", bad.name, bad.content)).Detail, bad.says, bad.name)
	}
	refused(t, 413, "too-large")(s.as("rea").AddCaseFileWithBody(ctx, id, &client.AddCaseFileParams{Name: "a.txt"}, "application/octet-stream",
		io.LimitReader(forever{}, casework.LargestFile+1)))
	refused(t, 403, "not-allowed")(send("rob", "a.txt", "of another desk"))

	// By the command line; two gigabytes are refused at once.
	dir := t.TempDir()
	huge, note := filepath.Join(dir, "huge.pdf"), filepath.Join(dir, "note.txt")
	require.NoError(t, os.WriteFile(note, []byte("Called."), 0o600))
	require.NoError(t, os.WriteFile(huge, nil, 0o600))
	require.NoError(t, os.Truncate(huge, 2<<30))
	code, _, errs := s.oskel("rea", "case", "attach", itoa(id), huge)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "larger than 10 MB")
	code, out, errs := s.oskel("rea", "case", "attach", itoa(id), note)
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "note.txt")
	detail := want[client.CaseDetail](t, 200)(s.as("rob").GetCase(ctx, id))
	require.Len(t, detail.Files, 2, "nothing of what was refused")
	to := filepath.Join(dir, "back.txt")
	code, _, errs = s.oskel("rob", "case", "file", "-o", to, itoa(id), itoa(detail.Files[1].Id))
	require.Equal(t, 0, code, errs)
	back, err := os.ReadFile(to)
	require.NoError(t, err)
	assert.Equal(t, "Called.", string(back))

	// Taken away by who attached it; the trail keeps its name.
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("ana").RemoveCaseFile(ctx, id, f.Id)).Detail, "Only rea or a lead may remove it")
	want[struct{}](t, 204)(s.as("rea").RemoveCaseFile(ctx, id, f.Id))
	refused(t, 404, "not-found")(s.as("rea").GetCaseFile(ctx, id, f.Id))
	trail := want[client.CaseDetail](t, 200)(s.as("rea").GetCase(ctx, id)).Events
	assert.Equal(t, client.CaseEventWhat("file removed"), trail[len(trail)-1].What)
	var kept int
	require.NoError(t, s.pool(t).QueryRow(ctx, "select count(*) from case_files where content is not null").Scan(&kept))
	assert.Equal(t, 1, kept)
	for i := range casework.MostFiles - 1 {
		want[client.CaseFile](t, 201)(send("rea", itoa(int64(i))+".txt", "x"))
	}
	assert.Contains(t, *refused(t, 409, "case-state")(send("rea", "one.txt", "more")).Detail, "It already has 20 files")
}

type forever struct{}

func (forever) Read(p []byte) (int, error) { return copy(p, bytes.Repeat([]byte("x"), len(p))), nil }

// What is to be done: by whom, by when, told, done, and taken away.
func TestTodosOfACase(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-11-05 09:00")
	s := reviewed(t, &c)
	id := s.caseNamed(t, "R3").Id
	code, _, errs := s.oskel("rea", "todo", "add", "-by", "2026-11-04", itoa(id), "Call")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "4 Nov 2026 is past")
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").AddTodo(ctx, id,
		client.NewTodo{Text: "Call", Owner: ptr("nobody"), Due: day("2026-11-09")})).Detail, `no account "nobody"`)
	refused(t, 409, "case-state")(s.as("rea").AddTodo(ctx, id, client.NewTodo{Text: "  ", Due: day("2026-11-09")}))
	refused(t, 403, "not-allowed")(s.as("rob").AddTodo(ctx, id, client.NewTodo{Text: "Call", Due: day("2026-11-09")}))
	code, out, errs := s.oskel("rea", "todo", "add", "-by", "2026-11-09", "-who", "ana", itoa(id), "Load", "the", "returns")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "Load the returns")
	mine := want[client.Todo](t, 201)(s.as("rea").AddTodo(ctx, id, client.NewTodo{Text: "Call", Due: day("2026-11-06")}))
	assert.Equal(t, "rea", mine.Owner)
	assert.Equal(t, []string{"rea to-do added Load the returns, by 9 Nov 2026"}, s.toldTo(t, "ana"))

	// Mine, and everybody's by day.
	todos := func(person string, all bool) (texts []string) {
		for _, d := range want[[]client.Todo](t, 200)(s.as(person).ListTodos(ctx, &client.ListTodosParams{All: &all})) {
			texts = append(texts, d.Text)
		}
		return texts
	}
	assert.Equal(t, []string{"Load the returns"}, todos("ana", false))
	assert.Equal(t, []string{"Call", "Load the returns"}, todos("ana", true))
	assert.Empty(t, todos("rob", false))
	c.set(t, "2026-11-10 09:00")
	late := want[[]client.Todo](t, 200)(s.as("ana").ListTodos(ctx, &client.ListTodosParams{}))
	require.True(t, late[0].Late)

	// Done, which who added it is told; not done after all; taken away.
	refused(t, 403, "not-allowed")(s.as("rob").UpdateTodo(ctx, late[0].Id, client.TodoTick{Done: true}))
	code, out, errs = s.oskel("ana", "todo", "done", itoa(late[0].Id))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "by ana")
	assert.Equal(t, []string{"ana to-do done Load the returns"}, s.toldTo(t, "rea"))
	assert.Empty(t, todos("ana", false))
	want[client.Todo](t, 200)(s.as("ana").UpdateTodo(ctx, late[0].Id, client.TodoTick{Done: true}))
	assert.Len(t, s.toldTo(t, "rea"), 1, "done twice is done once")
	code, _, errs = s.oskel("ana", "todo", "done", "-not", itoa(late[0].Id))
	require.Equal(t, 0, code, errs)
	assert.Len(t, todos("ana", false), 1)
	code, _, errs = s.oskel("lea", "todo", "remove", itoa(late[0].Id))
	require.Equal(t, 0, code, errs)
	refused(t, 404, "not-found")(s.as("lea").RemoveTodo(ctx, late[0].Id))
	assert.Equal(t, []string{"Call"}, todos("lea", true))
	for range casework.MostTodos - 1 {
		want[client.Todo](t, 201)(s.as("rea").AddTodo(ctx, id, client.NewTodo{Text: "More", Due: day("2026-11-12")}))
	}
	assert.Contains(t, *refused(t, 409, "case-state")(s.as("rea").AddTodo(ctx, id, client.NewTodo{Text: "One", Due: day("2026-11-12")})).Detail,
		"It has 20 open to-dos")
}

// The page of a case and what is for oneself, in the console.
func TestPartsOfACaseInTheConsole(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	id := s.caseOf("lea", "R3").Id
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("rea", password, "/cases/"+itoa(id)), p.Sees("Evidence"), p.Sees("Evidence"), p.Sees("Its figures"))
	do(t, p.ClickText("Add a to-do"), p.Sees("By when"), p.Type("section[aria-label='To do'] form input", "Ask for the contract"),
		p.Set("section[aria-label='To do'] form [aria-label='By when']", "1 Dec 2030"),
		p.Do("section[aria-label='To do'] form [aria-label='By when']", "e.dispatchEvent(new Event('change', {bubbles: true}))"),
		p.Do("section[aria-label='To do'] form", "e.requestSubmit()"), p.Sees("within a year"))
	soon := time.Now().AddDate(0, 0, 3).Format("2 Jan 2006")
	do(t, p.Set("section[aria-label='To do'] form [aria-label='By when']", soon),
		p.Do("section[aria-label='To do'] form [aria-label='By when']", "e.dispatchEvent(new Event('change', {bubbles: true}))"),
		p.Do("section[aria-label='To do'] form", "e.requestSubmit()"), p.Sees("rea, by "+soon))
	do(t, p.Run(`(() => { const d = new DataTransfer(); d.items.add(new File(['Called.'], 'note.txt')); d.items.add(new File(['MZ'],
	    'x.exe')); const e = document.querySelector('[aria-label="Files to attach"]'); e.files = d.files; e.dispatchEvent(new Event('change')) })()`),
		p.Sees("cannot be attached; allowed files end in .csv"), p.Until("document.querySelector('section[aria-label=Files] a')?.textContent === 'note.txt'"))
	do(t, p.Type("#comment-"+itoa(id), "See it, @lea"), p.ClickText("Add the comment"),
		p.Until("[...document.querySelectorAll('ol strong')].some((e) => e.textContent === '@lea')"))
	do(t, p.Type("#comment-"+itoa(id), "<img src=x onerror='document.title=1'> & <b>bold</b>"), p.ClickText("Add the comment"), p.Sees("<b>bold</b>"),
		p.Until("!document.querySelector('ol img, ol b')"))
	found, err := p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.Go("/desk/inbox"), p.Sees("Ask for the contract"), p.Click("[aria-label='Done: Ask for the contract']"), p.Sees("No to-dos"))
	p = screen(t, s, 1280, 800)
	do(t, p.SignIn("lea", password), p.Until("document.querySelector(`[aria-label='1 unread notification']`)"), p.Go("/desk/inbox"), p.Sees("mentioned you"))
	found, err = p.Axe(axeSource)
	require.NoError(t, err)
	assert.Empty(t, found)
	do(t, p.ClickText("Mark all as read"), p.Until("!document.querySelector(`[aria-label='1 unread notification']`)"))
	assert.Empty(t, s.toldTo(t, "lea"))
}
