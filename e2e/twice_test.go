package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// An export of a wider time than the last one brings lines that are there
// already: it is asked whether that is meant, and nothing is doubled before.
func TestLinesThatAreThereAlready(t *testing.T) {
	t.Parallel()
	s := small(t)
	wider := salesHead + "2026-10-07,A6,R2,999.9999,900\n2026-10-08,A7,R2,50,40\n"
	p := refused(t, 409, "equal-lines")(s.send("feed", "sales", wider))
	assert.Contains(t, *p.Detail, "1 of the 2 lines")
	assert.Contains(t, *p.Detail, "intake 3")
	assert.Equal(t, "1999.9999", s.revenue("2026-10"))

	// Two lines of the file that are equal to each other are no such thing.
	s.load("feed", "sales", salesHead+"2026-10-09,A8,R1,10,5\n2026-10-09,A8,R1,10,5\n")
	assert.Equal(t, "2019.9999", s.revenue("2026-10"))
	s.load("feed", "sales", wider, again)
	assert.Equal(t, "3069.9998", s.revenue("2026-10"))
	// What replaces the month it is in is not there twice.
	s.load("feed", "sales", wider, replace("2026-10"))
	assert.Equal(t, "1049.9999", s.revenue("2026-10"))
}

// The same file is refused while its lines count, and only then.
func TestAFileWhoseLinesNoLongerCount(t *testing.T) {
	t.Parallel()
	s := small(t)
	refused(t, 409, "already-loaded")(s.send("feed", "sales", smallSales))
	want[client.Intake](t, 200)(s.as("ana").RevertIntake(ctx, 3))
	assert.Equal(t, "", s.revenue("2026-10"))
	s.load("feed", "sales", smallSales)
	assert.Equal(t, "1999.9999", s.revenue("2026-10"))
	// A part of it still counts: refused.
	s.load("feed", "sales", salesHead+"2026-10-05,B1,R1,1,1\n", replace("2026-10"))
	refused(t, 409, "already-loaded")(s.send("feed", "sales", smallSales))
	// Nothing of it counts.
	s.load("feed", "sales", salesHead+"2026-09-05,B2,R1,2,1\n", replace("2026-09"))
	s.load("feed", "sales", smallSales)
	assert.Equal(t, "2000.9999", s.revenue("2026-10"))
}

// A trial says what a file would bring and changes nothing.
func TestTryingAFile(t *testing.T) {
	t.Parallel()
	s := small(t)
	try := func(p *client.CreateIntakeParams) { yes := true; p.DryRun = &yes }
	before := len(want[[]client.Intake](t, 200)(s.as("ana").ListIntakes(ctx)))
	r := want[client.IntakeReport](t, 200)(s.send("feed", "sales", salesHead+"2026-10-07,A6,R2,999.9999,900\n2026-11-02,A7,R2,50,40\n", try))
	assert.Equal(t, int64(2), r.Rows)
	assert.Equal(t, int64(1), r.Equal)
	var months []string
	for _, m := range r.Months {
		months = append(months, m.Month)
	}
	assert.Contains(t, months, "2026-10")
	assert.Contains(t, months, "2026-11")
	refused(t, 422, "file-refused")(s.send("feed", "sales", salesHead+"2026-11-02,A7,R9,50,40\n", try))
	r = want[client.IntakeReport](t, 200)(s.send("register", "rep", "rep,name,territory\nR8,Elmo Made-Up,North\nR1,Arne Made-Up,North\n", try))
	assert.Equal(t, 1, *r.NewSubjects)
	require.Len(t, r.Subjects, 1)
	assert.Contains(t, r.Subjects[0], "R8")
	assert.Len(t, want[[]client.Intake](t, 200)(s.as("ana").ListIntakes(ctx)), before)
	assert.Equal(t, "1999.9999", s.revenue("2026-10"))
	refused(t, 403, "not-allowed")(s.as("rea").CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: "feed", Name: "sales"}, "text/csv",
		strings.NewReader(salesHead)))
}

func TestTryingAndLoadingAgainFromTheCommandLine(t *testing.T) {
	t.Parallel()
	s := small(t)
	file := filepath.Join(t.TempDir(), "october.csv")
	require.NoError(t, os.WriteFile(file, []byte(salesHead+"2026-10-07,A6,R2,999.9999,900\n2026-10-08,A7,R2,50,40\n"), 0o600))
	code, out, errs := s.oskel("ana", "load", "-feed", "sales", "-dry-run", file)
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out+errs, "2026-10")
	assert.Contains(t, out+errs, "1 of the 2 lines")
	code, _, errs = s.oskel("", "load", "-feed", "sales", file)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "-allow-duplicates")
	code, _, errs = s.oskel("", "load", "-feed", "sales", "-allow-duplicates", file)
	assert.Equal(t, 0, code, errs)
	assert.Equal(t, "3049.9998", s.revenue("2026-10"))
}
