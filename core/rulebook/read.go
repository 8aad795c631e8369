package rulebook

import (
	"sort"
	"strings"

	"oskel/core/lang"
)

// MostBytes bounds the size of a document.
const MostBytes = 4 << 20

// Read turns a document into a Book and lists its problems in the order of
// the document. With problems, the Book is only good for showing.
func Read(text []byte) (*Book, []Problem) {
	r := &reader{}
	book := &Book{}
	if len(text) > MostBytes {
		r.complain(Position{1, 1}, "document", "%d bytes; at most %d are read", len(text), MostBytes)
		return book, r.problems
	}
	root := parseDocument(r, text)
	if root.absent() {
		return book, r.problems
	}
	f := root.fields("oskel", "title", "kinds", "feeds", "grades", "dials", "measures", "rules", "desks", "routes")
	if f["oskel"].absent() || f["oskel"].scalar() != "1" {
		r.complain(root.at, "oskel", "expected 'oskel: 1' to say which form this document has")
	}
	book.Title = f["title"].scalar()
	r.readKinds(f["kinds"], book)
	r.readFeeds(f["feeds"], book)
	r.readGrades(f["grades"], book)
	r.readDials(f["dials"], book)
	r.readMeasures(f["measures"], book)
	r.readRules(f["rules"], book)
	r.readDesks(f["desks"], book)
	r.readRoutes(f["routes"], book)
	r.check(book)
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
	return strings.ToUpper(name[:min(1, len(name))]) + strings.ReplaceAll(name[min(1, len(name)):], "_", " ")
}

func (r *reader) readKinds(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields("title", "plural", "attributes")
		k := Kind{At: e.at, Name: e.key, Title: titled(f["title"], e.key)}
		k.Plural = f["plural"].scalar()
		if k.Plural == "" {
			k.Plural = k.Title + "s"
		}
		for _, a := range f["attributes"].entries() {
			r.name(a.at, a.path, a.key, false)
			if registerColumns[a.key] || a.key == k.Name {
				r.complain(a.at, a.path, "%q is a column that every register has", a.key)
			}
			k.Attributes = append(k.Attributes, Attribute{a.key, lang.Type(a.oneOf("text", "text", "number", "date"))})
		}
		book.Kinds = append(book.Kinds, k)
	}
}

// registerColumns are what a register keeps of each subject beside its
// attributes.
var registerColumns = map[string]bool{"name": true, "active_from": true, "active_to": true}

func (r *reader) readFeeds(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields("title", "date", "subjects", "numbers", "labels", "notes")
		feed := Feed{At: e.at, Name: e.key, Title: titled(f["title"], e.key), Date: f["date"].required()}
		columns := map[string]bool{"line": true, "intake": true, "superseded": true}
		column := func(at Position, path, name string) {
			r.name(at, path, name, false)
			if columns[name] {
				r.complain(at, path, "the column %q is already there", name)
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
		}
		for _, n := range f["numbers"].entries() {
			column(n.at, n.path, n.key)
			feed.Numbers = append(feed.Numbers, Figure{n.key, Unit(n.oneOf("count", "money", "count", "percent", "days"))})
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

func (r *reader) readGrades(v value, book *Book) {
	for _, item := range v.items() {
		f := item.fields("name", "label", "tone", "shape")
		g := Grade{At: item.at, Name: f["name"].required()}
		r.name(f["name"].at, f["name"].path, g.Name, false)
		g.Label = titled(f["label"], g.Name)
		g.Tone = f["tone"].oneOf("amber", Tones...)
		g.Shape = f["shape"].oneOf("circle", Shapes...)
		if book.Grade(g.Name) != nil {
			f["name"].complain("the grade %q is defined twice", g.Name)
		}
		book.Grades = append(book.Grades, g)
	}
}

func (r *reader) readDials(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields("value", "from", "to")
		d := Dial{At: e.at, Name: e.key}
		d.Value, d.Percent = f["value"].number()
		if !f["from"].absent() {
			n, percent := f["from"].number()
			d.From = &n
			sameForm(f["from"], percent, d.Percent)
		}
		if !f["to"].absent() {
			n, percent := f["to"].number()
			d.To = &n
			sameForm(f["to"], percent, d.Percent)
		}
		if d.From != nil && d.Value < *d.From || d.To != nil && d.Value > *d.To {
			f["value"].complain("%s lies outside 'from' and 'to'", f["value"].scalar())
		}
		book.Dials = append(book.Dials, d)
	}
}

func sameForm(v value, percent, want bool) {
	if percent != want {
		v.complain("write it as the value is written: with %% or without")
	}
}

func (r *reader) readMeasures(v value, book *Book) {
	for _, e := range v.entries() {
		r.name(e.at, e.path, e.key, false)
		f := e.fields("title", "unit", "places", "sum", "count", "formula")
		m := Measure{At: e.at, Name: e.key, Title: titled(f["title"], e.key)}
		m.Unit = Unit(f["unit"].oneOf("", "money", "count", "percent", "days"))
		if m.Unit == "" {
			r.complain(e.at, e.path, "unit is missing: money, count, percent or days")
		}
		if m.Unit == Percent {
			m.Places = 1
		}
		if !f["places"].absent() {
			m.Places = f["places"].whole(0, 4)
		}
		stated := 0
		if s := f["sum"]; !s.absent() {
			stated++
			feed, figure, dotted := strings.Cut(s.scalar(), ".")
			m.Sum = Column{feed, figure}
			switch fd := book.Feed(feed); {
			case !dotted:
				s.complain("expected a feed and its column, such as sales.net")
			case fd == nil:
				s.complain("unknown feed %q%s", feed, suggest(feed, feedNames(book)))
			case fd.Figure(figure) == nil:
				s.complain("the feed %s has no number %q%s", feed, figure, suggest(figure, figureNames(fd)))
			}
		}
		if c := f["count"]; !c.absent() {
			stated++
			m.Count = c.scalar()
			if book.Feed(m.Count) == nil {
				c.complain("unknown feed %q%s", m.Count, suggest(m.Count, feedNames(book)))
			}
		}
		if !f["formula"].absent() {
			stated++
			m.Formula = f["formula"].formula()
		}
		if stated != 1 {
			r.complain(e.at, e.path, "state exactly one of sum, count and formula; %d are stated", stated)
		}
		book.Measures = append(book.Measures, m)
	}
}

func (r *reader) readDesks(v value, book *Book) {
	for _, item := range v.items() {
		f := item.fields("name", "title", "due")
		d := Desk{At: item.at, Name: f["name"].required(), Due: map[string]int{}}
		r.name(f["name"].at, f["name"].path, d.Name, true)
		d.Title = titled(f["title"], d.Name)
		if book.Desk(d.Name) != nil {
			f["name"].complain("the desk %q is defined twice", d.Name)
		}
		for _, e := range f["due"].entries() {
			n, ok := countOf(e.scalar(), "working day")
			if !ok || n < 1 || n > 250 {
				e.complain("expected a number of working days, such as '2 working days', found %q", e.scalar())
			}
			if book.Grade(e.key) == nil {
				r.complain(e.at, e.path, "unknown grade %q%s", e.key, suggest(e.key, gradeNames(book)))
			}
			d.Due[e.key] = n
		}
		book.Desks = append(book.Desks, d)
	}
}

func (r *reader) readRoutes(v value, book *Book) {
	items := v.items()
	for i, item := range items {
		f := item.fields("when", "to", "otherwise")
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
				item.complain("the last route must be 'otherwise', or exceptions that match none reach nobody")
			}
		}
		route.To = to.required()
		if route.To != "" && book.Desk(route.To) == nil {
			to.complain("unknown desk %q%s", route.To, suggest(route.To, deskNames(book)))
		}
		book.Routes = append(book.Routes, route)
	}
	if len(book.Rules) > 0 && len(items) == 0 {
		r.complain(Position{1, 1}, "routes", "rules need routes, or their exceptions reach nobody; the least is: routes: [{otherwise: a desk}]")
	}
}
