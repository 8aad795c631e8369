package sweep

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// ErrFilter says that something is asked for that there is not.
var ErrFilter = errors.New("unknown")

// Exceptions lists one page of a period's exceptions and counts all that match.
// Grade, rule, kind and desk may be called by their titles; what there is not is
// an error.
func (s *Service) Exceptions(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter) ([]store.Exception, int, error) {
	f, err := s.resolved(ctx, book, f)
	if err != nil {
		return nil, 0, err
	}
	all, err := s.groups(ctx, book, f, "")
	if err != nil {
		return nil, 0, err
	}
	total := 0
	for _, g := range all {
		total += g.Count
	}
	list, err := s.store.Exceptions(ctx, f)
	return list, total, err
}

// groups counts what a filter lists. What was counted since the last sweep still holds:
// nothing else changes what is on record, but for its cases. By an attribute it hangs on
// the registers too.
func (s *Service) groups(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter, by string) ([]store.ExceptionGroup, error) {
	newest, err := s.store.Newest(ctx)
	if err != nil {
		return nil, err
	}
	last := newest.Sweep
	if by == "" || slices.Contains(store.Groups, by) {
		newest.DataVersion = 0
	}
	f.OtherStakes = book.OtherStakes()
	f.Limit, f.Offset, f.Sort, f.Descending, f.Group, f.Evidence = 0, 0, "", false, "", false
	return s.counts.of(countKey{last, newest.DataVersion, by, f}, func() ([]store.ExceptionGroup, error) { return s.store.ExceptionGroups(ctx, f, by) })
}

// Gathered counts what a filter lists: by the group that it asks for, and for each
// choice of its filters with the others as they are; all of it under "".
func (s *Service) Gathered(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter) (map[string][]store.ExceptionGroup, error) {
	f, err := s.resolved(ctx, book, f)
	if err != nil {
		return nil, err
	}
	out := map[string][]store.ExceptionGroup{}
	for by, narrowed := range map[string]*string{"": nil, "grade": &f.Grade, "rule": &f.Rule, "kind": &f.Kind, "desk": &f.Desk, "state": &f.State} {
		g := f
		switch narrowed {
		case nil:
		case &f.Grade:
			g.Grade = ""
		case &f.Rule:
			g.Rule = ""
		case &f.Kind:
			g.Kind = ""
		case &f.Desk:
			g.Desk = ""
		case &f.State:
			g.State = ""
		}
		if out[by], err = s.groups(ctx, book, g, by); err != nil {
			return nil, err
		}
	}
	if f.Group != "" {
		out["group"], err = s.groups(ctx, book, f, f.Group)
	}
	return out, err
}

// Marks are how some exceptions of a period stood in the last periods, it among them.
func (s *Service) Marks(ctx context.Context, book *rulebook.Book, k calendar.Key, of []store.Exception) (periods []calendar.Period,
	marks []store.ExceptionMark, err error) {
	p, ok := book.Calendar.ByKey(k)
	if !ok || len(of) == 0 {
		return nil, nil, nil
	}
	periods = book.Calendar.Run(p, Shown)
	var keys []calendar.Key
	for _, p := range periods {
		keys = append(keys, book.Calendar.Key(p))
	}
	marks, err = s.store.Marks(ctx, of, keys)
	return periods, marks, err
}

// resolved is a filter by names, whatever titles it was asked by.
func (s *Service) resolved(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter) (store.ExceptionFilter, error) {
	if err := s.left(ctx, f); err != nil {
		return f, err
	}
	if f.Group != "" && !slices.Contains(store.Groups, f.Group) {
		known := attributesOf(book)
		if !slices.Contains(known, f.Group) {
			all := append(slices.Clone(store.Groups), known...)
			return f, fmt.Errorf("%w group %q%s; group by %s or %s", ErrFilter, f.Group, lang.Suggestion(f.Group, all), strings.Join(all[:len(all)-1], ", "),
				all[len(all)-1])
		}
		if p, ok := book.Calendar.ByKey(f.Period); ok {
			_, f.AsOf = book.Calendar.Span(p)
		}
	}
	// What an earlier rulebook had is on record all the same.
	// It is looked into where the rulebook has no such name.
	var counts []store.ExceptionCount
	for _, by := range []struct {
		what  string
		value *string
		known []rulebook.Named
		of    func(store.ExceptionCount) string
	}{
		{"grade", &f.Grade, book.GradesNamed(), func(c store.ExceptionCount) string { return c.Grade }},
		{"rule", &f.Rule, book.RulesNamed(), func(c store.ExceptionCount) string { return c.Rule }},
		{"kind", &f.Kind, book.LevelsNamed(), func(c store.ExceptionCount) string { return c.Kind }},
		{"desk", &f.Desk, book.DesksNamed(), func(c store.ExceptionCount) string { return c.Desk }},
	} {
		if *by.value == "" || slices.ContainsFunc(by.known, func(n rulebook.Named) bool { return n.Name == *by.value }) {
			continue
		}
		if counts == nil {
			all, err := s.store.CountExceptions(ctx, f.Period, f.Period)
			if err != nil {
				return f, err
			}
			counts = append([]store.ExceptionCount{}, all...)
		}
		if slices.ContainsFunc(counts, func(c store.ExceptionCount) bool { return by.of(c) == *by.value }) {
			continue
		}
		name, complaint := rulebook.Resolve(by.what, *by.value, by.known)
		if complaint != "" {
			return f, fmt.Errorf("%w: %s", ErrFilter, complaint)
		}
		*by.value = name
	}
	return f, nil
}

// attributesOf are the names of the attributes of all kinds, each once.
func attributesOf(book *rulebook.Book) (names []string) {
	for _, k := range book.Kinds {
		for _, a := range k.Attributes {
			if !slices.Contains(names, a.Name) {
				names = append(names, a.Name)
			}
		}
	}
	return names
}

// Version is an exception as one sweep left it.
type Version struct {
	store.Exception
	Made store.Sweep
	All  []store.Exception // what sweeps have said of it, the newest first
}

// Exception finds one exception as a sweep of its period left it; 0 is the last.
func (s *Service) Exception(ctx context.Context, id, sweep int64) (v Version, err error) {
	if v.All, err = s.store.ExceptionVersions(ctx, id); err != nil {
		return v, err
	}
	if len(v.All) == 0 {
		return v, store.ErrNotFound
	}
	v.Exception = v.All[0]
	if sweep == 0 {
		sweep = v.Sweep
	}
	if v.Made, err = s.store.Sweep(ctx, sweep); err != nil {
		return v, err
	}
	at := slices.IndexFunc(v.All, func(e store.Exception) bool { return e.Since <= sweep && sweep <= e.Sweep })
	if at < 0 || v.Made.Period != v.Period {
		return v, fmt.Errorf("%w: sweep %d left nothing of exception %d", ErrFilter, sweep, id)
	}
	v.Exception = v.All[at]
	return v, nil
}

// ErrNotKept says that what a sweep left is no longer on record.
var ErrNotKept = errors.New("the state before a later sweep was not stored then")

// left looks whether what a sweep of a period left can be listed.
func (s *Service) left(ctx context.Context, f store.ExceptionFilter) error {
	if f.Sweep == 0 {
		return nil
	}
	of, err := s.store.Sweep(ctx, f.Sweep)
	switch {
	case errors.Is(err, store.ErrNotFound) || err == nil && of.Period != f.Period:
		return fmt.Errorf("%w: the period has no sweep %d", ErrFilter, f.Sweep)
	case err == nil && !of.Whole:
		return fmt.Errorf("sweep %d: %w", f.Sweep, ErrNotKept)
	}
	return err
}

// Sweeps lists at most so many sweeps, the newest first, of one period or, with nil, of
// all; those before a number, unless it is 0.
func (s *Service) Sweeps(ctx context.Context, k *calendar.Key, before int64, most int) ([]store.Sweep, error) {
	return s.store.Sweeps(ctx, k, before, most)
}

// Latest is the last sweep of a period, or store.ErrNotFound.
func (s *Service) Latest(ctx context.Context, k calendar.Key) (store.Sweep, error) {
	return s.store.LatestSweep(ctx, k)
}

// Counts is how many exceptions something has in a period.
type Counts struct {
	rulebook.Named
	Raised, Standing, Cleared int
	Grades                    map[string]int // of those flagged
	Judged                    *int           // of a rule
	Unsettled                 *int           // cases, of a desk
}

// Overview is what a period has.
type Overview struct {
	Period
	Grades, Kinds, Rules, Desks []Counts
}

// Overview counts a period's exceptions by grade, kind, rule and desk.
func (s *Service) Overview(ctx context.Context, book *rulebook.Book, p calendar.Period) (out Overview, err error) {
	periods, err := s.Periods(ctx, book.Calendar.Grain(p), &p, Shown)
	if err != nil || len(periods) == 0 {
		return out, err
	}
	out.Period = periods[len(periods)-1]
	counts, err := s.store.CountExceptions(ctx, book.Calendar.Key(p), book.Calendar.Key(p))
	if err != nil {
		return out, err
	}
	unsettled, err := s.store.CountUnsettled(ctx)
	if err != nil {
		return out, err
	}
	by := func(all []rulebook.Named, of func(store.ExceptionCount) string) (list []Counts) {
		for _, n := range all {
			list = append(list, count(n, counts, of))
		}
		return list
	}
	out.Grades = by(book.GradesNamed(), func(c store.ExceptionCount) string { return c.Grade })
	out.Kinds = by(book.LevelsNamed(), func(c store.ExceptionCount) string { return c.Kind })
	out.Rules = by(book.RulesNamed(), func(c store.ExceptionCount) string { return c.Rule })
	out.Desks = by(book.DesksNamed(), func(c store.ExceptionCount) string { return c.Desk })
	if out.Sweep != nil {
		for _, t := range TalliesOf(*out.Sweep) {
			i := slices.IndexFunc(out.Rules, func(c Counts) bool { return c.Name == t.Rule && !t.Trial })
			if i >= 0 {
				judged := t.Judged() + or(out.Rules[i].Judged, 0) // at all its levels
				out.Rules[i].Judged = &judged
			}
		}
	}
	for i := range out.Desks {
		n := unsettled[out.Desks[i].Name]
		out.Desks[i].Unsettled = &n
	}
	return out, nil
}

func count(n rulebook.Named, all []store.ExceptionCount, of func(store.ExceptionCount) string) Counts {
	c := Counts{Named: n, Grades: map[string]int{}}
	for _, x := range all {
		if of(x) != n.Name {
			continue
		}
		switch x.State {
		case "raised":
			c.Raised += x.Count
		case "standing":
			c.Standing += x.Count
		default:
			c.Cleared += x.Count
			continue
		}
		c.Grades[x.Grade] += x.Count
	}
	return c
}

// Pulse is the newest of all that lists are made of, and of the trails of cases.
func (s *Service) Pulse(ctx context.Context) (store.Pulse, int64, error) { return s.store.Pulse(ctx) }

// InCases are the cases of some exceptions, by the numbers of these.
func (s *Service) InCases(ctx context.Context, exceptions []int64) (map[int64]store.InCase, error) {
	return s.store.InCases(ctx, exceptions)
}
