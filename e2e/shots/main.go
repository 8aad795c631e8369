// The command shots takes the pictures of the console for the documents, from
// a demo that is being served.
//
//	go run ./e2e/shots DIRECTORY [NAME ...]
package main

import (
	"log"
	"os"
	"path/filepath"
	"slices"

	"oskel/e2e/browser"
	"oskel/internal/demo"
)

type shot struct {
	name, person, path string
	click              string // a selector clicked before the picture
	follow             string // then a link with this text
	see                string // a text that is waited for, and brought into view
}

var shots = []shot{
	{name: "people", person: "tor", path: "/people?name=odo"},
	{name: "overview", person: "ines", path: "/overview"},
	{name: "exceptions", person: "ines", path: "/exceptions", click: "[data-row]"},
	{name: "exception", person: "ines", path: "/exceptions?text=R-17", click: "[data-row]", follow: "Open full page"},
	{name: "own-past", person: "ines", path: "/exceptions?text=R-18", click: "[data-row]", follow: "Open full page"},
	{name: "time-line", person: "ines", path: "/exceptions?text=C-0205", click: "[data-row]", follow: "Open full page"},
	{name: "figures", person: "ines",
		path: "/figures?measures=revenue,margin_rate,growth_year,attained,rank_by_revenue&shade=places&cell=margin_rate%7CR-17%7C2026-10&sort=2&up=yes"},
	{name: "measure", person: "ines", path: "/measures/margin_rate"},
	{name: "rules", person: "ines", path: "/rules?rule=behind-target", see: "would have dropped"},
	{name: "draft", person: "ines", path: "/rules/draft?rule=thin-margin"},
	{name: "method", person: "ines", path: "/rules/draft?rule=margin-drift"},
	{name: "dials", person: "ines", path: "/rules/dials"},
	{name: "sweeps", person: "tor", path: "/sweeps"},
	{name: "desk", person: "tor", path: "/desk?group=desk"},
	{name: "case", person: "nell", path: "/desk", click: "[data-row]", follow: "Open full page"},
	{name: "data", person: "ines", path: "/data"},
	{name: "outcomes", person: "tor", path: "/desk/outcomes", see: "Precision is the share"},
}

func main() {
	log.SetFlags(0)
	if len(os.Args) < 2 {
		log.Fatal("shots: expected a directory")
	}
	base := os.Getenv("OSKEL_SERVER")
	if base == "" {
		base = "http://127.0.0.1:8420"
	}
	b, err := browser.Start()
	if err != nil {
		log.Fatal("shots: ", err)
	}
	defer b.Close()
	for _, s := range shots {
		if len(os.Args) > 2 && !slices.Contains(os.Args[2:], s.name) {
			continue
		}
		if err := take(b, base, s, filepath.Join(os.Args[1], s.name+".png")); err != nil {
			log.Fatalf("shots: %s: %s", s.name, err)
		}
	}
}

func take(b *browser.Browser, base string, s shot, file string) error {
	p, close, err := b.Open(base, 1280, 800)
	if err != nil {
		return err
	}
	defer close()
	if s.person != "" {
		if err := p.SignIn(s.person, demo.Password); err != nil {
			return err
		}
	}
	if err := p.Go(s.path); err != nil {
		return err
	}
	if s.click != "" {
		if err := p.Click(s.click); err != nil {
			return err
		}
	}
	if s.follow != "" {
		if err := p.ClickText(s.follow); err != nil {
			return err
		}
	}
	if s.see != "" {
		if err := p.Sees(s.see); err != nil {
			return err
		}
		if err := p.Run(`[...document.querySelectorAll('li, p')].find((e) => e.innerText.includes('` + s.see + `'))?.scrollIntoView({ block: 'end' })`); err != nil {
			return err
		}
	}
	if err := p.Rest(); err != nil {
		return err
	}
	png, err := p.PNG()
	if err != nil {
		return err
	}
	return os.WriteFile(file, png, 0o644)
}
