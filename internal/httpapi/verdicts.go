package httpapi

import (
	"context"
	"math"
	"net/http"
	"slices"
	"strings"

	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
)

func (s *server) ListVerdicts(ctx context.Context, r contract.ListVerdictsRequestObject) (contract.ListVerdictsResponseObject, error) {
	p, err := s.periodParam(ctx, r.Params.Period)
	if err != nil {
		return nil, err
	}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	if book, err = s.asSwept(ctx, book, p); err != nil {
		return nil, err
	}
	engine, err := s.Figures.Engine(ctx, book)
	if err != nil {
		return nil, err
	}
	level, code, err := subjectOf(engine, r.Params.Kind, r.Params.Key)
	if err != nil {
		return nil, err
	}
	keys, names := engine.Names(level)
	out := contract.ListVerdicts200JSONResponse{Kind: level.String(), Key: keys[code], Name: names[code], Period: book.Calendar.String(p),
		Words:      book.Calendar.Words(p),
		Attributes: attributesOut(engine, level, code, p), Verdicts: []contract.SubjectVerdict{}, Silent: []contract.Named{}}
	spoke := map[string]bool{}
	for _, said := range judge.Why(engine, level, code, p) {
		spoke[said.Rule.Name] = true
		out.Verdicts = append(out.Verdicts, verdictOut(engine, said))
	}
	if engine.Stopped() {
		return nil, ctx.Err()
	}
	for i := range book.Rules {
		rule := &book.Rules[i]
		if !slices.Contains(rule.Levels, level) {
			out.Elsewhere++
		} else if !spoke[rule.Name] {
			out.Silent = append(out.Silent, contract.Named{Name: rule.Name, Title: rule.Title + ": " + silence(rule)})
		}
	}
	return out, nil
}

// shownWrong is how many things that do not hold are told one by one.
const shownWrong = 100

func (s *server) GetVerification(ctx context.Context, r contract.GetVerificationRequestObject) (contract.GetVerificationResponseObject, error) {
	v, err := s.Sweep.Verify(ctx, r.Id)
	if err != nil {
		return nil, orNotFound(err, "sweep %d", r.Id)
	}
	out := contract.GetVerification200JSONResponse{Sweep: v.Sweep.ID, Period: keyText(s.calendar(ctx), v.Sweep.Period), Revision: v.Sweep.Revision,
		DataVersion: v.Sweep.DataVersion, Earlier: v.Earlier, Checked: v.Checked, Count: len(v.Wrong), Wrong: []contract.Mismatch{}}
	if v.Overtook != 0 {
		out.OvertakenBy = &v.Overtook
	}
	for _, m := range v.Wrong[:min(len(v.Wrong), shownWrong)] {
		one := contract.Mismatch{Rule: m.Rule, Key: m.Key, What: m.What, Recorded: m.Recorded, Recomputed: m.Recomputed}
		if m.Exception != 0 {
			one.Exception = &m.Exception
		}
		out.Wrong = append(out.Wrong, one)
	}
	return out, nil
}

// silence says why a rule not flagged of its subjects.
func silence(rule *rulebook.Rule) string {
	if rule.Trial {
		return "it is on trial"
	}
	if !rule.On {
		return "it is off"
	}
	return "it does not hold in this period"
}

func verdictOut(engine *measure.Engine, said judge.Said) contract.SubjectVerdict {
	book, rule := engine.Book, said.Rule
	out := contract.SubjectVerdict{Rule: rule.Name, Title: rule.Title, Period: book.Calendar.Words(said.Period),
		Outcome: contract.SubjectVerdictOutcome(said.Verdict.Outcome.String())}
	if said.Verdict.Flagged() {
		out.Grade = said.Verdict.Grade
	}
	switch {
	case said.Verdict.Outcome == judge.OutOfScope:
		out.Sentence = "The rule does not look at it: it is out of its scope."
	case said.Verdict.Why == method.Stopped:
		out.Sentence = "Not judged: " + method.Stopped + "."
	default:
		out.Sentence = explain.Sentence(book, rule, said.Period, said.Verdict, judge.BriefEvidence(engine, said.Result, said.Code))
	}
	unit, places, _ := explain.Axis(book, rule)
	for _, v := range []struct {
		to    **string
		value float64
	}{{&out.Held, said.Held}, {&out.Cut, said.Cut}, {&out.Away, said.Away()}} {
		if !math.IsNaN(v.value) {
			*v.to = ptr(explain.Held(v.value, unit, places))
		}
	}
	return out
}

// subjectOf finds a subject by its key: of a level, or of the only kind that has it.
func subjectOf(engine *measure.Engine, kind *string, key string) (measure.Level, uint32, error) {
	book := engine.Book
	if kind != nil {
		level, err := levelOf(book, *kind)
		if err != nil {
			return level, 0, err
		}
		code, ok := engine.Code(level, key)
		if !ok {
			return level, 0, refusal(http.StatusNotFound, "not-found", "There is no %s %q.", book.One(level), key)
		}
		return level, code, nil
	}
	var found []measure.Level
	var at uint32
	for _, k := range book.Kinds {
		level := measure.Level{Kind: k.Name}
		if code, ok := engine.Code(level, key); ok {
			found, at = append(found, level), code
		}
	}
	switch len(found) {
	case 0:
		return measure.Level{}, 0, refusal(http.StatusNotFound, "not-found", "There is no subject %q of any kind.", key)
	case 1:
		return found[0], at, nil
	}
	var kinds []string
	for _, l := range found {
		kinds = append(kinds, l.String())
	}
	return measure.Level{}, 0, refusal(http.StatusBadRequest, "invalid-request", "%q is a %s: say which kind is meant.", key, strings.Join(kinds, " and a "))
}
