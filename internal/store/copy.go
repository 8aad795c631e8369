package store

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"strings"

	"github.com/jackc/pgx/v5"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/rulebook"
)

// Lines are lines of a feed in columns, in the order of its declaration;
// amount.Missing is no value.
type Lines struct {
	First    int64 // the number of the first line in its intake
	Days     []calendar.Day
	Subjects [][]uint32
	Numbers  [][]amount.Amount
	Texts    [][]string // labels, then notes
}

// Appender adds lines under an intake, block by block, making the partitions
// they need. Nothing of it counts before the transaction does.
type Appender struct {
	tx     *Tx
	feed   *rulebook.Feed
	intake int64
	names  string
	made   map[calendar.Month]string // tables of months
	loose  []calendar.Month          // those to be attached when all is written
	buffer []byte
}

// NewAppender begins to add lines.
func (t *Tx) NewAppender(f *rulebook.Feed, intake int64) *Appender {
	names := []string{"line", "intake"}
	for _, c := range feedColumns(f) {
		names = append(names, quoted(c.name))
	}
	return &Appender{tx: t, feed: f, intake: intake, names: strings.Join(names, ", "), made: map[calendar.Month]string{}}
}

// Append adds one block, each month's lines straight into its partition.
func (a *Appender) Append(ctx context.Context, lines *Lines) error {
	byMonth := map[calendar.Month][]int{}
	var months []calendar.Month
	last := calendar.Month(-1)
	var list []int
	for i, d := range lines.Days {
		m := d.Month()
		if m != last {
			if last >= 0 {
				byMonth[last] = list
			}
			if byMonth[m] == nil {
				months = append(months, m)
			}
			last, list = m, byMonth[m]
		}
		list = append(list, i)
	}
	if last >= 0 {
		byMonth[last] = list
	}
	for _, m := range months {
		partition, err := a.partition(ctx, m)
		if err != nil {
			return err
		}
		r := &rowReader{a: a, lines: lines, rows: byMonth[m]}
		sql := fmt.Sprintf("copy %s (%s) from stdin (format binary)", partition, a.names)
		if _, err := a.tx.tx.Conn().PgConn().CopyFrom(ctx, r, sql); err != nil {
			return fmt.Errorf("writing the lines of %s: %w", m, err)
		}
	}
	return nil
}

// monthTable is the table of a feed's month. Its name cannot be that of
// another feed's, since what follows the feed's name is of one length.
func monthTable(feed string, m calendar.Month) string {
	return pgx.Identifier{"feed_months", feed + "_" + strings.ReplaceAll(m.String(), "-", "_")}.Sanitize()
}

// partition is the table of a month. One that is new stands alone until all is
// written: to attach it locks no reader out.
func (a *Appender) partition(ctx context.Context, m calendar.Month) (string, error) {
	if name := a.made[m]; name != "" {
		return name, nil
	}
	name := monthTable(a.feed.Name, m)
	var there bool
	if err := a.tx.tx.QueryRow(ctx, "select to_regclass($1) is not null", name).Scan(&there); err != nil {
		return "", err
	}
	if !there {
		date := quoted(a.feed.Date)
		sql := fmt.Sprintf("create table %s (like %s including defaults including constraints, constraint within check (%s >= '%s' and %s < '%s'))", name,
			feedTable(a.feed.Name), date, m.First(), date, (m + 1).First())
		if _, err := a.tx.tx.Exec(ctx, sql); err != nil {
			return "", fmt.Errorf("making a table for %s: %w", m, err)
		}
		a.loose = append(a.loose, m)
	}
	a.made[m] = name
	return name, nil
}

// Attach makes the new months part of the feed.
func (a *Appender) Attach(ctx context.Context) error {
	for _, m := range a.loose {
		name := monthTable(a.feed.Name, m)
		for _, sql := range []string{
			fmt.Sprintf("alter table %s attach partition %s for values from ('%s') to ('%s')", feedTable(a.feed.Name), name, m.First(), (m + 1).First()),
			fmt.Sprintf("alter table %s drop constraint within", name), // the partition's own bound says the same
		} {
			if _, err := a.tx.tx.Exec(ctx, sql); err != nil {
				return fmt.Errorf("making %s part of %s: %w", m, a.feed.Name, err)
			}
		}
	}
	a.loose = nil
	return nil
}

// rowReader writes rows in the binary form of COPY.
type rowReader struct {
	a     *Appender
	lines *Lines
	rows  []int
	begun bool
	ended bool
	left  []byte
}

var copyHeader = []byte("PGCOPY\n\xff\r\n\x00\x00\x00\x00\x00\x00\x00\x00\x00")

func (r *rowReader) Read(p []byte) (int, error) {
	for len(r.left) == 0 {
		if r.ended {
			return 0, io.EOF
		}
		b := r.a.buffer[:0]
		if !r.begun {
			b = append(b, copyHeader...)
			r.begun = true
		}
		for len(b) < 64<<10 && len(r.rows) > 0 {
			b = r.append(b, r.rows[0])
			r.rows = r.rows[1:]
		}
		if len(r.rows) == 0 {
			b = append(b, 0xff, 0xff)
			r.ended = true
		}
		r.a.buffer, r.left = b, b
	}
	n := copy(p, r.left)
	r.left = r.left[n:]
	return n, nil
}

func (r *rowReader) append(b []byte, i int) []byte {
	l := r.lines
	big := binary.BigEndian
	b = big.AppendUint16(b, uint16(3+len(l.Subjects)+len(l.Numbers)+len(l.Texts)))
	b = big.AppendUint64(big.AppendUint32(b, 8), uint64(l.First+int64(i)))
	b = big.AppendUint64(big.AppendUint32(b, 8), uint64(r.a.intake))
	b = big.AppendUint32(big.AppendUint32(b, 4), uint32(int32(l.Days[i]-epoch)))
	for _, c := range l.Subjects {
		b = big.AppendUint32(big.AppendUint32(b, 4), c[i])
	}
	for _, c := range l.Numbers {
		b = appendNumeric(b, c[i])
	}
	for _, c := range l.Texts {
		if c[i] == "" {
			b = append(b, 0xff, 0xff, 0xff, 0xff)
		} else {
			b = append(big.AppendUint32(b, uint32(len(c[i]))), c[i]...)
		}
	}
	return b
}

// appendNumeric writes PostgreSQL's binary numeric(19,4): digits to the base
// ten thousand, of which an Amount's last one stands behind the point.
func appendNumeric(b []byte, a amount.Amount) []byte {
	big := binary.BigEndian
	if a == amount.Missing {
		return append(b, 0xff, 0xff, 0xff, 0xff)
	}
	sign, n := uint16(0), uint64(a)
	if a < 0 {
		sign, n = 0x4000, uint64(-a)
	}
	var digits [6]uint16
	count := 0
	for rest := n; rest > 0; rest /= amount.Scale {
		digits[count] = uint16(rest % amount.Scale)
		count++
	}
	low := 0
	for low < count && digits[low] == 0 {
		low++ // trailing zeros are not written
	}
	b = big.AppendUint32(b, uint32(8+2*(count-low)))
	b = big.AppendUint16(b, uint16(count-low))
	b = big.AppendUint16(b, uint16(int16(count-2))) // the weight of the first digit
	b = big.AppendUint16(b, sign)
	b = big.AppendUint16(b, 4)
	for k := count - 1; k >= low; k-- {
		b = big.AppendUint16(b, digits[k])
	}
	return b
}
