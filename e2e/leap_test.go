package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
)

// A clock that leaps sweeps nothing and reminds nobody, by itself or by hand, until it is put
// right or a lead says that it is right.
func TestTheClockLeaps(t *testing.T) {
	t.Parallel()
	var c clock
	c.set(t, "2026-12-01 12:00")
	s, _ := planned(t, &c, `{each: month, after: 2 working days, at: "06:00", when_outdated: at once, looks_back: 3 periods}`)
	s.comesTo(t, "2026-10", client.TurnStateSwept)

	// 400 days back: September of 2025 has lines by then, and is not swept.
	s.load("feed", "sales", salesHead+"2025-09-12,Z1,R1,900,850\n2025-10-12,Z2,R1,900,850\n", again)
	c.set(t, "2025-10-27 12:00")
	told := func() client.Clock { return want[client.Clock](t, 200)(s.as("rea").GetClock(ctx)) }
	assert.True(t, told().Leapt)
	swept := len(s.sweepsOf(t, "2025-09"))
	p := refused(t, 409, "clock-leapt")(s.as("ana").CreateSweep(ctx, client.NewSweep{Period: "2025-09"}))
	assert.Contains(t, *p.Detail, "it says 27 Oct 2025 12:00, and was last seen at 1 Dec 2026 12:00")
	time.Sleep(300 * time.Millisecond) // six looks: nothing is to happen
	assert.Len(t, s.sweepsOf(t, "2025-09"), swept)

	// Put right, it goes on by itself.
	c.set(t, "2026-12-01 12:30")
	assert.False(t, told().Leapt)
	code, _, errs := s.oskel("ana", "sweep", "-period", "2026-11")
	assert.NotContains(t, errs, "leapt", code)

	// Months on, after a long rest: a lead's word is enough.
	c.set(t, "2027-02-15 12:00")
	p1 := screen(t, s, 1280, 800)
	do(t, p1.SignIn("rea", password, "/sweeps"), p1.Sees("If it is right, a lead says so."))
	code, _, errs = s.oskel("ana", "service", "clock", "-right")
	assert.NotZero(t, code)
	assert.Contains(t, errs, "it takes a lead")
	p2 := screen(t, s, 1280, 800)
	do(t, p2.SignIn("lea", password, "/sweeps"), p2.Sees("was last seen at"), p2.ClickText("The clock is right: go on"),
		p2.Until("!document.body.innerText.includes('last seen at')"))
	assert.False(t, told().Leapt)
	code, out, errs := s.oskel("rea", "service", "clock")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "running")
}
