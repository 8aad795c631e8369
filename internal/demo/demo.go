// Package demo makes the data of Quillhaven Marine Supply, a made-up
// wholesaler: the same files every time, with stories planted in them.
package demo

import (
	"bufio"
	_ "embed"
	"encoding/csv"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"oskel/core/amount"
	"oskel/core/calendar"
)

// Rulebook is the demo's rulebook.
//
//go:embed rulebook.yaml
var Rulebook string

// The months of the demo: 36, up to October 2026.
var (
	firstMonth = calendar.MonthOf(2023, time.November)
	lastMonth  = calendar.MonthOf(2026, time.October)
)

// Now is the demo's clock: on a machine whose calendar is behind the data, the
// first working day after them, so that the last month has ended there too.
func Now() time.Time {
	now := time.Now()
	if first := (lastMonth.Last() + 2).Time(); now.Before(first) {
		return first
	}
	return now
}

// season is the share of a month in the year: heavy when boats are fitted
// out in spring, light in winter.
var season = [12]float64{0.62, 0.80, 1.22, 1.50, 1.38, 1.15, 1.00, 0.97, 0.95, 0.90, 0.72, 0.60}

func seasonOf(d calendar.Day) float64 { return season[d.Time().Month()-1] }

// rep is a made-up rep; discount is the share of a price that is let go.
type rep struct {
	key, name, territory, manager string
	from, to                      string
	discount                      float64
	book                          map[calendar.Month]amount.Amount // what its own customers bought, whoever served them
}

// customer is a made-up customer; size is how much is bought beside the others.
type customer struct {
	key, name, territory, category string
	rep                            *rep
	size                           float64
}

// product is a made-up product; weight is how often it is bought beside the others.
type product struct {
	key, name, category string
	price, cost         float64
	weight              float64
}

// saleLine is one line of an order, a return where its quantity is below zero.
type saleLine struct {
	day             calendar.Day
	order           string
	rep             *rep
	customer        *customer
	product         *product
	quantity        int
	net, cost, disc amount.Amount
}

// How many there are of a world.
const reps, customers = 45, 900

// world is all that the demo is made of. The same seed makes the same world, to the last byte.
type world struct {
	rng       *rand.Rand
	reps      []*rep
	customers []*customer
	products  []*product
	sales     []saleLine
	orders    int
	more      []*world // as many reps and customers again, of whom there are no stories
}

// Write makes the files in a directory: the rulebook, registers, feeds, targets and the list
// of stories. Times has so many times as many reps, customers and lines.
func Write(dir string, times int) error {
	w := &world{rng: rand.New(rand.NewPCG(2026, 10))}
	people, firms := &namer{w.rng, map[string]bool{}}, &namer{w.rng, map[string]bool{}}
	w.people(people, 0)
	w.rep(leftRep).to = "2026-06-30"
	w.rep(newRep).from = "2026-10-01"
	w.makeProducts()
	w.makeCustomers(firms, 0)
	w.plant(w.sell())
	for n := 1; n < times; n++ {
		m := &world{rng: rand.New(rand.NewPCG(2026, uint64(10+n))), products: w.products, orders: n * 1_000_000}
		m.people(&namer{m.rng, people.used}, n)
		m.makeCustomers(&namer{m.rng, firms.used}, n)
		m.sell()
		w.more = append(w.more, m)
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, "rulebook.yaml"), []byte(Rulebook), 0o644); err != nil {
		return err
	}
	for _, f := range []struct {
		name  string
		write func(put func(...string))
	}{
		{"reps.csv", w.writeReps}, {"customers.csv", w.writeCustomers}, {"products.csv", w.writeProducts}, {"targets.csv", w.writeTargets},
		{"sales.csv", w.writeSales}, {"returns.csv", w.writeReturns}, {"visits.csv", w.writeVisits}, {"stories.csv", writeStories},
	} {
		if err := writeCSV(filepath.Join(dir, f.name), f.write); err != nil {
			return fmt.Errorf("writing %s: %w", f.name, err)
		}
	}
	return nil
}

func writeCSV(path string, write func(put func(...string))) (err error) {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	buffer := bufio.NewWriterSize(f, 1<<16)
	w := csv.NewWriter(buffer)
	write(func(row ...string) { w.Write(row) }) //nolint:errcheck // Flush and Error tell
	w.Flush()
	if err := w.Error(); err != nil {
		return err
	}
	return buffer.Flush()
}

// people are those of a world, the nth.
func (w *world) people(names *namer, n int) {
	managers := make([]string, len(Territories))
	for i := range managers {
		managers[i] = names.person()
	}
	for i := range reps {
		t := i % len(Territories)
		w.reps = append(w.reps, &rep{key: fmt.Sprintf("R-%02d", n*reps+i+1), name: names.person(), territory: Territories[t], manager: managers[t],
			discount: 0.05 + 0.006*w.rng.NormFloat64(), book: map[calendar.Month]amount.Amount{}})
	}
}

func (w *world) rep(key string) *rep {
	for _, r := range w.reps {
		if r.key == key {
			return r
		}
	}
	panic("no rep " + key)
}

func (w *world) makeProducts() {
	for i := range 300 {
		line := productLines[i%len(productLines)]
		n := i / len(productLines)
		name := line.nouns[n%len(line.nouns)] + " " + line.sizes[(n/len(line.nouns))%len(line.sizes)]
		if round := n / (len(line.nouns) * len(line.sizes)); round > 0 {
			name += " " + []string{"", "Pro", "Eco"}[round]
		}
		price := line.price * math.Exp(0.5*w.rng.NormFloat64())
		w.products = append(w.products, &product{key: fmt.Sprintf("P-%03d", i+1), name: name, category: line.category,
			price: price, cost: price * (0.70 + 0.02*w.rng.NormFloat64()), weight: 0.6 + 2.4*w.rng.Float64()})
	}
}

func (w *world) makeCustomers(names *namer, n int) {
	for i := range customers {
		category := customerCategories[[]int{0, 0, 0, 0, 1, 1, 1, 2, 2, 2}[w.rng.IntN(10)]]
		if i%12 == 4 {
			category = customerCategories[3]
		}
		c := &customer{key: fmt.Sprintf("C-%04d", n*customers+i+1), category: category, size: math.Exp(0.35 * w.rng.NormFloat64())}
		switch c.key {
		case quietCustomer:
			c.category = "Boatyard"
		case recordCustomer:
			c.category = "Harbour authority"
		}
		// The leaver's customers went to colleagues of the same territory.
		c.rep = w.reps[i%len(w.reps)]
		if c.rep.key == newRep && i%2 == 0 {
			c.rep = w.reps[(i+6)%len(w.reps)]
		}
		c.territory = c.rep.territory
		c.name = names.firm(c.category)
		w.customers = append(w.customers, c)
	}
}

// serving is who serves a rep's customers on a day: the leaver's and the
// newcomer's are a colleague's while they are not there.
func (w *world) serving(r *rep, d calendar.Day) *rep {
	if r.key == leftRep && d > day("2026-06-30") {
		return w.rep("R-18")
	}
	if r.key == newRep && d < day("2026-10-01") {
		return w.rep("R-39")
	}
	return r
}

func day(s string) calendar.Day {
	d, err := calendar.ParseDay(s)
	if err != nil {
		panic(err)
	}
	return d
}

// sell has everybody buy, and says how a product is chosen.
func (w *world) sell() func() *product {
	total := 0.0
	var upTo []float64
	for _, p := range w.products {
		total += p.weight
		upTo = append(upTo, total)
	}
	choose := func() *product {
		at := w.rng.Float64() * total
		for i, u := range upTo {
			if at < u {
				return w.products[i]
			}
		}
		return w.products[len(w.products)-1]
	}
	for _, c := range w.customers {
		steady := c.category == "Boatyard" || c.category == "Marina"
		at := firstMonth.First() + calendar.Day(w.rng.IntN(20))
		for at <= lastMonth.Last() {
			if !(c.key == quietCustomer && at > day("2026-07-20")) {
				w.order(c, working(at), choose, 1)
			}
			gap := 5 + w.rng.IntN(22)
			if !steady {
				gap = 12 + w.rng.IntN(70)
			}
			at += calendar.Day(math.Max(2, math.Round(float64(gap)/(0.35+0.65*seasonOf(at)))))
		}
	}
	return choose
}

// working is the day, or the Friday before it.
func working(d calendar.Day) calendar.Day {
	for !(calendar.Calendar{}).Working(d) {
		d--
	}
	return max(d, firstMonth.First())
}

func (w *world) order(c *customer, d calendar.Day, choose func() *product, times float64) {
	r := w.serving(c.rep, d)
	switch {
	case r.key == silentRep && d.Month() == lastMonth:
		return
	case r.key == strugglingRep && d.Month() == lastMonth && w.rng.IntN(100) < 62:
		return
	}
	w.orders++
	order := fmt.Sprintf("Q%06d", w.orders)
	for range 1 + w.rng.IntN(4) {
		p := choose()
		if p.key == killedProduct && d > day("2026-08-10") {
			continue
		}
		w.line(order, d, r, c, p, times)
	}
}

func (w *world) line(order string, d calendar.Day, r *rep, c *customer, p *product, times float64) {
	quantity := int(math.Max(1, math.Round(c.size*times*(1+5*w.rng.Float64()))))
	discount := r.discount + 0.02*w.rng.NormFloat64()
	if r.key == discountRep && d >= day("2026-09-01") {
		discount += 0.05
	}
	discount = min(max(discount, 0), 0.3)
	price := p.price
	if p.key == killedProduct && d >= day("2026-07-15") {
		price *= 1.6
	}
	cost := p.cost * (1 + 0.01*w.rng.NormFloat64())
	if r.key == driftingRep && d >= day("2026-01-01") {
		cost *= 1 + 0.0035*float64(d.Month()-day("2025-12-01").Month())
	}
	if r.key == slippingRep && d >= day("2026-08-01") {
		cost *= map[time.Month]float64{time.August: 1.03, time.September: 1.07, time.October: 1.14}[d.Time().Month()]
	}
	gross := cents(price * float64(quantity))
	disc := cents(float64(gross) / amount.Scale * discount)
	l := saleLine{day: d, order: order, rep: r, customer: c, product: p, quantity: quantity, net: gross - disc, cost: cents(cost * float64(quantity)), disc: disc}
	w.sales = append(w.sales, l)
	c.rep.book[d.Month()] += l.net
}

// cents rounds to whole cents.
func cents(v float64) amount.Amount { return amount.Amount(math.Round(v*100)) * (amount.Scale / 100) }

// plant adds the stories that are more than a change of what happens anyway.
func (w *world) plant(choose func() *product) {
	for _, c := range w.customers {
		if c.rep.key == loadingRep {
			for _, d := range []string{"2026-09-24", "2026-09-25", "2026-09-28", "2026-09-29", "2026-09-30"} {
				w.order(c, day(d), choose, 1.6)
			}
		}
		if c.key == recordCustomer {
			w.orders++
			for range 12 {
				w.line(fmt.Sprintf("Q%06d", w.orders), day("2026-10-14"), c.rep, c, choose(), 25)
			}
		}
	}
}

func (w *world) writeReps(put func(...string)) {
	put("rep", "name", "territory", "manager", "active_from", "active_to")
	for _, w := range w.all() {
		for _, r := range w.reps {
			put(r.key, r.name, r.territory, r.manager, r.from, r.to)
		}
	}
}

// all is the world, and as many again as there are more.
func (w *world) all() []*world { return append([]*world{w}, w.more...) }

func (w *world) writeCustomers(put func(...string)) {
	put("customer", "name", "territory", "category")
	for _, w := range w.all() {
		for _, c := range w.customers {
			put(c.key, c.name, c.territory, c.category)
		}
	}
}

func (w *world) writeProducts(put func(...string)) {
	put("product", "name", "family", "category")
	for _, p := range w.products {
		put(p.key, p.name, families[p.category], p.category)
	}
}

// writeTargets sets each rep's target at what the customers served usually
// buy in the year, spread over the months by season and rounded to fifty.
func (w *world) writeTargets(put func(...string)) {
	put("rep", "month", "revenue")
	for _, w := range w.all() {
		w.targets(put)
	}
}

func (w *world) targets(put func(...string)) {
	usual := map[*rep]float64{}
	for _, r := range w.reps {
		for m := firstMonth; m < lastMonth-1; m++ {
			usual[r] += r.book[m].Float() / seasonOf(m.First()) / float64(lastMonth-1-firstMonth)
		}
	}
	for _, r := range w.reps {
		if r.key == newRep {
			continue
		}
		for m := firstMonth; m <= lastMonth; m++ {
			served := 0.0
			for _, owner := range w.reps {
				if w.serving(owner, m.First()) == r {
					served += usual[owner]
				}
			}
			if target := math.Round(served*seasonOf(m.First())/50) * 50; target > 0 {
				put(r.key, m.String(), strconv.FormatFloat(target, 'f', 0, 64))
			}
		}
	}
}

func (w *world) writeSales(put func(...string)) {
	put("day", "order_no", "rep", "customer", "product", "quantity", "net", "cost", "discount", "channel")
	defer w.lateSales(put)
	for _, w := range w.all() {
		w.saleLines(put)
	}
}

func (w *world) saleLines(put func(...string)) {
	for _, l := range w.sales {
		put(l.day.String(), l.order, l.rep.key, l.customer.key, l.product.key, strconv.Itoa(l.quantity), l.net.String(), l.cost.String(), l.disc.String(),
			pickOne(w.rng, []string{"visit", "visit", "phone", "online"}))
	}
}

func (w *world) writeReturns(put func(...string)) {
	put("day", "rep", "customer", "product", "quantity", "net", "reason")
	defer w.lateReturns(put)
	for _, w := range w.all() {
		w.returnLines(put)
	}
}

func (w *world) returnLines(put func(...string)) {
	for _, l := range w.sales {
		share, back := 0.05, l.day+3+calendar.Day(w.rng.IntN(21))
		if l.product.key == returnProduct && l.day.Month() == lastMonth {
			share, back = 0.75, min(back, lastMonth.Last())
		}
		if w.rng.Float64() >= share || back > lastMonth.Last() {
			continue
		}
		quantity := 1 + w.rng.IntN(max(1, l.quantity/2))
		if l.product.key == returnProduct && l.day.Month() == lastMonth {
			quantity = l.quantity
		}
		net := amount.Amount(math.Round(float64(l.net)/float64(l.quantity)/100)) * 100 * amount.Amount(quantity)
		put(back.String(), l.rep.key, l.customer.key, l.product.key, strconv.Itoa(quantity), net.String(),
			pickOne(w.rng, []string{"damaged", "wrong size", "not wanted", "faulty"}))
	}
}

// Lines of stories that are written behind all others, so that what chance makes
// of those stays as it is.
func (w *world) lateSales(put func(...string)) {
	c, p := w.customer(backCustomer), w.products[59]
	put("2026-10-05", "Q900001", c.rep.key, c.key, p.key, "40", "4200", "3000", "220", "phone")
}

func (w *world) lateReturns(put func(...string)) {
	c, p := w.customer(backCustomer), w.products[59]
	put("2026-10-15", c.rep.key, c.key, p.key, "40", "4200", "wrong size")
	c = w.customer(burstCustomer)
	for i, d := range []string{"2026-10-12", "2026-10-13", "2026-10-14", "2026-10-15", "2026-10-16"} {
		put(d, c.rep.key, c.key, w.products[20+i].key, "1", "35", "faulty")
	}
}

func (w *world) lateVisits(put func(...string)) {
	c := w.customer(quietCustomer)
	put("2026-09-15", c.rep.key, c.key, "40")
}

func (w *world) customer(key string) *customer {
	for _, c := range w.customers {
		if c.key == key {
			return c
		}
	}
	panic("no customer " + key)
}

func (w *world) writeVisits(put func(...string)) {
	defer w.lateVisits(put)
	put("day", "rep", "customer", "minutes")
	for _, w := range w.all() {
		w.visitLines(put)
	}
}

func (w *world) visitLines(put func(...string)) {
	for i, l := range w.sales {
		if i%10 == 0 {
			put(l.day.String(), l.rep.key, l.customer.key, strconv.Itoa(15+5*w.rng.IntN(18)))
		}
	}
}

func writeStories(put func(...string)) {
	put("title", "rule", "kind", "key", "period", "outcome", "grade", "why")
	for _, s := range Stories() {
		put(s.Title, s.Rule, s.Kind, s.Key, s.Period, s.Outcome, s.Grade, s.Why)
	}
}
