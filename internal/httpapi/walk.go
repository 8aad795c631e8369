package httpapi

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"net/http"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
)

func (s *server) GetVariance(ctx context.Context, r contract.GetVarianceRequestObject) (contract.GetVarianceResponseObject, error) {
	p := r.Params
	f, err := s.figure(ctx, p.Measure, p.By, p.Key, p.Period, nil, nil)
	if err != nil {
		return nil, err
	}
	if cut, err := s.asSwept(ctx, f.book, f.slot.Period); err != nil {
		return nil, err
	} else if cut != f.book {
		if f.engine, err = s.Figures.Engine(ctx, cut); err != nil {
			return nil, err
		}
		f.book, f.slot = cut, f.engine.Slot(f.slot.Level, f.slot.Period)
	}
	book, m, engine, level, period := f.book, f.measure, f.engine, f.slot.Level, f.slot.Period
	choices := walkLevels(book, m.Name, level)
	if len(choices) == 0 {
		return nil, refusal(http.StatusUnprocessableEntity, "no-parts", "The lines of %s have no dimension to break it down by.", strings.ToLower(m.Title))
	}
	parts, err := levelOf(book, or(p.Parts, choices[0].Name))
	if err != nil {
		return nil, err
	}
	if parts.Paired() || parts.Kind == "" {
		return nil, refusal(http.StatusBadRequest, "unknown-level", "parts: expected a kind or an attribute, such as %s; found %q.", choices[0].Name, or(p.Parts, ""))
	}
	walked, from := explain.Moved(book, m.Name)
	if p.From != nil {
		from = string(*p.From)
	} else if from == "" {
		from = explain.Before
	}
	then, before, err := walkFrom(engine, level, period, from, or(p.Usual, 12))
	if err != nil {
		return nil, err
	}
	shown := m
	if walked.Op == lang.Name {
		shown = book.Measure(walked.Text)
	}
	var quantity *lang.Node
	if shown.Quantity != "" {
		quantity = &lang.Node{Op: lang.Name, Text: shown.Quantity}
	}
	var missing *explain.NoFigure
	w, err := explain.WalkOf(engine, walked, quantity, then, f.slot, f.code, parts)
	switch {
	case engine.Stopped():
		return nil, ctx.Err()
	case errors.As(err, &missing):
		return nil, refusal(http.StatusUnprocessableEntity, "nothing-to-compare", "Nothing to compare: %s of %s has no value in %s.", shown.Title, f.name,
			missingWords(missing, before, book.Calendar.Words(period)))
	case errors.Is(err, explain.ErrNoThen):
		return nil, refusal(http.StatusUnprocessableEntity, "nothing-to-compare", "Nothing to compare: the denominator of %s of %s is zero in %s or in %s.",
			shown.Title, f.name, before, book.Calendar.Words(period))
	case errors.Is(err, explain.ErrNoParts):
		return nil, refusal(http.StatusUnprocessableEntity, "no-parts", "%s cannot be broken down: %s.", shown.Title,
			strings.TrimPrefix(err.Error(), explain.ErrNoParts.Error()+": "))
	case err != nil:
		return nil, err
	}
	if from == explain.Usual {
		before = usualWords(book, period, w.Periods)
	}
	out := contract.GetVariance200JSONResponse{Measure: shown.Name, Title: shown.Title, Unit: string(plainUnit(shown.Unit)), By: level.String(),
		Key: f.key, Name: f.name, From: contract.VarianceFrom(from),
		Period: book.Calendar.String(period), Label: book.Calendar.Words(period), Before: before, Ratio: w.Ratio, Axis: parts.String(), Total: len(w.Parts),
		Then: figureOut(shown, w.Then), Now: figureOut(shown, w.Now), Change: changeOut(shown, new(big.Rat).Sub(w.Now, w.Then)),
		Parts: []contract.VariancePart{}, Effects: []contract.VarianceEffect{}, Choices: choices}
	partKeys, partNames := engine.Names(parts)
	rest := new(big.Rat)
	for i, part := range w.Parts {
		if i >= or(p.Limit, 20) {
			rest.Add(rest, part.Change)
			continue
		}
		key, name := "", "No "+book.One(parts)
		if part.Code != explain.Unnamed {
			key, name = partKeys[part.Code], partNames[part.Code]
		}
		out.Parts = append(out.Parts, walkPartOut(shown, part, key, name))
	}
	if len(w.Parts) > len(out.Parts) {
		out.Rest = ptr(changeOut(shown, rest))
	}
	for _, x := range w.Effects {
		out.Effects = append(out.Effects, contract.VarianceEffect{Name: x.Name, Words: effectWords[x.Name], Change: changeOut(shown, x.Change)})
	}
	return out, nil
}

// missingWords says in which periods there is no figure, and why.
func missingWords(n *explain.NoFigure, before, now string) string {
	var out []string
	if n.Then != measure.Present {
		out = append(out, fmt.Sprintf("%s (%s)", before, n.Then))
	}
	if n.Now != measure.Present {
		out = append(out, fmt.Sprintf("%s (%s)", now, n.Now))
	}
	return strings.Join(out, " nor in ")
}

// usualWords says of how many of the periods before one an average is.
func usualWords(book *rulebook.Book, p calendar.Period, n int) string {
	last, _ := book.Calendar.Before(p, 1)
	return fmt.Sprintf("the average of the %d periods with a figure to %s", n, book.Calendar.Words(last))
}

var effectWords = map[string]string{
	"volume":         "more or fewer units, at the previous price and mix",
	"mix":            "other shares of what costs more and less",
	"volume and mix": "other units, of which there were none in sum",
	"price":          "the same units at other prices",
	"cost":           "the same units at other costs",
	"new":            "what was not sold then",
	"lost":           "what is not sold now",

	"without quantities": "what has an amount then and now, but no quantity on both sides",
}

func walkPartOut(m *rulebook.Measure, p explain.WalkPart, key, name string) contract.VariancePart {
	out := contract.VariancePart{Key: key, Name: name, Change: changeOut(m, p.Change), There: contract.Both}
	switch {
	case p.New():
		out.There = contract.New
	case p.Lost():
		out.There = contract.Lost
	}
	for _, f := range []struct {
		to *(*contract.VarianceFigure)
		of *big.Rat
		as func(*rulebook.Measure, *big.Rat) contract.VarianceFigure
	}{{&out.Then, p.Then, figureOut}, {&out.Now, p.Now, figureOut}, {&out.Own, p.Own, changeOut}, {&out.Weight, p.Weight, changeOut}} {
		if f.of != nil {
			*f.to = ptr(f.as(m, f.of))
		}
	}
	return out
}

func figureOut(m *rulebook.Measure, v *big.Rat) contract.VarianceFigure {
	f, _ := v.Float64()
	return contract.VarianceFigure{Text: rulebook.Format(v, m.Unit, m.Places), Exact: exactText(measure.Cell{Value: v}), Value: f}
}

// changeOut has its sign, and points where the figure is a percentage.
func changeOut(m *rulebook.Measure, v *big.Rat) contract.VarianceFigure {
	out := figureOut(m, v)
	if strings.HasSuffix(out.Text, "%") {
		out.Text = strings.TrimSuffix(out.Text, "%") + " points"
	}
	if v.Sign() > 0 {
		out.Text = "+" + out.Text
	}
	return out
}

// walkFrom are the slots that a figure is walked from, and what to call them.
func walkFrom(e *measure.Engine, level measure.Level, p calendar.Period, from string, usual int) (then []measure.Slot, before string, err error) {
	c := e.Book.Calendar
	var of calendar.Period
	ok := true
	switch from {
	case explain.YearBefore:
		of, ok = c.YearBefore(p)
	case explain.Usual:
		last, is := c.Before(p, 1)
		if ok = is; ok {
			for _, of := range c.Run(last, usual) {
				first, end := c.Span(of)
				if slices.ContainsFunc(e.Book.Feeds, func(f rulebook.Feed) bool {
					feed := e.Snapshot.Feeds[f.Name]
					return feed != nil && feed.HasLines(first, end)
				}) {
					then = append(then, e.Slot(level, of))
				}
			}
			if len(then) > 0 {
				return then, usualWords(e.Book, p, len(then)), nil
			}
			ok = false
		}
	default:
		of, ok = c.Before(p, 1)
	}
	if !ok {
		return nil, "", refusal(http.StatusUnprocessableEntity, "nothing-to-compare", "%s has no such period to be compared with.", words.UpperFirst(c.Words(p)))
	}
	return []measure.Slot{e.Slot(level, of)}, c.Words(of), nil
}

// walkLevels are the levels by which a measure's lines can be taken apart: other kinds
// first, then attributes, then what the figure's own subjects are.
func walkLevels(book *rulebook.Book, name string, level measure.Level) []contract.Named {
	var kinds, attributes, own []contract.Named
	for i := range book.Kinds {
		k := &book.Kinds[i]
		if slices.ContainsFunc(book.FeedsUnder(name), func(feed string) bool { return book.Feed(feed).SubjectColumn(k.Name) == "" }) {
			continue
		}
		of := contract.Named{Name: k.Name, Title: k.Plural}
		switch {
		case k.Name != level.Kind && k.Name != level.With:
			kinds = append(kinds, of)
		case level.By != "" || level.Kind == "":
			own = append(own, of)
		default:
			continue
		}
		for _, a := range k.Attributes {
			if a.Type == lang.TextType {
				attributes = append(attributes, contract.Named{Name: k.Name + "." + a.Name, Title: k.Title + " " + a.Name})
			}
		}
	}
	return slices.Concat(kinds, own, attributes)
}
