package intake

import (
	"bytes"
	"fmt"
	"io"
	"strings"

	"oskel/core/calendar"
)

// Doubtful says that something in a file may be a slip of the pen. Whoever means it
// says so.
type Doubtful struct{ Found []string }

func (d *Doubtful) Error() string {
	return "this looks like a typing mistake: " + strings.Join(d.Found, "; ")
}

// doubts are what is found on the way.
type doubts struct {
	ahead calendar.Day // days after it are doubtful
	found []string
}

// farAhead is how many days ahead of today a line's day is doubtful.
const farAhead = 400

// mostDoubts are told one by one.
const mostDoubts = 5

// days minds the days of a feed's lines.
func (d *doubts) days(column string, all map[string]calendar.Day) {
	last := calendar.Day(0)
	for _, day := range all {
		last = max(last, day)
	}
	if last > d.ahead {
		d.found = append(d.found, fmt.Sprintf("%s: lines are dated up to %s, more than a year ahead", column, last))
	}
}

// keys minds new keys that differ from others in case alone.
func (d *doubts) keys(known, fresh []string) {
	if len(fresh) == 0 {
		return
	}
	seen := make(map[string]string, len(known)+len(fresh))
	for _, k := range known {
		seen[strings.ToLower(k)] = k
	}
	n := 0
	for _, k := range fresh {
		lower := strings.ToLower(k)
		if other, there := seen[lower]; there {
			if n++; n <= mostDoubts {
				d.found = append(d.found, fmt.Sprintf("the new key %q differs from %q in case alone", k, other))
			}
			continue
		}
		seen[lower] = k
	}
	if n > mostDoubts {
		d.found = append(d.found, fmt.Sprintf("and %d more keys do so", n-mostDoubts))
	}
}

// evenEnds sums a file up as if all its lines ended alike, so that the same file with
// other line ends is the same file.
type evenEnds struct{ sum io.Writer }

func (e evenEnds) Write(p []byte) (int, error) {
	if _, err := e.sum.Write(bytes.ReplaceAll(p, []byte("\r"), nil)); err != nil {
		return 0, err
	}
	return len(p), nil
}
