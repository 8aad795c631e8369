package e2e

// The small world: four reps, two desks, three rules.
const smallBook = `oskel: 1
title: Small
kinds:
  rep: {title: Rep, attributes: {territory: text}}
feeds:
  sales: {title: Order lines, date: day, subjects: {rep: rep}, numbers: {net: money, cost: money}, notes: [order_no]}
grades:
  - {name: act, label: Act now, tone: red, shape: diamond}
  - {name: look, label: Look, tone: amber, shape: triangle}
dials:
  floor: {value: 22%, from: 19%, to: 40%}
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
  cost: {title: Cost, sum: sales.cost, unit: money}
  margin: {title: Margin rate, formula: "(revenue - cost) / revenue", unit: percent}
rules:
  - name: thin-margin
    title: Thin margin
    judges: rep
    stake: "(floor - margin) * revenue"
    threshold: {of: margin, bands: [{grade: act, below: 18%}, {grade: look, below: floor}, {clear: rest}]}
  - name: behind
    title: Behind target
    judges: rep
    no_data: look
    threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 100%}, {clear: rest}]}
  - name: quiet
    title: Gone quiet
    judges: rep
    window: {silence: sales, at_least: 31 days, grade: look}
desks:
  - {name: north, title: North desk, due: {act: 2 working days, look: 5 working days}}
  - {name: south, title: South desk}
routes:
  - {when: rep.territory is "North", to: north}
  - {otherwise: south}
`

const smallReps = `rep,name,territory,active_from,active_to
R1,Arne Made-Up,North,,
R2,Bera Made-Up,South,,
R3,Cato Made-Up,North,,
R4,Dora Made-Up,South,,2026-08-31
`

const smallTargets = `rep,month,revenue
R1,2026-10,1000
R2,2026-10,1000
R3,2026-10,1000
`

// In October R1 keeps a margin of exactly 22 % and meets its target exactly;
// R2 falls below both; R3 has not reported since September.
const smallSales = `day,order_no,rep,net,cost
2026-09-10,A1,R1,1000,700
2026-09-11,A2,R2,1000,700
2026-09-12,A3,R3,1000,700
2026-10-05,A4,R1,600.50,468.39
2026-10-06,A5,R1,399.50,311.61
2026-10-07,A6,R2,999.9999,900
`
