package cli

import "net/http"

// mostPage is how many rows are asked for at a time.
const mostPage = 1000

// allPages asks for page after page of a long answer. ask is given the cursor
// of each, nil at first; join adds a page to those before and says whether that
// is enough, and where the next begins: nil is at the end.
func allPages[Page any](e *env, ask func(cursor *string) (*http.Response, error), join func(Page) (next *string, enough bool)) error {
	var cursor *string
	for {
		r, err := ask(cursor)
		page, err := readAnswer[Page](e, r, err)
		if err != nil {
			return err
		}
		next, enough := join(page)
		if next == nil || enough {
			return nil
		}
		cursor = next
	}
}

// joined are the rows of pages that came before and those of one more; never nil, so that
// none are [] in JSON.
func joined[T any](before, page []T) []T {
	if before == nil {
		before = []T{}
	}
	return append(before, page...)
}
