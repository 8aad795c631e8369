package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"

	"oskel/core/rulebook"
)

// feedTable is the table of a feed. Names are checked by the rulebook to be
// small letters, digits and underscores; they are quoted all the same.
func feedTable(feed string) string { return pgx.Identifier{"feeds", feed}.Sanitize() }

func quoted(column string) string { return pgx.Identifier{column}.Sanitize() }

// columnType is a column of a feed's table with its PostgreSQL type.
type columnType struct{ name, sql, words string }

func feedColumns(f *rulebook.Feed) []columnType {
	out := []columnType{{f.Date, "date", "days"}}
	for _, s := range f.Subjects {
		out = append(out, columnType{s.Column, "integer", "subjects"})
	}
	for _, n := range f.Numbers {
		out = append(out, columnType{n.Column, "numeric(19,4)", "numbers"})
	}
	for _, l := range append(append([]string(nil), f.Labels...), f.Notes...) {
		out = append(out, columnType{l, "text", "texts"})
	}
	return out
}

// FeedError says why a feed cannot become what a rulebook declares.
type FeedError struct{ Text string }

func (e *FeedError) Error() string { return e.Text }

// MakeFeed makes the table of a feed, or adds the columns it lacks: a table
// partitioned by month, one row a line, subjects as codes. A column that
// would change its type is refused.
func (t *Tx) MakeFeed(ctx context.Context, f *rulebook.Feed) error {
	columns := feedColumns(f)
	var defs []string
	for _, c := range columns {
		def := quoted(c.name) + " " + c.sql
		if c.name == f.Date {
			def += " not null"
		}
		defs = append(defs, def)
	}
	sql := fmt.Sprintf(`create table if not exists %s (line bigint not null, intake bigint not null, again bigint, superseded bigint, %s) partition by range (%s)`,
		feedTable(f.Name), strings.Join(defs, ", "), quoted(f.Date))
	if _, err := t.tx.Exec(ctx, sql); err != nil {
		return fmt.Errorf("making the table of %s: %w", f.Name, err)
	}
	rows, err := t.tx.Query(ctx, `select attname, format_type(atttypid, atttypmod) from pg_attribute where attrelid = $1::regclass and attnum > 0
		and not attisdropped`, feedTable(f.Name))
	if err != nil {
		return err
	}
	have := map[string]string{}
	var name, kind string
	if _, err := pgx.ForEachRow(rows, []any{&name, &kind}, func() error { have[name] = kind; return nil }); err != nil {
		return err
	}
	for _, c := range columns {
		switch {
		case have[c.name] == "":
			if c.name == f.Date {
				return &FeedError{fmt.Sprintf("the feed %s already has lines dated by another column than %s", f.Name, c.name)}
			}
			if _, err := t.tx.Exec(ctx, fmt.Sprintf("alter table %s add column %s %s", feedTable(f.Name), quoted(c.name), c.sql)); err != nil {
				return err
			}
		case have[c.name] != c.sql:
			return &FeedError{fmt.Sprintf("the column %s of %s is stored as %s and cannot hold %s; give the new column another name", c.name, f.Name,
				have[c.name], c.words)}
		}
	}
	return nil
}
