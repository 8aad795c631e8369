package cli

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"oskel/core/calendar"
	"oskel/internal/client"
	"oskel/internal/demo"
)

// as is a client signed in as one of the demo's people.
func as(ctx context.Context, e *env, name string) (*client.Client, func(), error) {
	c, err := client.NewClient(e.server)
	if err != nil {
		return nil, nil, err
	}
	r, err := c.CreateToken(ctx, client.NewToken{Name: name, Password: demo.Password, Title: ptr("the demo")})
	token, err := read[client.Token](e, r, err)
	if err != nil {
		return nil, nil, err
	}
	signed, err := client.NewClient(e.server, client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+token.Token)
		return nil
	}))
	done := func() {
		if r, err := signed.DeleteToken(context.WithoutCancel(ctx)); err == nil {
			r.Body.Close() //nolint:errcheck // nothing is in it
		}
	}
	return signed, done, err
}

// PrepareDemo publishes, loads and sweeps as the analyst would, through the
// API of the service at url, and tells progress to say; what is already there
// stays.
func PrepareDemo(ctx context.Context, say io.Writer, url, dir string) error {
	e := &env{err: say, server: url}
	c, done, err := as(ctx, e, "ines")
	if err != nil {
		return err
	}
	defer done()
	r, err := c.GetRulebook(ctx)
	book, err := read[client.Rulebook](e, r, err)
	if err != nil {
		return err
	}
	if book.Revision == 0 {
		e.say("Publishing the rulebook\n")
		r, err := c.PublishRevision(ctx, client.NewRevision{Text: demo.Rulebook, Note: "The first rules of Quillhaven"})
		if _, err := read[client.Revision](e, r, err); err != nil {
			return err
		}
	}
	for _, f := range demo.Files(dir) {
		if err := loadDemoFile(ctx, e, c, f); err != nil {
			return err
		}
	}
	last, _ := calendar.ParseMonth("2026-10")
	fresh := false
	for m := last - 12; m <= last; m++ {
		// Only the last month's flags go to desks; the months before are
		// history.
		open := m == last
		began := time.Now()
		r, err := c.CreateSweep(ctx, client.NewSweep{Period: m.String(), OpenCases: &open})
		s, err := read[client.Sweep](e, r, err)
		if err != nil {
			return err
		}
		if !s.Unchanged {
			fresh = true
			e.say("Swept %s in %d ms: %d raised, %d standing, %d cleared\n", m.Words(), time.Since(began).Milliseconds(), s.Raised, s.Standing, s.Cleared)
		}
	}
	if !fresh || book.Revision != 0 {
		return nil
	}
	return reviewDemo(ctx, e)
}

func loadDemoFile(ctx context.Context, e *env, c *client.Client, f demo.File) error {
	file, err := os.Open(f.Path)
	if err != nil {
		return err
	}
	defer file.Close() //nolint:errcheck // it was only read
	name := filepath.Base(f.Path)
	r, err := c.CreateIntakeWithBody(ctx, &client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(f.Into), Name: f.Name, File: &name}, "text/csv", file)
	in, err := read[client.Intake](e, r, err)
	var again *problemError
	if errors.As(err, &again) && again.Type == "urn:oskel:already-taken-in" {
		return nil
	}
	if err != nil {
		return err
	}
	e.say("Loaded %s of %s\n", counted(int(in.Rows), "row"), name)
	return nil
}

// reviewDemo does a little of the reviewers' work, so that the desks show
// cases in every state.
func reviewDemo(ctx context.Context, e *env) error {
	steps := []struct{ person, key, comment, finding, note string }{
		{"odo", "R-17", "Three rush purchases of rope in October. Asking purchasing for the invoices.", "", ""},
		{"nell", "R-31", "On leave since 28 September; the stand-in booked under the territory.", "explained", "Leave, not a fault of the rep"},
		{"pim", "P-204", "Sales stopped right after the new price list.", "confirmed", "Price goes back next month"},
	}
	for _, s := range steps {
		if err := reviewStep(ctx, e, s.person, s.key, s.comment, s.finding, s.note); err != nil {
			return err
		}
	}
	return nil
}

func reviewStep(ctx context.Context, e *env, person, key, comment, finding, note string) error {
	c, done, err := as(ctx, e, person)
	if err != nil {
		return err
	}
	defer done()
	r, err := c.ListCases(ctx, &client.ListCasesParams{Mine: ptr(true), Limit: ptr(mostPage)})
	cases, err := read[client.CasePage](e, r, err)
	if err != nil {
		return err
	}
	for _, k := range cases.Items {
		if k.Key != key {
			continue
		}
		r, err := c.TakeCase(ctx, k.Id, &client.TakeCaseParams{})
		if _, err := read[client.CaseDetail](e, r, err); err != nil {
			return err
		}
		r, err = c.CommentCase(ctx, k.Id, client.Comment{Text: comment})
		if _, err := read[client.CaseDetail](e, r, err); err != nil {
			return err
		}
		if finding != "" {
			r, err = c.SettleCase(ctx, k.Id, &client.SettleCaseParams{}, client.Finding{Finding: client.FindingFinding(finding), Note: &note})
			if _, err := read[client.CaseDetail](e, r, err); err != nil {
				return err
			}
		}
	}
	return nil
}
