package demo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"oskel/internal/people"
	"oskel/internal/store"
)

// Password is that of all demo people: the demo is on loopback and made up.
const Password = "quillhaven demo"

// passwordBefore is that of demos made by earlier versions.
const passwordBefore = "quillhaven"

// People are the accounts of the demo: an analyst, a lead, and a reviewer a
// desk.
var People = []store.Person{
	{Name: "ines", Title: "Ines Quarterdeck, analyst", Role: people.Analyst},
	{Name: "tor", Title: "Tor Ballastine, sales lead", Role: people.Lead},
	{Name: "nell", Title: "Nell Forepeak, Northfirth", Role: people.Reviewer, Desks: []string{"northfirth"}},
	{Name: "sig", Title: "Sig Thwartley, Skerry Coast", Role: people.Reviewer, Desks: []string{"skerry"}},
	{Name: "lio", Title: "Lio Bilgewater, Lowmarsh", Role: people.Reviewer, Desks: []string{"lowmarsh"}},
	{Name: "suri", Title: "Suri Taffrail, Southhaven", Role: people.Reviewer, Desks: []string{"southhaven"}},
	{Name: "odo", Title: "Odo Binnacle, The Sounds and Outer Isles", Role: people.Reviewer, Desks: []string{"sounds", "outer-isles"}},
	{Name: "pim", Title: "Pim Scupperton, product range", Role: people.Reviewer, Desks: []string{"range"}},
}

// AddPeople adds the demo's accounts; those already there are left alone.
func AddPeople(ctx context.Context, s *people.Service) error {
	for _, p := range People {
		err := s.Add(ctx, p, Password)
		if errors.Is(err, store.ErrTaken) {
			err = s.ChangePassword(ctx, p.Name, passwordBefore, Password, people.Origin{})
		}
		if err != nil && !errors.Is(err, people.ErrWrong) {
			return fmt.Errorf("adding %s: %w", p.Name, err)
		}
	}
	return nil
}

// File is one file of the demo with where it goes.
type File struct{ Into, Name, Path string }

// Files lists the demo's files in the order they are loaded.
func Files(dir string) []File {
	at := func(name string) string { return filepath.Join(dir, name) }
	return []File{
		{"register", "rep", at("reps.csv")}, {"register", "customer", at("customers.csv")}, {"register", "product", at("products.csv")},
		{"targets", "rep", at("targets.csv")},
		{"feed", "sales", at("sales.csv")}, {"feed", "returns", at("returns.csv")}, {"feed", "visits", at("visits.csv")},
	}
}

// Written says whether the demo's files are all there.
func Written(dir string) bool {
	for _, f := range Files(dir) {
		if _, err := os.Stat(f.Path); err != nil {
			return false
		}
	}
	return true
}
