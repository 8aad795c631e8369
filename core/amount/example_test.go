package amount_test

import (
	"fmt"
	"math/big"

	"oskel/core/amount"
)

func ExampleParse() {
	a, err := amount.Parse("1234.5")
	fmt.Println(a, err)
	_, err = amount.Parse("0.00001") // four places at most
	fmt.Println(err)
	// Output:
	// 1234.5 <nil>
	// more than four decimal places
}

func ExampleSpread() {
	hundred, one := amount.FromInt(100), amount.FromInt(1)
	// What rounding leaves over goes to the largest remainders: the parts add up.
	fmt.Println(amount.Spread(hundred, []amount.Amount{one, one, one}, one))
	// Output:
	// [34 33 33]
}

func ExampleRoundRat() {
	fmt.Println(amount.RoundRat(big.NewRat(1, 8), 2))
	// Output:
	// 0.13
}
