package rulebook

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"oskel/core/lang"
	"oskel/core/words"
)

// Read turns a document into a Book and lists its problems in the order of
// the document. With problems, the Book is only good for showing. Methods are
// those that its rules may judge by.
func Read(text []byte, methods Methods) (*Book, []Problem) {
	r := &reader{methods: methods}
	book := &Book{}
	if !r.withinBounds(text) {
		return book, r.problems
	}
	root := parseDocument(r, text)
	if root.absent() {
		return book, r.problems
	}
	f := root.fields(sections["rulebook"]...)
	if f["oskel"].absent() || f["oskel"].scalar() != "1" {
		r.complain(root.at, "oskel", "expected 'oskel: 1', the version of the format")
	}
	book.Title = f["title"].scalar()
	r.readCalendar(f["calendar"], book)
	r.readKinds(f["kinds"], book)
	r.readFeeds(f["feeds"], book)
	r.readGrades(f["grades"], book)
	r.readFormats(f["formats"], book)
	r.readDials(f["dials"], book)
	r.readMeasures(f["measures"], book)
	r.readRules(f["rules"], book)
	r.readDesks(f["desks"], book)
	r.readRoutes(f["routes"], book)
	r.readSweeps(f["sweeps"], book)
	r.readReasons(f["reasons"], book)
	book.matchNotes()
	r.check(book)
	book.Renamed = r.renamed
	sort.SliceStable(r.problems, func(i, j int) bool {
		a, b := r.problems[i].Position, r.problems[j].Position
		return a.Line < b.Line || a.Line == b.Line && a.Column < b.Column
	})
	return book, r.problems
}

func titled(v value, name string) string {
	if s := v.scalar(); s != "" {
		return s
	}
	return words.UpperFirst(strings.ReplaceAll(name, "_", " "))
}

func (r *reader) readKinds(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		if e.key == "whole" {
			r.complain(e.at, e.path, "'whole' stands for all subjects together and cannot be a kind")
		}
		f := e.fields(sections["kind"]...)
		k := Kind{At: e.at, Name: e.key, Title: titled(f["title"], e.key)}
		k.Plural = f["plural"].scalar()
		if k.Plural == "" {
			k.Plural = words.Plural(k.Title)
		}
		for _, a := range f["attributes"].entries() {
			r.name(a.at, a.path, a.key, false)
			if registerColumns[a.key] || a.key == k.Name {
				r.complain(a.at, a.path, "%q is a column that every register has", a.key)
			}
			k.Attributes = append(k.Attributes, a.attribute())
		}
		r.checkWithin(&k, f["attributes"].path)
		if k.ManagerAttribute() != "" && k.SubjectAttribute() == "" {
			f["attributes"].complain("who reports to whom takes both: an attribute that is 'reports to', and one that is 'self'")
		}
		book.Kinds = append(book.Kinds, k)
	}
}

// registerColumns are what a register keeps of each subject beside its
// attributes.
var registerColumns = map[string]bool{"name": true, "active_from": true, "active_to": true, "valid_from": true, "valid_to": true}

// keptColumns are those of a feed's table beside the declared ones: the
// service's own and PostgreSQL's.
var keptColumns = map[string]bool{"line": true, "intake": true, "again": true, "superseded": true,
	"tableoid": true, "xmin": true, "xmax": true, "cmin": true, "cmax": true, "ctid": true}

// mostColumns a feed may declare; PostgreSQL holds few more.
const mostColumns = 1000

// readFeeds reads 'feeds': a date, subjects, numbers, labels and notes, each a column of its own
// name.
func (r *reader) readFeeds(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields(sections["feed"]...)
		feed := Feed{At: e.at, Name: e.key, Title: titled(f["title"], e.key), Date: f["date"].required(), Owner: f["owner"].scalar()}
		columns := map[string]bool{}
		column := func(at Position, path, name string) {
			r.name(at, path, name, false)
			switch {
			case columns[name]:
				r.complain(at, path, "the column %q is already there", name)
			case keptColumns[name]:
				r.complain(at, path, "%q is a column that every feed's table keeps for itself; name it otherwise", name)
			case len(columns) == mostColumns:
				r.complain(at, path, "more than %d columns are not kept", mostColumns)
			}
			columns[name] = true
		}
		if feed.Date != "" {
			column(f["date"].at, f["date"].path, feed.Date)
		}
		for _, s := range f["subjects"].entries() {
			column(s.at, s.path, s.key)
			feed.Subjects = append(feed.Subjects, Subject{s.key, s.scalar()})
			if book.Kind(s.scalar()) == nil {
				s.complain("unknown kind %q%s", s.scalar(), suggest(s.scalar(), kindNames(book)))
			}
			for _, other := range feed.Subjects[:len(feed.Subjects)-1] {
				if other.Kind == s.scalar() {
					s.complain("the lines name a %s already, in the column %s: which column is it?", other.Kind, other.Column)
				}
			}
		}
		if f["subjects"].absent() || f["subjects"].isMapping() && len(feed.Subjects) == 0 {
			v.r.complain(e.at, e.path+".subjects", "state at least one column that names whose lines they are, such as {%s}", strings.Join(subjectExamples(book), ", "))
		}
		for _, n := range f["numbers"].entries() {
			column(n.at, n.path, n.key)
			feed.Numbers = append(feed.Numbers, Figure{n.key, n.unit(Count)})
		}
		for _, l := range f["labels"].items() {
			column(l.at, l.path, l.scalar())
			feed.Labels = append(feed.Labels, l.scalar())
		}
		for _, n := range f["notes"].items() {
			column(n.at, n.path, n.scalar())
			feed.Notes = append(feed.Notes, n.scalar())
		}
		book.Feeds = append(book.Feeds, feed)
	}
}

func subjectExamples(book *Book) (out []string) {
	for _, k := range book.Kinds {
		out = append(out, k.Name+": "+k.Name)
	}
	return out
}

func (r *reader) readGrades(v value, book *Book) {
	for _, item := range v.maps() {
		f := item.fields(sections["grade"]...)
		g := Grade{At: item.at, Name: f["name"].required()}
		r.name(f["name"].at, f["name"].path, g.Name, false)
		g.Label = titled(f["label"], g.Name)
		tone, shape := "amber", Shapes[min(len(book.Grades), 2)]
		if g.Good = f["good"].yes(false); g.Good {
			tone, shape = "green", "tick"
		}
		g.Tone = f["tone"].oneOf(tone, Tones...)
		g.Shape = f["shape"].oneOf(shape, Shapes...)
		g.Cell = f["cell"].oneOf(CellLooks[0], CellLooks...)
		if n := len(book.Grades); !g.Good && n > 0 && book.Grades[n-1].Good {
			item.complain("a grade that flags stands before those that are good: %s", book.Grades[n-1].Name)
		}
		if book.Grade(g.Name) != nil {
			f["name"].complain("the grade %q is defined twice", g.Name)
		}
		book.Grades = append(book.Grades, g)
	}
}

func (r *reader) readDials(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields(sections["dial"]...)
		d := Dial{At: e.at, Name: e.key, ValueAt: f["value"].at}
		d.Value, d.Percent = f["value"].number()
		if !f["from"].absent() {
			n, percent := f["from"].number()
			d.From = &n
			sameForm(f["from"], percent, d.Percent, f["value"])
		}
		if !f["to"].absent() {
			n, percent := f["to"].number()
			d.To = &n
			sameForm(f["to"], percent, d.Percent, f["value"])
		}
		mixed := d.From != nil && strings.HasSuffix(f["from"].scalar(), "%") != d.Percent || d.To != nil && strings.HasSuffix(f["to"].scalar(), "%") != d.Percent
		switch {
		case f["value"].absent(), mixed:
		case d.From != nil && d.To != nil && *d.From > *d.To:
			f["from"].complain("the range ends before it begins: 'from' is above 'to'")
		case d.From != nil && d.Value < *d.From || d.To != nil && d.Value > *d.To:
			f["value"].complain("%s lies outside 'from' and 'to'", f["value"].scalar())
		}
		book.Dials = append(book.Dials, d)
	}
}

func sameForm(v value, percent, want bool, as value) {
	if percent != want && !as.absent() {
		v.complain("write it as the value is written: with %% or without")
	}
}

// readMeasures reads 'measures'. A quantity may be a measure further down, so those are looked up
// at the end.
func (r *reader) readMeasures(v value, book *Book) {
	var quantities []func() // which may be measures further down
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields(sections["measure"]...)
		m := Measure{At: e.at, Name: e.key, Title: titled(f["title"], e.key)}
		m.Unit = f["unit"].unit("")
		if f["unit"].absent() {
			r.complain(e.at, e.path, "unit is missing: money, count, percent or days")
		}
		format := book.format(m.Unit)
		m.Places, m.Zero, m.Brackets = format.Places, format.Zero, format.Brackets
		format.read(f)
		m.Places, m.Zero, m.Brackets = format.Places, format.Zero, format.Brackets
		m.GoodDown = f["good"].oneOf("up", "up", "down") == "down"
		stated := 0
		for _, aggregate := range Aggregates {
			if !f[aggregate].absent() {
				stated++
				m.Aggregate, m.Of = aggregate, f[aggregate].column(book, aggregate)
			}
		}
		if !f["formula"].absent() {
			stated++
			m.Formula = f["formula"].formula()
		}
		if d := f["days"]; !d.absent() {
			stated++
			m.Days = d.oneOf("all", "all", "working")
			if m.Unit != Days && m.Unit != Count {
				r.complain(e.at, e.path, "days of the period are in days or a count, not in %s", m.Unit)
			}
		}
		if stated != 1 {
			r.complain(e.at, e.path, "state exactly one of %s, formula and days; %d are stated", strings.Join(Aggregates, ", "), stated)
		}
		if w := f["where"]; !w.absent() {
			r.readLineCondition(w, book, &m)
		}
		if q := f["quantity"]; !q.absent() {
			m.Quantity = q.scalar()
			quantities = append(quantities, func() {
				switch of := book.Measure(m.Quantity); {
				case of == nil:
					q.complain("unknown measure %q%s", m.Quantity, suggest(m.Quantity, measureNames(book)))
				case of.Name == m.Name || of.Unit != Count:
					q.complain("expected another measure that is a count, such as the units sold; %s is in %s", m.Quantity, of.Unit)
				case m.Aggregate != "" && m.Aggregate != "sum":
					q.complain("only a sum of lines, or a formula of such sums, has a quantity")
				}
			})
		}
		m.Groups = f["groups"].gathering(book)
		if why := m.mustSayGroups(); why != "" {
			r.require(m.Formula.At, e.path, "the formula has %s in it, so it must say how its groups and its total are made: 'groups: own figures' computes "+
				"them from their own figures, 'groups: sum of %s' adds up", why, exampleKind(book))
		}
		book.Measures = append(book.Measures, m)
	}
	for _, look := range quantities {
		look()
	}
}

// mustSayGroups names what a formula has in it that makes the value of a group
// another one than the sum of its subjects' values, if nothing is said of it.
func (m *Measure) mustSayGroups() string {
	switch {
	case m.Formula == nil || m.Groups.Said:
		return ""
	case m.Formula.Tree.Has(lang.Choose):
		return "a choice"
	case m.Formula.Tree.Any(func(f lang.Function) bool { return f.Ranks && f.Gives == lang.Ordinal || f.Ranks && f.Beyond }):
		return "a place"
	case m.Formula.Tree.Any(func(f lang.Function) bool { return f.Ranks }):
		return "a target"
	}
	return ""
}

func exampleKind(book *Book) string {
	if len(book.Kinds) > 0 {
		return book.Kinds[0].Name
	}
	return "rep"
}

// gathering reads 'own figures' or 'sum of rep'.
func (v value) gathering(book *Book) Gathering {
	if v.absent() {
		return Gathering{}
	}
	s := v.required()
	if s == "own figures" {
		return Gathering{Said: true}
	}
	how, kind, ok := strings.Cut(s, " of ")
	if !ok || !slices.Contains(Gatherings, how) {
		v.complain("expected 'own figures', or one of %s of a kind, such as 'sum of %s', found %q", strings.Join(Gatherings, ", "), exampleKind(book), s)
		return Gathering{Said: true}
	}
	if book.Kind(kind) == nil {
		v.complain("unknown kind %q%s", kind, suggest(kind, kindNames(book)))
	}
	return Gathering{how, kind, true}
}

// readFormats reads how figures of each unit are shown unless a measure says
// otherwise.
func (r *reader) readFormats(v value, book *Book) {
	for _, e := range v.entries() {
		unit := Unit(e.key)
		if !slices.Contains([]Unit{Money, Count, Percent, Days}, unit) {
			r.complain(e.at, e.path, "expected a unit: money, count, percent or days%s",
				lang.Suggestion(e.key, []string{string(Money), string(Count), string(Percent), string(Days)}))
		}
		format := book.format(unit)
		format.read(e.fields(sections["format"]...))
		if book.Formats == nil {
			book.Formats = map[Unit]UnitFormat{}
		}
		book.Formats[unit] = format
	}
}

// zeroWord reads the word that a table writes for zero: "" is the number. A dash is what is
// missing, so that one from before is read as the number.
func (v value) zeroWord() string {
	word := v.scalar()
	switch {
	case word == "number":
		return ""
	case word == "dash":
		v.r.renamed = append(v.r.renamed, Problem{Position: v.at, Path: v.path,
			Text: "a dash stands for what is missing, so zero is shown as 0; a word may stand for it, such as 'zero: nil'"})
		return ""
	case utf8.RuneCountInString(word) > longestZero || !strings.ContainsFunc(word, unicode.IsLetter) ||
		strings.ContainsFunc(word, unicode.IsControl):
		v.complain("expected number, or a word of at most %d characters, such as nil, found %q", longestZero, word)
		return ""
	}
	return word
}

// longestZero is how long the word for zero may be, in characters: it stands in a column of figures.
const longestZero = 12

// read takes over what a document states.
func (u *UnitFormat) read(f map[string]value) {
	if !f["places"].absent() {
		u.Places = f["places"].whole(0, 4)
	}
	if z := f["zero"]; !z.absent() {
		u.Zero = z.zeroWord()
	}
	if n := f["negative"]; !n.absent() {
		u.Brackets = n.oneOf("sign", "sign", "brackets") == "brackets"
	}
}

// format is how figures of a unit are shown unless a measure says otherwise.
func (b *Book) format(unit Unit) UnitFormat {
	if unit.Currency() != "" {
		unit = Money
	}
	if f, stated := b.Formats[unit]; stated {
		return f
	}
	if unit == Percent {
		return UnitFormat{Places: 1}
	}
	return UnitFormat{}
}

// column reads sales.net, or for a count the feed alone.
func (v value) column(book *Book, aggregate string) Column {
	feed, figure, dotted := strings.Cut(v.scalar(), ".")
	fd := book.Feed(feed)
	switch {
	case aggregate == "count" && dotted, aggregate != "count" && !dotted:
		v.complain("expected %s, found %q", map[bool]string{true: "a feed, such as sales",
			false: "a feed and its column, such as sales.net"}[aggregate == "count"], v.scalar())
	case fd == nil:
		v.complain("unknown feed %q%s", feed, suggest(feed, feedNames(book)))
	case aggregate == "count":
	case aggregate == "distinct":
		names := names(fd.Subjects, func(s Subject) string { return s.Column })
		if !slices.Contains(names, figure) {
			v.complain("the feed %s has no subject %q%s", feed, figure, suggest(figure, names))
		}
	case fd.Figure(figure) == nil:
		v.complain("the feed %s has no number %q%s", feed, figure, suggest(figure, figureNames(fd)))
	}
	return Column{feed, figure}
}

// readLineCondition reads which lines of its feed a measure counts: by label,
// by number, or by an attribute of a subject, such as customer.category.
func (r *reader) readLineCondition(v value, book *Book, m *Measure) {
	m.Where = v.condition()
	fd := book.Feed(m.Of.Feed)
	if m.Where == nil || fd == nil {
		if m.Formula != nil {
			v.complain("'where' is for aggregates of lines; a formula chooses with 'when … then … otherwise …'")
		}
		return
	}
	for _, e := range lang.CheckCondition(m.Where.Tree, lineTypes(book, fd)) {
		r.complain(shift(m.Where.At, e.At), v.path, "%s", e.Text)
	}
}

func lineTypes(book *Book, fd *Feed, notes ...string) func(string) (lang.Type, string) {
	return func(name string) (lang.Type, string) {
		if slices.Contains(fd.Labels, name) || slices.Contains(notes, name) {
			return lang.TextType, ""
		}
		if fd.Figure(name) != nil {
			return lang.NumberType, ""
		}
		known := append(append([]string(nil), fd.Labels...), figureNames(fd)...)
		for _, s := range fd.Subjects {
			for _, a := range book.Kind(s.Kind).Attributes {
				if name == s.Column+"."+a.Name {
					return a.Type, ""
				}
				known = append(known, s.Column+"."+a.Name)
			}
		}
		return "", "the lines of " + fd.Name + " have no label, number or attribute " + strconv.Quote(name) + suggest(name, known)
	}
}

// readRoutes reads 'routes' in their order; the last must be 'otherwise', so that every exception
// has a desk.
func (r *reader) readRoutes(v value, book *Book) {
	items := v.maps()
	for i, item := range items {
		f := item.fields(sections["route"]...)
		route := Route{At: item.at}
		to := f["to"]
		switch {
		case !f["otherwise"].absent():
			to = f["otherwise"]
			if !f["to"].absent() || !f["when"].absent() {
				item.complain("'otherwise' names the desk and stands alone")
			}
			if i != len(items)-1 {
				item.complain("'otherwise' matches everything, so the routes after it are never reached; put it last")
			}
		default:
			route.When = f["when"].condition()
			if i == len(items)-1 {
				item.complain("the last route must be 'otherwise', or exceptions that match none go to no desk")
			}
		}
		route.To = to.required()
		if route.To != "" && book.Desk(route.To) == nil {
			to.complain("unknown desk %q%s", route.To, suggest(route.To, deskNames(book)))
		}
		route.For = r.readFor(f["for"], book)
		for _, c := range f["copy"].items() {
			route.Copy = append(route.Copy, c.required())
		}
		for j, before := range book.Routes {
			if route.When != nil && before.When != nil && before.When.Text == route.When.Text {
				item.complain("never reached: route %d asks the same", j+1)
				break
			}
		}
		book.Routes = append(book.Routes, route)
	}
	if len(book.Rules) > 0 && len(v.items()) == 0 {
		r.complain(Position{1, 1}, "routes", "rules need routes, or their exceptions go to no desk; the least is: routes: [{otherwise: a desk}]")
	}
}
