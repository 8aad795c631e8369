package casework_test

import (
	"fmt"

	"oskel/core/casework"
	"oskel/core/rulebook"
)

func ExampleContext_Apply() {
	c := casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Open}}
	rea := casework.Person{Name: "rea", Reviews: true, Desks: []string{"north"}}
	scene := casework.Context{Book: &rulebook.Book{}}
	event, err := scene.Apply(&c, rea, casework.Action{Kind: "take"})
	fmt.Println(event.What, c.State, c.Holder, err)

	rob := casework.Person{Name: "rob", Reviews: true, Desks: []string{"south"}}
	_, err = scene.Apply(&c, rob, casework.Action{Kind: "return"})
	fmt.Println(err)
	// Output:
	// taken taken rea <nil>
	// only members of the desk and leads may do this
}
