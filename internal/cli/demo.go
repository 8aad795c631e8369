package cli

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

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
	token, err := read[client.Token](e)(c.CreateToken(ctx, client.NewToken{Name: name, Password: demo.Password, Title: ptr("the demo")}))
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
	book, err := read[client.Rulebook](e)(c.GetRulebook(ctx))
	if err != nil {
		return err
	}
	if book.Revision == 0 {
		e.printf("Publishing the rulebook\n")
		if _, err := read[client.Revision](e)(c.PublishRevision(ctx, client.NewRevision{Text: demo.Rulebook, Note: "The first rules of Quillhaven"})); err != nil {
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
		// The last month's flags go to desks, and those of spring did, which are settled;
		// the other months are history.
		spring := m == last-7 || m == last-6
		open := m == last || spring
		began := time.Now()
		s, err := read[client.Sweep](e)(c.CreateSweep(ctx, client.NewSweep{Period: m.String(), OpenCases: &open}))
		if err != nil {
			return err
		}
		if !s.Unchanged {
			fresh = true
			if spring && book.Revision == 0 { // an older demo has no such reasons
				if err := settleSpring(ctx, e); err != nil {
					return err
				}
			}
			e.printf("Swept %s in %d ms: %d raised, %d standing, %d cleared\n", m.Words(), time.Since(began).Milliseconds(), s.Raised, s.Standing, s.Cleared)
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
	in, err := read[client.Intake](e)(c.CreateIntakeWithBody(ctx,
		&client.CreateIntakeParams{Into: client.CreateIntakeParamsInto(f.Into), Name: f.Name, File: &name}, "text/csv", file))
	var again *problemError
	if errors.As(err, &again) && again.Type == "urn:oskel:already-loaded" {
		return nil
	}
	if err != nil {
		return err
	}
	e.printf("Loaded %s of %s\n", counted(int(in.Rows), "row"), name)
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
	return restOfReview(ctx, e)
}

// settleSpring settles what was flagged in a month of spring, as reviewers did then: what
// needs acting was confirmed, the rest the season explained.
func settleSpring(ctx context.Context, e *env) error {
	c, done, err := as(ctx, e, "tor")
	if err != nil {
		return err
	}
	defer done()
	cases, err := read[client.CasePage](e)(c.ListCases(ctx, &client.ListCasesParams{Limit: ptr(mostPage)}))
	if err != nil {
		return err
	}
	for grade, act := range map[string]client.CaseAct{
		"act": {Do: client.CaseActDoSettle, Finding: ptr(client.CaseActFindingConfirmed), Reason: ptr("coached"),
			Text: ptr("Talked over with the rep and the manager.")},
		"look": {Do: client.CaseActDoSettle, Finding: ptr(client.CaseActFindingExplained), Reason: ptr("season"),
			Text: ptr("The targets of fitting-out came before its orders.")},
	} {
		for _, k := range cases.Items {
			if k.Grade == grade {
				act.Cases = append(act.Cases, client.CaseRef{Id: k.Id})
			}
		}
		if len(act.Cases) == 0 {
			continue
		}
		if _, err := read[[]client.Case](e)(c.ActOnCases(ctx, act)); err != nil {
			return err
		}
	}
	return nil
}

// restOfReview parks a case, asks about another and names somebody in a third who is to do
// something about it, finds data faults, leaves somebody in snooze, and has a
// reviewer be away.
func restOfReview(ctx context.Context, e *env) error {
	day := func(in int) openapi_types.Date {
		return openapi_types.Date{Time: time.Now().AddDate(0, 0, in)}
	}
	for _, s := range []struct {
		person, key string
		act         client.CaseAct
	}{
		{"pim", "P-118", client.CaseAct{Do: client.CaseActDoPark, Feed: ptr("returns"), Text: ptr("The maker's report comes with the next returns.")}},
		{"pim", "P-180", client.CaseAct{Do: client.CaseActDoAsk, Person: ptr("ines"), Text: ptr("Are the returns of September booked in October here?")}},
		{"nell", "C-0412", client.CaseAct{Do: client.CaseActDoComment, Text: ptr("They say they have ordered since July. @ines, could lines be missing?")}},
		{"sig", "C-0077", client.CaseAct{Do: client.CaseActDoSettle, Finding: ptr(client.CaseActFindingDataFault), Reason: ptr("wrong-account"),
			Feed: ptr("sales"), Text: ptr("Their orders of October were booked on the town's account.")}},
		{"odo", "R-18", client.CaseAct{Do: client.CaseActDoSettle, Finding: ptr(client.CaseActFindingExplained), Reason: ptr("new-in-territory"),
			Text: ptr("Took over the harbours of a colleague in July."), Snooze: &client.NewSnooze{Until: day(120), Worse: ptr(0.5)}}},
	} {
		c, done, err := as(ctx, e, s.person)
		if err != nil {
			return err
		}
		err = func() error {
			defer done()
			cases, err := read[client.CasePage](e)(c.ListCases(ctx, &client.ListCasesParams{Mine: ptr(true), Limit: ptr(mostPage)}))
			if err != nil {
				return err
			}
			for _, k := range cases.Items {
				if k.Key == s.key {
					s.act.Cases = []client.CaseRef{{Id: k.Id}}
					if _, err := read[[]client.Case](e)(c.ActOnCases(ctx, s.act)); err != nil {
						return err
					}
					if s.act.Do == client.CaseActDoComment {
						if _, err := read[client.Todo](e)(c.AddTodo(ctx, k.Id,
							client.NewTodo{Text: "Look for their lines since July", Owner: ptr("ines"), Due: day(3)})); err != nil {
							return err
						}
					}
				}
			}
			return nil
		}()
		if err != nil {
			return err
		}
	}
	c, done, err := as(ctx, e, "tor")
	if err != nil {
		return err
	}
	defer done()
	_, err = read[client.Absence](e)(c.CreateAbsence(ctx, client.NewAbsence{Person: ptr("lio"), First: day(1), Last: day(9), StandIn: ptr("suri")}))
	return err
}

func reviewStep(ctx context.Context, e *env, person, key, comment, finding, note string) error {
	c, done, err := as(ctx, e, person)
	if err != nil {
		return err
	}
	defer done()
	cases, err := read[client.CasePage](e)(c.ListCases(ctx, &client.ListCasesParams{Mine: ptr(true), Limit: ptr(mostPage)}))
	if err != nil {
		return err
	}
	for _, k := range cases.Items {
		if k.Key != key {
			continue
		}
		acts := []client.CaseAct{{Do: client.CaseActDoTake}, {Do: client.CaseActDoComment, Text: &comment}}
		if finding != "" {
			acts = append(acts, client.CaseAct{Do: client.CaseActDoSettle, Finding: ptr(client.CaseActFinding(finding)), Text: &note})
		}
		for _, act := range acts {
			act.Cases = []client.CaseRef{{Id: k.Id}}
			if _, err := read[[]client.Case](e)(c.ActOnCases(ctx, act)); err != nil {
				return err
			}
		}
	}
	return nil
}
