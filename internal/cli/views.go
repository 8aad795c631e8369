package cli

import (
	"context"
	"flag"
	"fmt"
	"strings"

	"oskel/internal/client"
)

var viewCommands = []command{
	{
		name: "view list", lists: true, short: "list the saved views: yours and the shared ones",
		example: "oskel view list\noskel view list -of cases",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			of := f.String("of", "exceptions", "exceptions, cases, tables or boards")
			return func(ctx context.Context, _ []string) error {
				all, err := views(ctx, e, *of)
				if err != nil {
					return err
				}
				var rows [][]string
				for _, v := range all {
					shared := ""
					if v.Shared {
						shared = "yes"
					}
					rows = append(rows, []string{v.Name, v.Owner, shared, inWords(v, nil)})
				}
				return e.show(all, []column{{head: "name"}, {head: "owner"}, {head: "shared"}, {head: "what", wrap: true}}, rows)
			}
		},
	},
	{
		name: "view save", args: "NAME", short: "save a view of exceptions: its filters and order",
		example: "oskel view save -shared -grade act -sort stake -descending 'Act now, by stake'\noskel exceptions -period 2026-10 -view 'Act now, by stake'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			q := client.ViewQuery{}
			shared := f.Bool("shared", false, "share it")
			stringFlag(f, &q.Rule, "rule", "only of this `rule`")
			stringFlag(f, &q.Grade, "grade", "only of this `grade`")
			stringFlag(f, &q.Kind, "kind", "only subjects of this `kind`")
			stringFlag(f, &q.Desk, "desk", "only those that go to this `desk`")
			stringFlag(f, &q.Text, "text", "only subjects whose key or name contains this `text`")
			enumFlag(f, &q.State, "state", "raised, standing, cleared, flagged or all")
			enumFlag(f, &q.Sort, "sort", "the order")
			enumFlag(f, &q.Group, "group", "their groups")
			descending := f.Bool("descending", false, "sort from the last to the first")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the name of the view")
				}
				if *descending {
					q.Descending = descending
				}
				v, err := read[client.View](e)(e.client.SaveView(ctx, client.NewView{Name: args[0], Shared: shared, Query: &q}))
				if err == nil {
					e.printf("Saved the view %s: %s.\n", v.Name, viewWords(v.Query))
				}
				return err
			}
		},
	},
	{
		name: "view delete", args: "NAME", short: "delete a view of yours, or a shared one (leads only)",
		example: "oskel view delete 'Act now, by stake'",
		setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
			of := f.String("of", "exceptions", "exceptions, cases, tables or boards")
			return func(ctx context.Context, args []string) error {
				if len(args) != 1 {
					return usagef("expected the name of the view")
				}
				v, err := viewNamed(ctx, e, *of, args[0])
				if err != nil {
					return err
				}
				if _, err := read[struct{}](e)(e.client.DeleteView(ctx, v.Id)); err != nil {
					return err
				}
				e.printf("Deleted the %s %s.\n", viewKind(*of), v.Name)
				return nil
			}
		},
	},
}

// enumFlag is a flag with one of the words of the contract, which checks it.
func enumFlag[T ~string](f *flag.FlagSet, to **T, name, usage string) {
	f.Func(name, usage, func(s string) error {
		w := T(s)
		*to = &w
		return nil
	})
}

func views(ctx context.Context, e *env, of string) ([]client.View, error) {
	return read[[]client.View](e)(e.client.ListViews(ctx, &client.ListViewsParams{Of: (*client.ListViewsParamsOf)(&of)}))
}

func viewNamed(ctx context.Context, e *env, of, name string) (client.View, error) {
	all, err := views(ctx, e, of)
	if err != nil {
		return client.View{}, err
	}
	var known []string
	for _, v := range all {
		if strings.EqualFold(v.Name, name) {
			return v, nil
		}
		known = append(known, v.Name)
	}
	if len(known) == 0 {
		return client.View{}, fmt.Errorf("there is no %s %q; none is saved yet", viewKind(of), name)
	}
	return client.View{}, fmt.Errorf("there is no %s %q; saved: %s", viewKind(of), name, strings.Join(known, ", "))
}

// viewKind is what one of a list of views is called.
func viewKind(of string) string {
	switch of {
	case "tables":
		return "kept table"
	case "boards":
		return "board"
	}
	return "view"
}

// viewed has a list be as a view says, wherever nothing else is stated.
func viewed(ctx context.Context, e *env, name string, p *client.ListExceptionsParams, stated map[string]bool, by, state, group *string) error {
	v, err := viewNamed(ctx, e, "exceptions", name)
	if err != nil {
		return err
	}
	q := v.Query
	for _, f := range []struct {
		name     string
		of, from **string
	}{{"rule", &p.Rule, &q.Rule}, {"grade", &p.Grade, &q.Grade}, {"kind", &p.Kind, &q.Kind}, {"desk", &p.Desk, &q.Desk}, {"text", &p.Text, &q.Text}} {
		if !stated[f.name] {
			*f.of = *f.from
		}
	}
	if !stated["descending"] && q.Descending != nil {
		p.Descending = q.Descending
	}
	if !stated["sort"] && q.Sort != nil {
		*by = string(*q.Sort)
	}
	if !stated["state"] && q.State != nil {
		*state = string(*q.State)
	}
	if !stated["group"] && q.Group != nil {
		*group = *q.Group
	}
	return nil
}

func inWords(v client.View, tables map[int64]string) string {
	switch v.Of {
	case client.ViewOfCases:
		return caseViewWords(v.Cases)
	case client.ViewOfTables:
		return tableWords(*v.Table)
	case client.ViewOfBoards:
		return boardWords(*v.Board, tables)
	}
	return viewWords(v.Query)
}

// viewWords say what a view is narrowed to and how it is ordered.
func viewWords(q client.ViewQuery) string {
	var out []string
	for _, f := range []struct {
		name string
		of   *string
	}{{"grade", q.Grade}, {"rule", q.Rule}, {"kind", q.Kind}, {"desk", q.Desk}, {"with", q.Text}, {"state", (*string)(q.State)}, {"group by", q.Group},
		{"in order of", (*string)(q.Sort)}} {
		if f.of != nil && *f.of != "" {
			out = append(out, f.name+" "+*f.of)
		}
	}
	if q.Descending != nil && *q.Descending {
		out = append(out, "the last first")
	}
	if len(out) == 0 {
		return "all that is flagged"
	}
	return strings.Join(out, ", ")
}

// casesViewed has a list of cases be as a view says, wherever nothing else is stated.
func casesViewed(ctx context.Context, e *env, name string, p *client.ListCasesParams, stated map[string]bool, state *string) error {
	v, err := viewNamed(ctx, e, "cases", name)
	if err != nil {
		return err
	}
	q := v.Cases
	for _, f := range []struct {
		name     string
		of, from **string
	}{{"desk", &p.Desk, &q.Desk}, {"grade", &p.Grade, &q.Grade}, {"kind", &p.Kind, &q.Kind}, {"rule", &p.Rule, &q.Rule},
		{"person", &p.Person, &q.Person}, {"text", &p.Text, &q.Text}} {
		if !stated[f.name] {
			*f.of = *f.from
		}
	}
	if !stated["state"] && q.State != nil {
		*state = string(*q.State)
	}
	if !stated["late"] && q.Late != nil {
		p.Late = q.Late
	}
	if !stated["group"] && q.Group != nil {
		p.Group = (*client.ListCasesParamsGroup)(q.Group)
	}
	if q.Whose != nil && !stated["held"] && !stated["asked"] && !stated["told"] {
		yes := true
		switch *q.Whose {
		case "held":
			p.Held = &yes
		case "asked":
			p.Asked = &yes
		default:
			p.Told = &yes
		}
	}
	return nil
}

// keepCases keeps what a list of cases is narrowed to as a view.
func keepCases(ctx context.Context, e *env, name string, shared bool, p *client.ListCasesParams, state string) error {
	q := client.CaseQuery{Desk: p.Desk, Grade: p.Grade, Kind: p.Kind, Rule: p.Rule, Person: p.Person, Text: p.Text, Group: (*client.CaseQueryGroup)(p.Group)}
	if state != "unsettled" {
		q.State = (*client.CaseQueryState)(&state)
	}
	if *p.Late {
		q.Late = p.Late
	}
	for _, w := range []struct {
		whose client.CaseQueryWhose
		is    *bool
	}{{"held", p.Held}, {"asked", p.Asked}, {"told", p.Told}} {
		if *w.is {
			q.Whose = &w.whose
		}
	}
	of := client.NewViewOfCases
	v, err := read[client.View](e)(e.client.SaveView(ctx, client.NewView{Name: name, Shared: &shared, Of: &of, Cases: &q}))
	if err == nil {
		e.printf("Saved the view %s: %s.\n", v.Name, caseViewWords(v.Cases))
	}
	return err
}

// caseViewWords say what a view of cases is narrowed to.
func caseViewWords(q client.CaseQuery) string {
	var out []string
	for _, f := range []struct {
		name string
		of   *string
	}{{"whose", (*string)(q.Whose)}, {"state", (*string)(q.State)}, {"desk", q.Desk}, {"grade", q.Grade}, {"kind", q.Kind}, {"rule", q.Rule},
		{"taken by", q.Person}, {"with", q.Text}, {"group by", (*string)(q.Group)}, {"in order of", (*string)(q.Sort)}} {
		if f.of != nil && *f.of != "" {
			out = append(out, f.name+" "+*f.of)
		}
	}
	if q.Late != nil && *q.Late {
		out = append(out, "late")
	}
	if len(out) == 0 {
		return "all that waits"
	}
	return strings.Join(out, ", ")
}
