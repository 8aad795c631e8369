package intake_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/intake"
	"oskel/internal/store"
	"oskel/internal/trial"
)

func TestMain(m *testing.M) { trial.Run(m) }

func sales(csv string) intake.Request {
	return intake.Request{Into: "feed", Name: "sales", File: "sales.csv", Author: "ana", Body: strings.NewReader("day,rep,net\n" + csv)}
}

// version is the data version, which every intake raises.
func version(t *testing.T, r *trial.Rooms) int64 {
	n, err := r.Store.Newest(t.Context())
	require.NoError(t, err)
	return n.DataVersion
}

// A file with faults is refused as a whole; each is named with its line and column.
func TestRefusedAsAWhole(t *testing.T) {
	r := trial.Small(t)
	before := version(t, r)
	_, err := r.Intake.Load(t.Context(), sales("2026-10-12,N1,5\n2026-10-32,N1,5\n2026-10-13,X9,5\n2026-10-14,N1,five\n"))
	var refusal *intake.Refusal
	require.ErrorAs(t, err, &refusal)
	require.Len(t, refusal.Faults, 3)
	for i, want := range []string{"day", "rep", "net"} {
		assert.Equal(t, want, refusal.Faults[i].Column)
		assert.Equal(t, i+3, refusal.Faults[i].Line)
	}
	assert.Equal(t, before, version(t, r))
}

// The same bytes are not taken in twice, unless that is meant; what was reverted may come again.
func TestTheSameAgain(t *testing.T) {
	r := trial.Small(t)
	const line = "2026-10-12,N1,5\n"
	first, err := r.Intake.Load(t.Context(), sales(line))
	require.NoError(t, err)
	_, err = r.Intake.Load(t.Context(), sales(line))
	var again *intake.Again
	require.ErrorAs(t, err, &again)
	assert.Equal(t, first.ID, again.Before.ID)

	meant := sales(line)
	meant.Again, meant.Sure = true, true
	second, err := r.Intake.Load(t.Context(), meant)
	require.NoError(t, err)
	for _, id := range []int64{first.ID, second.ID} {
		_, err = r.Intake.TakeBack(t.Context(), id, "lea")
		require.NoError(t, err)
	}
	_, err = r.Intake.Load(t.Context(), sales(line))
	assert.NoError(t, err)
}

// A dry run says what a file would bring, and keeps nothing of it.
func TestDryRun(t *testing.T) {
	r := trial.Small(t)
	before := version(t, r)
	report, err := r.Intake.Try(t.Context(), sales("2026-10-12,N1,5\n2026-11-02,S1,7\n"))
	require.NoError(t, err)
	assert.EqualValues(t, 2, report.Rows)
	assert.Equal(t, before, version(t, r))
	_, err = r.Intake.TakeBack(t.Context(), 1e6, "lea")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestUnknownFeed(t *testing.T) {
	r := trial.Small(t)
	ask := sales("")
	ask.Name = "sale"
	_, err := r.Intake.Load(t.Context(), ask)
	assert.ErrorIs(t, err, intake.ErrUnknown)
}
