package store

import (
	"context"
	"time"

	"oskel/core/calendar"
)

// CasesComeTo lists cases of a desk that were due on a day or earlier, wait for somebody,
// and have not come to a step yet, and holds them to the end of the transaction; those
// that somebody is at work on are left for another time.
func (t *Tx) CasesComeTo(ctx context.Context, desk, step string, latest calendar.Day, limit int) ([]Case, error) {
	return manyCases(ctx, t.tx, `where state <> 'settled' and not resting and desk = $1 and due <= $2
		and not exists (select from case_steps s where s.case_id = cases.id and s.due = cases.due and s.step = $3) order by due, severity,
			id limit $4 for update skip locked`, desk, latest.Time(), step, limit)
}

// NoteSteps notes that a case has come to some steps.
func (t *Tx) NoteSteps(ctx context.Context, c *Case, steps []string) error {
	_, err := t.tx.Exec(ctx, "insert into case_steps (case_id, due, step) select $1, $2, unnest($3::text[]) on conflict do nothing", c.ID, c.Due.Time(), steps)
	return err
}

// TodosDue lists what is to be done today or was before, and of which nobody was
// reminded; from now on they were.
func (t *Tx) TodosDue(ctx context.Context, today calendar.Day, limit int) (out []Todo, err error) {
	rows, err := t.tx.Query(ctx, `update case_todos t set reminded_at = now() from (select id from case_todos where done_at is null
		and reminded_at is null and due <= $1 order by id limit $2 for update skip locked) d
		where t.id = d.id returning t.id, t.case_id, t.text, t.owner, t.due`, today.Time(), limit)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var d Todo
		var due time.Time
		if err := rows.Scan(&d.ID, &d.Case, &d.Text, &d.Owner, &due); err != nil {
			return nil, err
		}
		d.Due = *dayOf(&due)
		out = append(out, d)
	}
	return out, rows.Err()
}
