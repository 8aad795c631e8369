/** A rulebook with one of each thing: what an empty draft begins from. */
export const smallest = `oskel: 1
title: My sales
kinds:
  rep: {title: Rep, attributes: {territory: text}}   # who is judged; its register is a file: rep, name, territory
feeds:
  sales:                                             # a file of order lines: day, rep, net, cost
    title: Order lines
    date: day
    subjects: {rep: rep}
    numbers: {net: money, cost: money}
grades:
  - {name: act, label: Act now, tone: red}
  - {name: look, label: Look, tone: amber}
dials:
  margin_floor: {value: 20%, from: 12%, to: 30%}
measures:
  revenue: {title: Revenue, sum: sales.net, unit: money}
  cost: {title: Cost, sum: sales.cost, unit: money}
  margin_rate: {title: Margin rate, formula: "(revenue - cost) / revenue", unit: percent}
rules:
  - name: thin-margin
    title: Thin margin
    judges: rep
    threshold:
      of: margin_rate
      bands:
        - {grade: act, below: 10%}
        - {grade: look, below: margin_floor}
        - {clear: rest}
desks:
  - {name: office, title: Office}
routes:
  - {otherwise: office}
`
