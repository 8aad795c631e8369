package judge

import (
	"oskel/core/method"
	"oskel/core/rulebook"
)

// ReadBook reads a rulebook and runs the examples stated with its rules. With
// problems it cannot be published; advice is what it had better not have.
func ReadBook(text []byte) (book *rulebook.Book, problems, advice []rulebook.Problem) {
	book, problems = rulebook.Read(text, method.All())
	if len(problems) == 0 {
		problems = Examples(book)
		advice = book.Advice()
	}
	return book, problems, advice
}
