package casework

import (
	"regexp"
	"slices"
	"strings"
)

// mention is an @ with the name of an account after it, where no word goes before: the
// address of a mail is none.
var mention = regexp.MustCompile(`(?:^|[^\pL\pN_.@-])@([a-z][a-z0-9.-]{0,39})`)

// mostMentions is how many people one comment may name.
const mostMentions = 20

// Mentions are the accounts that a text names with an @, each once, in order. What ends a
// sentence is not of a name.
func Mentions(text string) (names []string) {
	for rest := text; ; {
		at := mention.FindStringSubmatchIndex(rest)
		if at == nil {
			return names
		}
		name := strings.TrimRight(rest[at[2]:at[3]], ".-")
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
		rest = rest[at[3]:]
	}
}

// mentioned refuses a text that names somebody who is not there.
func (s Context) mentioned(text string) error {
	names := Mentions(text)
	if len(names) > mostMentions {
		return refuse("a comment can mention %d people at most", mostMentions)
	}
	for _, name := range names {
		if _, there := s.Person(name); !there {
			return refuse("there is no account @%s; type @ and the name of an account", name)
		}
	}
	return nil
}
