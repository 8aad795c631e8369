package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

func (s *service) verification(t *testing.T, sweep int64) client.Verification {
	return want[client.Verification](t, 200)(s.as("rea").GetVerification(ctx, sweep))
}

// What a sweep recorded is what its revision and its data version say when they are
// computed again, whatever has come since; one digit that is altered is found.
func TestVerify(t *testing.T) {
	t.Parallel()
	s := small(t)
	september, october := s.sweep("2026-09"), s.sweep("2026-10")
	// Much comes since, and October is swept by the new rules too.
	s.load("feed", "sales", salesHead+"2026-09-20,N1,R1,900,850\n2026-10-20,N2,R2,500,490\n", func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })
	s.load("register", "rep", strings.Replace(smallReps, "Bera Made-Up,South", "Bera Moved,North", 1))
	s.publish(strings.NewReplacer("below: 18%", "below: 17%", "at_least: 31 days", "at_least: 20 days").Replace(smallBook), 1)
	v := s.verification(t, september.Id)
	assert.Empty(t, v.Wrong)
	assert.Equal(t, 1, v.Revision)
	again := s.sweep("2026-10")
	for _, sweep := range []int64{october.Id, again.Id} {
		v := s.verification(t, sweep)
		assert.Empty(t, v.Wrong, "sweep %d", sweep)
		assert.Equal(t, sweep == october.Id, v.OvertakenBy != nil)
	}
	assert.Equal(t, october.Raised+october.Standing+october.Cleared, s.verification(t, october.Id).Checked, "what was overtaken is still on record")
	v = s.verification(t, again.Id)
	assert.Equal(t, again.Raised+again.Standing+again.Cleared, v.Checked)
	assert.Positive(t, v.Checked)
	refused(t, 404, "not-found")(s.as("rea").GetVerification(ctx, 9999))

	db := s.pool(t)
	for sql, what := range map[string]string{
		"sentence = translate(sentence, '0123456789', '1234567890')": "the sentence",
		"value = value || '1'": "the value",
		"grade = 'look'":       "the grade",
		"evidence = replace(evidence::text, '1', '2')::jsonb": "the evidence",
		"state = 'cleared'":                   "whether it is flagged",
		"stake = coalesce(stake, 0) + 0.0001": "the stake",
	} {
		tx, err := db.Begin(ctx)
		require.NoError(t, err)
		_, err = tx.Exec(ctx, "create table before_it as select * from exceptions")
		require.NoError(t, err)
		_, err = tx.Exec(ctx, "update exceptions set "+sql+" where sweep = $1 and state <> 'cleared' and rule = 'thin-margin'", again.Id)
		require.NoError(t, err)
		require.NoError(t, tx.Commit(ctx))
		v := s.verification(t, again.Id)
		found := ""
		for _, m := range v.Wrong {
			found += m.What + ";"
		}
		assert.Contains(t, found, what, sql)
		_, err = db.Exec(ctx, "update exceptions e set sentence = b.sentence, value = b.value, grade = b.grade, evidence = b.evidence, state = b.state, "+
			"stake = b.stake from before_it b where b.id = e.id; drop table before_it")
		require.NoError(t, err)
	}
	assert.Empty(t, s.verification(t, again.Id).Wrong)
	code, out, errs := s.oskel("rea", "sweep", "verify", "-period", "2026-10")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "revision 2")
	assert.Contains(t, errs, "Everything matches.")
	assert.NotContains(t, errs, "earlier version")
	assert.False(t, s.verification(t, again.Id).Earlier)

	// One that an earlier version made says so, and is made anew when it is asked for again.
	_, err := db.Exec(ctx, "update sweeps set computation = computation - 1 where id = $1", again.Id)
	require.NoError(t, err)
	assert.True(t, s.verification(t, again.Id).Earlier)
	code, _, errs = s.oskel("rea", "sweep", "verify", itoa(again.Id))
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, errs, "It was made by an earlier version of the service")
	again = s.sweep("2026-10")
	assert.False(t, s.verification(t, again.Id).Earlier)

	_, err = db.Exec(ctx, "delete from exceptions where id = (select max(id) from exceptions where sweep = $1 and state <> 'cleared')", again.Id)
	require.NoError(t, err)
	code, out, _ = s.oskel("rea", "sweep", "verify", itoa(again.Id))
	assert.Equal(t, 1, code)
	assert.Contains(t, out, `the exception is "none" on record, and "flagged" when it is computed again`)
}

// What an earlier sweep of a period left is listed, exported, shown and verified as it
// was; an alteration in it is found.
func TestWhatASweepLeft(t *testing.T) {
	t.Parallel()
	s := small(t)
	first := s.sweep("2026-10")
	list := func(params *client.ListExceptionsParams) map[string]client.Exception {
		params.Period = "2026-10"
		out := map[string]client.Exception{}
		for _, x := range want[client.ExceptionPage](t, 200)(s.as("rea").ListExceptions(ctx, params)).Items {
			x.Case, x.CaseState = nil, nil // cases go on
			out[x.Rule+" "+x.Key] = x
		}
		return out
	}
	was := list(&client.ListExceptionsParams{})
	assert.NotEmpty(t, was)
	s.publish(strings.NewReplacer("below: 18%", "below: 17%", "at_least: 31 days", "at_least: 20 days").Replace(smallBook), 1)
	second := s.sweep("2026-10")
	s.load("feed", "sales", salesHead+"2026-10-20,N2,R2,500,490\n", func(p *client.CreateIntakeParams) { p.AllowDuplicates = ptr(true) })
	third := s.sweep("2026-10")
	assert.Equal(t, was, list(&client.ListExceptionsParams{Sweep: &first.Id}))
	assert.NotEqual(t, was, list(&client.ListExceptionsParams{}))
	assert.Equal(t, list(&client.ListExceptionsParams{}), list(&client.ListExceptionsParams{Sweep: &third.Id}))

	changed := ""
	for key, x := range list(&client.ListExceptionsParams{}) {
		then := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, x.Id, &client.GetExceptionParams{Sweep: &second.Id}))
		now := want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, x.Id, nil))
		assert.Equal(t, second.Id, then.Sweep)
		assert.Equal(t, third.Id, now.Sweep)
		assert.Equal(t, second.DataVersion, then.DataVersion)
		assert.Equal(t, now.Versions, then.Versions)
		if old, listed := was[key]; listed && old.Sentence != x.Sentence {
			changed = key
			then = want[client.ExceptionDetail](t, 200)(s.as("rea").GetException(ctx, x.Id, &client.GetExceptionParams{Sweep: &first.Id}))
			assert.Equal(t, old.Sentence, then.Exception.Sentence)
			assert.Equal(t, 1, then.Revision)
			assert.Contains(t, *then.Stale, "found a change.")
			_, out, _ := s.oskel("rea", "show", itoa(x.Id))
			assert.Contains(t, out, "History by sweep")
			_, out, _ = s.oskel("rea", "show", "-sweep", itoa(first.Id), itoa(x.Id))
			assert.Contains(t, strings.Join(strings.Fields(out), " "), old.Sentence)
		}
		for _, v := range now.Versions {
			assert.LessOrEqual(t, v.Since, v.Until)
		}
	}
	assert.NotEmpty(t, changed)
	_, before, _ := s.oskel("rea", "exceptions", "-period", "2026-10", "-sweep", itoa(first.Id), "-format", "csv")
	_, after, _ := s.oskel("rea", "exceptions", "-period", "2026-10", "-format", "csv")
	assert.NotEqual(t, before, after)
	assert.Equal(t, len(was), strings.Count(before, "\n")-1)

	refused(t, 400, "unknown-filter")(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-09", Sweep: &first.Id}))
	refused(t, 400, "unknown-filter")(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Sweep: ptr(int64(999))}))

	// One digit altered in what was overtaken long ago.
	_, err := s.pool(t).Exec(ctx, "update past_exceptions set sentence = translate(sentence, '0123456789', '1234567890') where since = $1", first.Id)
	require.NoError(t, err)
	assert.NotEmpty(t, s.verification(t, first.Id).Wrong)
	assert.Empty(t, s.verification(t, third.Id).Wrong)

	// Of sweeps made before such things were kept nothing is guessed.
	_, err = s.pool(t).Exec(ctx, "update sweeps set whole = false where id = $1", first.Id)
	require.NoError(t, err)
	refused(t, 404, "not-kept")(s.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10", Sweep: &first.Id, Kind: ptr("rep")}))
}

// Every exception of the demo holds.
func TestTheDemoHolds(t *testing.T) {
	s := demoService(t)
	checked := 0
	for _, sw := range want[[]client.Sweep](t, 200)(s.as("ines").ListSweeps(ctx, &client.ListSweepsParams{})) {
		v := want[client.Verification](t, 200)(s.as("ines").GetVerification(ctx, sw.Id))
		assert.Empty(t, v.Wrong, "sweep %d", sw.Id)
		checked += v.Checked
	}
	assert.Greater(t, checked, 150)
}
