package casework_test

import (
	"fmt"

	"oskel/core/casework"
	"oskel/core/rulebook"
)

func ExampleScene_Do() {
	c := casework.Case{Standing: casework.Standing{Desk: "north", State: casework.Open}}
	rea := casework.Person{Name: "rea", Reviews: true, Desks: []string{"north"}}
	scene := casework.Scene{Book: &rulebook.Book{}}
	event, err := scene.Do(&c, rea, casework.Act{Do: "take"})
	fmt.Println(event.What, c.State, c.Holder, err)

	rob := casework.Person{Name: "rob", Reviews: true, Desks: []string{"south"}}
	_, err = scene.Do(&c, rob, casework.Act{Do: "return"})
	fmt.Println(err)
	// Output:
	// taken taken rea <nil>
	// only members of the desk and leads may do this
}
