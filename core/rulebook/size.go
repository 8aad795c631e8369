package rulebook

import "oskel/core/lang"

// MostSteps is how many steps a formula may take for one subject when all that it names is
// written out in it.
const MostSteps = 20_000

// Steps is how many steps a measure takes for one subject when all that it names is written
// out, never more than a little above MostSteps: what looks at several periods counts once
// for each. Measures must not go in a circle.
func (b *Book) Steps(measure string) int { return b.steps(measure, map[string]int{}) }

func (b *Book) steps(measure string, known map[string]int) int {
	m := b.Measure(measure)
	if m == nil || m.Formula == nil {
		return 1
	}
	n, ok := known[measure]
	if !ok {
		n = b.stepsOf(m.Formula.Tree, known)
		known[measure] = n
	}
	return n
}

func (b *Book) stepsOf(n *lang.Node, known map[string]int) int {
	if n.Op == lang.Name {
		return b.steps(n.Text, known)
	}
	sum := 1
	for _, p := range n.Parts {
		sum = min(sum+b.stepsOf(p, known), MostSteps+1)
	}
	if n.Op == lang.Call {
		switch n.Text {
		case "growth", "change":
			sum *= 2
		case "trailing", "history", "history_score", "trend_score", "credibility":
			sum *= max(n.Parts[1].Int(), 1)
		}
	}
	return min(sum, MostSteps+1)
}

// checkSteps refuses formulas that take too many steps, written out: each that names the
// one before twice doubles them.
func (r *reader) checkSteps(book *Book) {
	known := map[string]int{}
	for i := range book.Measures {
		m := &book.Measures[i]
		if m.Formula != nil && book.steps(m.Name, known) > MostSteps {
			r.require(m.Formula.At, "measures."+m.Name+".formula",
				"with all that it names written out in it, %s takes more than %d steps for one subject; name fewer measures more than once", m.Name, MostSteps)
			return // those that name it do too
		}
	}
}
