package lang_test

import (
	"fmt"

	"oskel/core/lang"
)

func ExampleFormula() {
	tree, _ := lang.Formula("(revenue - cost) / revenue")
	fmt.Println(tree.Op, tree.Names())
	_, err := lang.Formula("(revenue - cost / revenue")
	fmt.Println(err)
	// Output:
	// / [revenue cost]
	// at character 26: expected ')' to close the one at character 1, found the end
}

func ExampleNearest() {
	fmt.Println(lang.Nearest("revenu", []string{"revenue", "cost"}))
	// Output:
	// revenue
}
