package calendar

// Window is a stretch of days with a name, such as a fair or a promotion. Both
// its ends belong to it. Windows of one Kind are each other's forerunners.
type Window struct {
	Name, Title, Kind string
	From, To          Day
}

// windowBefore is the n-th window of the same kind that began before p did.
func (c Calendar) windowBefore(p Period, n int) (Period, bool) {
	for i := p.Number; ; i-- {
		if i < 0 {
			return p, false
		}
		if c.Windows[i].Kind != c.Windows[p.Number].Kind || i != p.Number && c.Windows[i].From == c.Windows[p.Number].From {
			continue
		}
		if n == 0 {
			return Period{Named, i}, true
		}
		n--
	}
}
