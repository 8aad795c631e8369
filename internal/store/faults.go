package store

import (
	"context"
	"fmt"
	"oskel/core/casework"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Fault is one of the data that a case was settled for.
type Fault struct {
	ID, Case    int64
	Feeds       []string // in which it lies
	Note        string
	Author      string
	At          time.Time
	EndedAt     *time.Time
	EndedBy     *string // an account, or a sweep
	EndedText   *string // how
	Kind        string
	Key, Name   string
	Sentence    string
	DataVersion int64
}

// MostFaults is how many faults are listed at once.
const MostFaults = 500

// Faults lists those that are not mended, or with ended all, the newest first: of some
// feeds, nil being all.
func (s *Store) Faults(ctx context.Context, feeds []string, ended bool, skip int) ([]Fault, error) {
	return manyFaults(ctx, s.pool, "where ($1 or f.ended_at is null) and ($2::text[] is null or f.feeds && $2) order by (f.ended_at is not null), f.id "+
		"desc limit $3 offset $4", ended, feeds, MostFaults, skip)
}

// LockFault finds one that is not mended and holds it to the end of the transaction.
func (t *Tx) LockFault(ctx context.Context, id int64) (Fault, error) {
	all, err := manyFaults(ctx, t.tx, "where f.id = $1 and f.ended_at is null for update of f", id)
	if err == nil && len(all) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Fault{}, err
	}
	return all[0], nil
}

func manyFaults(ctx context.Context, q querier, tail string, args ...any) ([]Fault, error) {
	rows, err := q.Query(ctx, "select f.id, f.case_id, f.feeds, f.note, f.author, f.at, f.ended_at, f.ended_by, f.ended_text, c.kind, c.key, c.name, "+
		"c.sentence, f.data_version from data_issues f join cases c on c.id = f.case_id "+tail, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Fault])
}

// AddFault notes that the data of a case are at fault in some feeds.
func (t *Tx) AddFault(ctx context.Context, id int64, feeds []string, note, author string) error {
	_, err := t.tx.Exec(ctx, "insert into data_issues (case_id, feeds, note, author, data_version) values ($1, $2, $3, $4, coalesce((select max(id) "+
		"from intakes), 0))", id, feeds, note, author)
	return err
}

// DropFaults forgets the faults of some cases that are not mended: their cases are settled
// no more.
func (t *Tx) DropFaults(ctx context.Context, cases []int64) error {
	_, err := t.tx.Exec(ctx, "delete from data_issues where case_id = any($1) and ended_at is null", cases)
	return err
}

// EndFault notes that one is mended, by whom and how.
func (t *Tx) EndFault(ctx context.Context, id int64, by, text string) error {
	_, err := t.tx.Exec(ctx, "update data_issues set ended_at = now(), ended_by = $2, ended_text = $3 where id = $1", id, by, text)
	return err
}

// FaultyRules lists the rules whose flags in a case are settled as faults of the data.
func (t *Tx) FaultyRules(ctx context.Context, id int64) ([]string, error) {
	rows, err := t.tx.Query(ctx, "select distinct e.rule from exceptions e join cases c on c.id = e.case_id where c.id = $1 and "+flagFinding+
		" = 'data fault' order by e.rule", id)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// Mended is a fault that an intake has mended.
type Mended struct {
	ID, Case   int64
	Author     string
	Intake     int64
	Feed, File string
}

// MendFaults ends the faults of cases in which nothing is flagged any more, by data of
// some version, if lines of their feeds have come since: the first of these is said to
// have mended each.
func (t *Tx) MendFaults(ctx context.Context, sweep, version int64) error {
	rows, err := t.tx.Query(ctx, `select f.id, f.case_id, f.author, i.id, i.name, i.file from data_issues f
		join lateral (select id, name, file from intakes i where i.id > f.data_version and i.id <= $1 and i.kind = 'feed' and i.name = any(f.feeds)
			order by i.id limit 1) i on true
		where f.ended_at is null and exists (select from exceptions e where e.case_id = f.case_id) and not exists (select from exceptions e
			where e.case_id = f.case_id and e.state <> 'cleared') order by f.id for update of f`, version)
	if err != nil {
		return err
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Mended])
	if err != nil {
		return err
	}
	by := fmt.Sprintf("sweep %d", sweep)
	var news []NewNotice
	for _, m := range all {
		text := strings.TrimSpace(fmt.Sprintf("by intake %d of %s, %s", m.Intake, m.Feed, m.File))
		if err := t.EndFault(ctx, m.ID, by, text); err != nil {
			return err
		}
		if err := t.AddCaseEvent(ctx, m.Case, by, casework.IssueFixed, text); err != nil {
			return err
		}
		news = append(news, NewNotice{Person: m.Author, Case: m.Case, What: casework.IssueFixed, Text: text, Author: by})
	}
	return t.Tell(ctx, news)
}
