package trial

// Book is the rulebook of the small world: one rule, two desks.
const Book = `oskel: 1
title: Small
kinds:
  rep: {title: Rep, attributes: {territory: text}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money}}
grades:
  - {name: act, label: Act now, tone: red, shape: diamond}
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
rules:
  - name: behind
    title: Behind target
    judges: rep
    threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}
desks:
  - {name: north, title: North desk, due: {act: 2 working days}}
  - {name: south, title: South desk}
routes:
  - {when: rep.territory is "North", to: north}
  - {otherwise: south}
`

// Reps, Targets and Sales are its data: in October N1 and S1 are behind, N2 meets its
// target exactly.
const (
	Reps = `rep,name,territory
N1,Arne Made-Up,North
N2,Bera Made-Up,North
S1,Cato Made-Up,South
`
	Targets = `rep,month,revenue
N1,2026-10,1000
N2,2026-10,1000
S1,2026-10,1000
`
	Sales = `day,rep,net
2026-10-05,N1,999.99
2026-10-06,N2,1000
2026-10-07,S1,400
`
)
