package review_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/casework"
	"oskel/internal/review"
	"oskel/internal/store"
	"oskel/internal/trial"
)

func TestMain(m *testing.M) { trial.Run(m) }

// swept is the small world with the cases of October: N1 on north, S1 on south.
func swept(t *testing.T) *trial.Rooms {
	r := trial.Small(t)
	r.Sweep(trial.October)
	return r
}

// All of the cases or none: one that is refused leaves the others as they were.
func TestAllOrNone(t *testing.T) {
	r := swept(t)
	north, south := r.Case("N1"), r.Case("S1")
	both := []int64{north.ID, south.ID}
	err := r.Review.Act(t.Context(), both, nil, r.Person("rea"), casework.Action{Kind: "take"})
	assert.ErrorIs(t, err, review.ErrNotYours)
	assert.Equal(t, casework.Open, r.Case("N1").State)

	require.NoError(t, r.Review.Act(t.Context(), both, nil, r.Person("lea"), casework.Action{Kind: "take"}))
	assert.Equal(t, "lea", r.Case("N1").Holder)
	assert.Equal(t, "lea", r.Case("S1").Holder)

	assert.ErrorIs(t, r.Review.Act(t.Context(), nil, nil, r.Person("lea"), casework.Action{Kind: "take"}), review.ErrMany)
	assert.ErrorIs(t, r.Review.Act(t.Context(), make([]int64, review.MostAtOnce+1), nil, r.Person("lea"), casework.Action{Kind: "take"}), review.ErrMany)
}

// What was read decides: a case that another has changed meanwhile stays as that one left it.
func TestVersionRead(t *testing.T) {
	r := swept(t)
	read := r.Case("N1")
	require.NoError(t, r.Review.Act(t.Context(), []int64{read.ID}, nil, r.Person("rea"), casework.Action{Kind: "take"}))
	err := r.Review.Act(t.Context(), []int64{read.ID}, map[int64]int{read.ID: read.Version}, r.Person("lea"),
		casework.Action{Kind: "settle", Finding: "confirmed"})
	assert.ErrorIs(t, err, review.ErrChanged)
	now := r.Case("N1")
	assert.Equal(t, casework.Taken, now.State)
	require.NoError(t, r.Review.Act(t.Context(), []int64{now.ID}, map[int64]int{now.ID: now.Version}, r.Person("lea"),
		casework.Action{Kind: "settle", Finding: "confirmed"}))
	assert.Equal(t, "confirmed", r.Case("N1").Finding)
}

// An act is undone by whoever did it, for ten seconds, and only while it is the last.
func TestUndo(t *testing.T) {
	r := swept(t)
	before := r.Case("N1")
	ids := []int64{before.ID}
	rea, lea := r.Person("rea"), r.Person("lea")
	settle := func() {
		require.NoError(t, r.Review.Act(t.Context(), ids, nil, rea, casework.Action{Kind: "settle", Finding: "explained", Text: "A holiday."}))
	}
	settle()
	assert.ErrorIs(t, r.Review.Undo(t.Context(), ids, lea), review.ErrUndo, "another's")
	r.Clock = r.Clock.Add(10 * time.Second)
	require.NoError(t, r.Review.Undo(t.Context(), ids, rea), "the tenth second is one of the ten")
	after := r.Case("N1")
	assert.Equal(t, before.Standing, after.Standing)
	assert.ErrorIs(t, r.Review.Undo(t.Context(), ids, rea), review.ErrUndo, "twice")

	settle()
	r.Clock = r.Clock.Add(10*time.Second + time.Millisecond)
	assert.ErrorIs(t, r.Review.Undo(t.Context(), ids, rea), review.ErrUndo, "too late")

	require.NoError(t, r.Review.Act(t.Context(), ids, nil, lea, casework.Action{Kind: "reopen", Text: "Not quite."}))
	settle()
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, lea, casework.Action{Kind: "reopen", Text: "Not quite."}))
	assert.ErrorIs(t, r.Review.Undo(t.Context(), ids, rea), review.ErrUndo, "reopened since")

	d, err := r.Review.Detail(t.Context(), before.ID, "rea")
	require.NoError(t, err)
	var kinds []casework.EventKind
	for _, e := range d.Events {
		kinds = append(kinds, e.What)
	}
	assert.Equal(t, []casework.EventKind{casework.CaseOpened, casework.CaseSettled, casework.ActUndone, casework.CaseSettled, casework.CaseReopened,
		casework.CaseSettled, casework.CaseReopened}, kinds,
		"the history keeps all of it")
}

// Cases in which nothing is flagged any more are settled at once; not those that another
// has taken, nor those of other desks.
func TestSettleCleared(t *testing.T) {
	r := swept(t)
	require.NoError(t, r.Review.Act(t.Context(), []int64{r.Case("S1").ID}, nil, r.Person("lea"), casework.Action{Kind: "take"}))
	r.Load("feed", "sales", "day,rep,net\n2026-10-08,N1,0.01\n2026-10-08,S1,600\n")
	r.Sweep(trial.October)

	_, _, err := r.Review.SettleCleared(t.Context(), r.Person("rea"), "south", r.Clock)
	assert.ErrorIs(t, err, review.ErrNotYours)
	_, _, err = r.Review.SettleCleared(t.Context(), r.Person("ana"), "", r.Clock)
	assert.ErrorIs(t, err, review.ErrNotYours)

	settled, more, err := r.Review.SettleCleared(t.Context(), r.Person("rob"), "", r.Clock)
	require.NoError(t, err)
	assert.Empty(t, settled, "the lead has taken it")
	assert.False(t, more)
	settled, _, err = r.Review.SettleCleared(t.Context(), r.Person("rea"), "", r.Clock)
	require.NoError(t, err)
	assert.Equal(t, []int64{r.Case("N1").ID}, settled)
	assert.Equal(t, casework.Cleared, r.Case("N1").Finding)
	assert.Equal(t, casework.Taken, r.Case("S1").State)
	require.NoError(t, r.Review.Undo(t.Context(), settled, r.Person("rea")))
	assert.Equal(t, casework.Open, r.Case("N1").State)
}

// Who is asked, and who holds a case that another acts on, is notified, and nobody of
// what they did themselves.
func TestWhoIsNotified(t *testing.T) {
	r := swept(t)
	ids := []int64{r.Case("N1").ID}
	notices := func(person string) (kinds []casework.EventKind) {
		all, _, err := r.Review.Notices(t.Context(), person, true, 0)
		require.NoError(t, err)
		for _, n := range all {
			kinds = append(kinds, n.What)
		}
		return kinds
	}
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, r.Person("rea"), casework.Action{Kind: "take"}))
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, r.Person("lea"), casework.Action{Kind: "ask", Person: "rob", Text: "Yours?"}))
	assert.Equal(t, []casework.EventKind{casework.CaseAsked}, notices("rob"))
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, r.Person("rob"), casework.Action{Kind: "comment", Text: "No."}))
	assert.Contains(t, notices("rea"), casework.CaseAnswered)
	assert.NotContains(t, notices("rob"), casework.CaseAnswered)
}

// A case that is parked for the next lines of a feed comes back with them, and not before.
func TestParkedForLines(t *testing.T) {
	r := swept(t)
	ids := []int64{r.Case("N1").ID}
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, r.Person("rea"), casework.Action{Kind: "park", Feed: "sales", Text: "The invoice is on its way."}))
	require.NoError(t, r.Review.Wake(t.Context()))
	assert.Equal(t, casework.Parked, r.Case("N1").State)
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, r.Person("lea"), casework.Action{Kind: "comment", Text: "Still nothing."}))
	r.Load("feed", "sales", "day,rep,net\n2026-11-02,N1,5\n")
	second := review.New(r.Store, r.Books, func() time.Time { return r.Clock }) // the first has looked a moment ago
	require.NoError(t, second.Wake(t.Context()))
	assert.Equal(t, casework.Open, r.Case("N1").State)
}

// A parked case in which nothing is flagged any more is settled with the others, waits for
// nothing then, and waits for the same again when that is undone.
func TestSettleClearedOfWhatIsParked(t *testing.T) {
	r := swept(t)
	ids, rea := []int64{r.Case("N1").ID}, r.Person("rea")
	require.NoError(t, r.Review.Act(t.Context(), ids, nil, rea, casework.Action{Kind: "park", Feed: "sales", Text: "The invoice is on its way."}))
	parked := r.Case("N1")
	require.NotNil(t, parked.ParkedAt)
	r.Load("targets", "rep", "rep,month,revenue\nN1,2026-10,900\n")
	r.Sweep(trial.October)
	settled, _, err := r.Review.SettleCleared(t.Context(), rea, "north", r.Clock)
	require.NoError(t, err)
	assert.Equal(t, ids, settled)
	now := r.Case("N1")
	assert.Equal(t, casework.Settled, now.State)
	assert.Nil(t, now.ParkedAt)
	require.NoError(t, r.Review.Undo(t.Context(), ids, rea))
	now = r.Case("N1")
	assert.Equal(t, parked.Standing, now.Standing)
	assert.Equal(t, parked.ParkedAt, now.ParkedAt)
}

func TestUndoOfHowMany(t *testing.T) {
	r := swept(t)
	assert.ErrorIs(t, r.Review.Undo(t.Context(), nil, r.Person("rea")), review.ErrMany)
	assert.ErrorIs(t, r.Review.Undo(t.Context(), make([]int64, review.MostAtOnce+1), r.Person("rea")), review.ErrMany)
	ids := make([]int64, review.MostAtOnce)
	for i := range ids {
		ids[i] = int64(i) + 1e6
	}
	assert.NotErrorIs(t, r.Review.Act(t.Context(), ids, nil, r.Person("lea"), casework.Action{Kind: "take"}), review.ErrMany,
		"as many as may be, none of them there")
	assert.ErrorIs(t, r.Review.Undo(t.Context(), []int64{r.Case("N1").ID + 1e6}, r.Person("rea")), store.ErrNotFound)
}
