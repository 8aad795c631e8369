package notify

import (
	"strconv"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAllWhoListenHear(t *testing.T) {
	var l Live
	one, leave, err := l.Listen("ana")
	require.NoError(t, err)
	two, _, err := l.Listen("rea")
	require.NoError(t, err)
	l.Tell(Event{"changed", "sweeps"})
	assert.Equal(t, Event{"changed", "sweeps"}, <-one)
	assert.Equal(t, Event{"changed", "sweeps"}, <-two)
	leave()
	l.Tell(Event{"changed", "cases"})
	assert.Empty(t, one, "who has left hears no more")
	assert.Equal(t, "cases", (<-two).Data)
}

// Who does not read misses what is too much, and keeps nobody waiting.
func TestWhoIsBehindMissesSome(t *testing.T) {
	var l Live
	slow, _, err := l.Listen("ana")
	require.NoError(t, err)
	for i := range 3 * behind {
		l.Tell(Event{"changed", i})
	}
	assert.Len(t, slow, behind)
	assert.Equal(t, 0, (<-slow).Data, "the first are kept")
	l.Tell(Event{"changed", "later"})
	for range behind - 1 {
		<-slow
	}
	assert.Equal(t, "later", (<-slow).Data, "who has caught up hears again")
}

// One person cannot take the places of all; a place that is left is free.
func TestAsManyListenAsMay(t *testing.T) {
	var l Live
	var leaves []func()
	for range Each {
		_, leave, err := l.Listen("ana")
		require.NoError(t, err)
		leaves = append(leaves, leave)
	}
	_, _, err := l.Listen("ana")
	assert.ErrorIs(t, err, ErrFull)
	_, leave, err := l.Listen("rea")
	assert.NoError(t, err)
	leave()
	leaves[0]()
	leaves[0]() // twice is once
	_, _, err = l.Listen("ana")
	assert.NoError(t, err)
	for i := range Most - Each {
		_, _, err := l.Listen("p" + strconv.Itoa(i))
		require.NoError(t, err)
	}
	_, _, err = l.Listen("one more")
	assert.ErrorIs(t, err, ErrFull)
}

func TestAClosedOneEndsItsChannels(t *testing.T) {
	var l Live
	early, leave, err := l.Listen("ana")
	require.NoError(t, err)
	l.Tell(Event{"changed", "last"})
	l.Close()
	assert.Equal(t, "last", (<-early).Data, "what was told before still comes")
	_, more := <-early
	assert.False(t, more)
	late, _, err := l.Listen("rea")
	require.NoError(t, err)
	_, more = <-late
	assert.False(t, more)
	l.Tell(Event{"changed", "never"})
	leave()
	l.Close()
}

func TestListeningTellingAndLeavingAtOnce(t *testing.T) {
	var l Live
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			for range 50 {
				_, leave, err := l.Listen(strconv.Itoa(i))
				assert.NoError(t, err)
				l.Tell(Event{"changed", i})
				leave()
			}
		})
	}
	all.Wait()
	assert.Empty(t, l.ears)
}
