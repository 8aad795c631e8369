package cli

import (
	"context"
	"flag"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"oskel/internal/client"
)

var registerCommands = []command{
	{
		name: "register", lists: true, args: "KIND [KEY]", short: "list the subjects of a kind as of a day, or the history of one",
		example: "oskel register rep\noskel register -at 2025-06-30 -text skerry rep\noskel register rep R-17",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetRegisterParams{}
			stringFlag(f, &p.At, "at", "as of this `day`; the last one with lines unless stated")
			stringFlag(f, &p.Text, "text", "only with this `text` in the key, the name or an attribute")
			return func(ctx context.Context, args []string) error {
				switch len(args) {
				case 1:
					return showRegister(ctx, e, args[0], p)
				case 2:
					return showSubject(ctx, e, args[0], args[1])
				}
				return usagef("expected a kind, and perhaps the key of one subject")
			}
		},
	},
	{
		name: "targets", lists: true, args: "KIND [MEASURE]", short: "list targets by month, and the missing ones",
		example: "oskel targets rep\noskel targets -missing -period 2026-12 rep revenue",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			p := &client.GetTargetsParams{}
			stringFlag(f, &p.Period, "period", "the last `month` shown; the newest with lines unless stated")
			periods := f.Int("periods", 6, "how many months")
			missing := f.Bool("missing", false, "only subjects that lack a target while they are active")
			stringFlag(f, &p.Text, "text", "only subjects whose key or name contains this `text`")
			return func(ctx context.Context, args []string) error {
				if len(args) < 1 || len(args) > 2 {
					return usagef("expected a kind, and perhaps a measure")
				}
				if len(args) == 2 {
					p.Measure = &args[1]
				}
				p.Periods, p.Missing = periods, missing
				return showTargets(ctx, e, args[0], p)
			}
		},
	},
	{
		name: "period calendar", lists: true, args: "[YEAR]", short: "list the periods, working days, holidays and windows of a year",
		example: "oskel period calendar 2026",
		setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
			return func(ctx context.Context, args []string) error {
				p := &client.GetCalendarParams{}
				if len(args) > 0 {
					p.Year = &args[0]
				}
				return showCalendar(ctx, e, p)
			}
		},
	},
}

func text(p *string) string {
	if p == nil {
		return ""
	}
	return *p
}

func showRegister(ctx context.Context, e *env, kind string, p *client.GetRegisterParams) error {
	var all client.RegisterPage
	limit := mostPage
	p.Limit = &limit
	err := allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return e.client.GetRegister(ctx, kind, p)
	}, func(page client.RegisterPage) (*string, bool) {
		page.Rows = joined(all.Rows, page.Rows)
		all = page
		return all.Next, false
	})
	if err != nil {
		return err
	}
	columns := []column{{head: "key"}, {head: "name"}}
	for _, a := range all.Attributes {
		columns = append(columns, column{head: a})
	}
	columns = append(columns, column{head: "active from"}, column{head: "active to"})
	var rows [][]string
	for _, r := range all.Rows {
		rows = append(rows, append(append([]string{r.Key, r.Name}, r.Values...), text(r.ActiveFrom), text(r.ActiveTo)))
	}
	if err := e.show(all, columns, rows); err != nil {
		return err
	}
	e.printf("%s as of %s.\n", counted(all.Total, "subject"), all.At)
	return nil
}

func showSubject(ctx context.Context, e *env, kind, key string) error {
	all, err := read[[]client.RegisterEntry](e)(e.client.GetSubject(ctx, kind, key))
	if err != nil {
		return err
	}
	var rows [][]string
	for _, entry := range all {
		var values []string
		for _, name := range slices.Sorted(maps.Keys(entry.Values)) {
			values = append(values, name+" "+entry.Values[name])
		}
		var counts []string
		if entry.AgainFrom != nil {
			counts = append(counts, fmt.Sprintf("again from version %d", *entry.AgainFrom))
		}
		if entry.SupersededBy != nil {
			counts = append(counts, fmt.Sprintf("until version %d", *entry.SupersededBy))
		}
		rows = append(rows, []string{fmt.Sprint(entry.Intake), or(text(entry.ValidFrom), "ever"), text(entry.ValidTo), entry.Name,
			strings.Join(values, ", "), text(entry.ActiveFrom), text(entry.ActiveTo), entry.By, strings.Join(counts, ", ")})
	}
	return e.show(all, []column{{head: "version", right: true}, {head: "valid from"}, {head: "valid to"}, {head: "name"},
		{head: "attributes", wrap: true}, {head: "active from"}, {head: "active to"}, {head: "by"}, {head: "counts"}}, rows)
}

func ptr[T any](v T) *T { return &v }

func or(s, fallback string) string {
	if s == "" {
		return fallback
	}
	return s
}

func showTargets(ctx context.Context, e *env, kind string, p *client.GetTargetsParams) error {
	var all client.TargetPage
	limit := mostPage
	p.Limit = &limit
	err := allPages(e, func(cursor *string) (*http.Response, error) {
		p.Cursor = cursor
		return e.client.GetTargets(ctx, kind, p)
	}, func(page client.TargetPage) (*string, bool) {
		page.Rows = joined(all.Rows, page.Rows)
		all = page
		return all.Next, false
	})
	if err != nil {
		return err
	}
	columns := []column{{head: "key"}, {head: "name"}}
	for _, l := range all.Labels {
		columns = append(columns, column{head: l, right: true})
	}
	var rows [][]string
	for _, r := range all.Rows {
		row := []string{r.Key, r.Name}
		for _, cell := range r.Cells {
			switch {
			case cell.State == "missing" && e.format == "table":
				row = append(row, "missing")
			case cell.State == "not active" && e.format == "table":
				row = append(row, "–")
			default:
				row = append(row, cell.Text)
			}
		}
		rows = append(rows, row)
	}
	missing := 0
	if e.format == "table" {
		sums, lack := []string{"", e.bold("Sum")}, []string{"", e.bold("Missing")}
		for i := range all.Sums {
			sums, lack = append(sums, e.bold(all.Sums[i])), append(lack, e.bold(fmt.Sprint(all.Missing[i])))
		}
		rows = append(rows, sums, lack)
	}
	for _, n := range all.Missing {
		missing += n
	}
	if err := e.show(all, columns, rows); err != nil {
		return err
	}
	e.printf("%s of %s; %s missing.\n", counted(all.Total, "subject"), or(all.Title, "no measure"), counted(missing, "target"))
	return nil
}

func showCalendar(ctx context.Context, e *env, p *client.GetCalendarParams) error {
	y, err := read[client.CalendarYear](e)(e.client.GetCalendar(ctx, p))
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range y.Periods {
		var notes []string
		for _, d := range y.Days {
			if d.Period == p.Period && d.Holiday != nil {
				notes = append(notes, d.Day[5:]+" "+*d.Holiday)
			}
		}
		for _, w := range y.Windows {
			if w.From <= p.Last && w.To >= p.First {
				notes = append(notes, w.Title)
			}
		}
		rows = append(rows, []string{p.Period, p.Quarter, p.First, p.Last, fmt.Sprint(p.WorkingDays), strings.Join(notes, "; ")})
	}
	if e.format == "table" {
		e.printf("%s, %s to %s. %s\n\n", y.Year, y.First, y.Last, y.Words)
	}
	return e.show(y, []column{{head: "period"}, {head: "quarter"}, {head: "first"}, {head: "last"}, {head: "working days", right: true},
		{head: "holidays and windows", wrap: true}}, rows)
}
