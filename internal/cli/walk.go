package cli

import (
	"context"
	"flag"
	"fmt"
	"strconv"

	"oskel/internal/client"
)

var walkCommands = []command{{
	name: "variance", args: "[EXCEPTION]", lists: true, short: "explain why a figure changed, by contributions that add up exactly",
	long: "Of an exception, the measure that its rule looks at; or of any measure, with -measure, -by,\n-key and -period. Of a measure with a " +
		"quantity it also says what volume, mix and price made.\nCSV has the exact values, as decimals or as fractions.",
	example: "oskel variance 41\noskel variance -parts product -from \"year before\" 41\noskel variance -measure revenue -by rep -key R-17 -period " +
		"2026-10 -parts customer.category",
	setup: func(f *flag.FlagSet, e *env) func(context.Context, []string) error {
		p := &client.GetVarianceParams{}
		f.StringVar(&p.Measure, "measure", "", "the `measure`, or a formula in quotation marks")
		stringFlag(f, &p.By, "by", "for: a kind such as `rep`, an attribute such as rep.territory, or whole (the default)")
		stringFlag(f, &p.Key, "key", "the `key` of the subject")
		f.StringVar(&p.Period, "period", "", "the `period` it moved to")
		from := f.String("from", "", "compared with: before (the period before), \"year before\", or usual (the average of the last periods)")
		usual := f.Int("usual", 12, "how many periods the usual is the average of")
		stringFlag(f, &p.Parts, "parts", "break down by: a kind such as `customer` or an attribute such as product.category")
		top := f.Int("top", 20, "at most this many parts; the others are the rest")
		return func(ctx context.Context, args []string) error {
			asked := client.GetVarianceParamsFrom(*from)
			switch {
			case len(args) > 0 && (p.Measure != "" || p.By != nil || p.Key != nil || p.Period != ""):
				return usagef("an exception has a subject and a period; leave out -measure, -by, -key and -period")
			case len(args) > 0:
				id, err := idArg(args, "exception")
				if err != nil {
					return err
				}
				d, err := read[client.ExceptionDetail](e)(e.client.GetException(ctx, id, nil))
				if err != nil {
					return err
				}
				if d.Walk == nil {
					return fmt.Errorf("the rule %s has no figure that can be explained", d.Exception.RuleTitle)
				}
				p.Measure, p.By, p.Key, p.Period = d.Walk.Measure, &d.Exception.Kind, &d.Exception.Key, d.Exception.Period
				if asked == "" {
					asked = client.GetVarianceParamsFrom(d.Walk.From)
				}
			case p.Measure == "":
				return usagef("expected the number of an exception, or -measure with -by, -key and -period")
			default:
				if err := periodGiven(p.Period, nil); err != nil {
					return err
				}
			}
			if asked != "" {
				p.From = &asked
			}
			p.Usual, p.Limit = usual, top
			w, err := read[client.Variance](e)(e.client.GetVariance(ctx, p))
			if err != nil {
				return err
			}
			return showWalk(e, w)
		}
	},
}}

func showWalk(e *env, w client.Variance) error {
	figure := func(f *client.VarianceFigure) string {
		switch {
		case f == nil:
			return ""
		case e.format == "table":
			return f.Text
		}
		return f.Exact
	}
	in := "in"
	if w.From == client.VarianceFromUsual {
		in = "by"
	}
	e.printf("%s of %s: %s %s %s, %s in %s.\n", w.Title, w.Name, w.Then.Text, in, w.Before, w.Now.Text, w.Label)
	columns := []column{{head: "key"}, {head: "name"}, {head: "before", right: true}, {head: "after", right: true}, {head: "change", right: true}}
	if w.Ratio {
		columns = append(columns, column{head: "own rate", right: true}, column{head: "weight", right: true})
	}
	columns = append(columns, column{head: "note"})
	row := func(key, name string, then, now, change, own, weight *client.VarianceFigure, note string) []string {
		out := []string{key, name, figure(then), figure(now), figure(change)}
		if w.Ratio {
			out = append(out, figure(own), figure(weight))
		}
		return append(out, note)
	}
	var rows [][]string
	for i := range w.Parts {
		p := &w.Parts[i]
		note := string(p.There)
		if p.There == client.Both {
			note = ""
		}
		rows = append(rows, row(p.Key, p.Name, p.Then, p.Now, &p.Change, p.Own, p.Weight, note))
	}
	if w.Rest != nil {
		rows = append(rows, row("", strconv.Itoa(w.Total-len(w.Parts))+" others", nil, nil, w.Rest, nil, nil, ""))
	}
	if e.format == "table" {
		rows = append(rows, row("", e.bold("All"), &w.Then, &w.Now, &w.Change, nil, nil, ""))
	}
	if err := e.show(w, columns, rows); err != nil || e.format != "table" || len(w.Effects) == 0 {
		return err
	}
	fmt.Fprintln(e.out) //nolint:errcheck // as all that is shown
	var effects [][]string
	for _, x := range w.Effects {
		effects = append(effects, []string{"  " + x.Name, x.Change.Text, x.Words})
	}
	e.pairs(effects)
	return nil
}
