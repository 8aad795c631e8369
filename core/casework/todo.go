package casework

import (
	"strings"

	"oskel/core/calendar"
)

// Todo is what somebody is to do about a case by a day.
type Todo struct {
	Text  string
	Owner string
	Due   calendar.Day
}

// MostTodos is how many a case may have that are not done.
const MostTodos = 20

const longestTodo = 500 // bytes

// CheckTodo says what is wrong with one that somebody adds to a case, or tidies its text.
func (s Context) CheckTodo(c *Case, by Person, t *Todo) error {
	t.Text = strings.TrimSpace(t.Text)
	_, there := s.Person(t.Owner)
	switch {
	case !MaySay(c, by):
		return ErrNotYours
	case t.Text == "":
		return refuse("write what is to be done")
	case len(t.Text) > longestTodo:
		return refuse("a to-do can have %d bytes at most", longestTodo)
	case !there:
		return refuse("there is no account %q to do it", t.Owner)
	case t.Due < s.Today:
		return refuse("the due day must be today or later; %s is past", t.Due.Words())
	case t.Due > s.Today+longestParked:
		return refuse("the due day must be within a year, until %s", (s.Today + longestParked).Words())
	}
	return nil
}

// MayTick says whether somebody may say that a to-do is done, or take it away: whose it
// is, who added it, and whoever works the case.
func MayTick(by Person, owner, author, desk string) bool {
	return by.Name == owner || by.Name == author || by.Works(desk)
}
