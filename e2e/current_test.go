package e2e

import (
	"encoding/xml"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// What is done on one service, every list of the other says at once, whatever it has
// kept of what was asked before.
func TestListsAreCurrentOnBothServices(t *testing.T) {
	t.Parallel()
	s := small(t)
	other := s.beside(t)
	other.tokens = s.tokens
	s.as("rea")
	s.as("lea")
	s.as("ana")
	page := func(on *service) client.ExceptionPage {
		return want[client.ExceptionPage](t, 200)(on.as("rea").ListExceptions(ctx, &client.ListExceptionsParams{Period: "2026-10"}))
	}
	flagged := func(on *service) (n int) {
		trend := want[client.ExceptionTrend](t, 200)(on.as("rea").GetExceptionTrend(ctx, &client.GetExceptionTrendParams{Period: "2026-10"}))
		return trend.Raised[12] + trend.Standing[12]
	}
	for _, on := range []*service{s, other, s, other} {
		assert.Empty(t, page(on).Items)
	}
	s.sweep("2026-10")
	for _, on := range []*service{s, other, s, other} {
		assert.Equal(t, 4, page(on).Total)
		assert.Equal(t, 4, flagged(on))
		assert.Nil(t, page(on).Stale)
	}

	// A case that is settled there.
	var id int64
	for _, x := range page(s).Items {
		if x.Desk == "north" {
			id = *x.Case
		}
	}
	stateOf := func(on *service) string {
		for _, x := range page(on).Items {
			if x.Case != nil && *x.Case == id {
				return *x.CaseState
			}
		}
		return ""
	}
	assert.Equal(t, "open", stateOf(s))
	want[[]client.Case](t, 200)(onCase(other.as("rea"), id, toTake))
	assert.Equal(t, "taken", stateOf(s))
	note := "The margin was agreed upon."
	want[[]client.Case](t, 200)(onCase(other.as("rea"), id, toSettle("explained", note)))
	assert.Equal(t, "settled", stateOf(s))
	assert.Equal(t, "settled", stateOf(other))

	// Lines that arrive there; a sweep there; a period that is closed there.
	other.load("feed", "sales", salesHead+"2026-10-30,N1,R1,100000,50000\n2026-10-30,N2,R2,100000,50000\n2026-10-30,N3,R3,100000,50000\n")
	assert.NotNil(t, page(s).Stale)
	other.sweep("2026-10")
	assert.Nil(t, page(s).Stale)
	assert.Equal(t, flagged(other), flagged(s))
	assert.Less(t, flagged(s), 4)
	before := flagged(s)
	want[client.PeriodState](t, 200)(other.as("lea").ClosePeriod(ctx, client.NewClosing{Period: "2026-10"}))
	closed := func(on *service) bool {
		for _, p := range want[[]client.PeriodState](t, 200)(on.as("rea").ListPeriods(ctx, &client.ListPeriodsParams{})) {
			if p.Period == "2026-10" {
				return p.Closed != nil
			}
		}
		return false
	}
	assert.True(t, closed(s))
	refused(t, 409, "period-closed")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2026-10"}))
	assert.Equal(t, before, flagged(s))
	want[client.PeriodState](t, 200)(s.as("lea").ReopenPeriod(ctx, client.Reopening{Period: "2026-10", Reason: "Returns came late"}))
	assert.False(t, closed(other))
}

// Of two views of one name one's own counts, in lists and in feeds; each feed is one of
// its own to the program that reads it.
func TestOnesOwnViewBeforeASharedOne(t *testing.T) {
	t.Parallel()
	s := small(t)
	s.sweep("2026-10")
	want[client.View](t, 200)(s.as("ana").SaveView(ctx, client.NewView{Name: "Mine", Shared: ptr(true), Query: &client.ViewQuery{Rule: ptr("behind")}}))
	feed := func(who string) string {
		code, body, _ := s.plain(t, "/api/feeds/exceptions.atom?view=mine&token="+s.scoped(who, "read", 1), "")
		require.Equal(t, 200, code)
		return body
	}
	assert.Contains(t, feed("rea"), "Behind target")
	shared := feed("rea")
	want[client.View](t, 200)(s.as("rea").SaveView(ctx, client.NewView{Name: "mine", Query: &client.ViewQuery{Rule: ptr("thin-margin")}}))
	own := feed("rea")
	assert.NotEqual(t, idOf(t, shared), idOf(t, own))
	assert.Equal(t, idOf(t, shared), idOf(t, feed("ana")))
	_, listed, _ := s.oskel("rea", "exceptions", "-period", "2026-10", "-view", "mine", "-format", "csv")
	assert.Contains(t, listed, "thin-margin")
	assert.NotContains(t, listed, "behind")
	_, listed, _ = s.oskel("ana", "exceptions", "-period", "2026-10", "-view", "mine", "-format", "csv")
	assert.Contains(t, listed, "behind")
	assert.NotContains(t, listed, "thin-margin")
}

// idOf is what a feed calls itself.
func idOf(t *testing.T, atom string) string {
	var feed struct {
		ID string `xml:"id"`
	}
	require.NoError(t, xml.Unmarshal([]byte(atom), &feed))
	return feed.ID
}
