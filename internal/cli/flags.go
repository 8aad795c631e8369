package cli

import (
	"flag"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// stringFlag is a flag that leaves its target nil where it is not given.
func stringFlag(f *flag.FlagSet, target **string, name, usage string) {
	f.Func(name, usage, func(s string) error { *target = &s; return nil })
}

func numberFlag(f *flag.FlagSet, target **int64, name, usage string) {
	f.Func(name, usage, func(s string) error {
		n, err := strconv.ParseInt(s, 10, 64)
		if err != nil || n < 1 {
			return fmt.Errorf("%q is not a positive number", s)
		}
		*target = &n
		return nil
	})
}

// oneOf says what was expected instead of a word.
func oneOf(word string, words ...string) error {
	if !slices.Contains(words, word) {
		return fmt.Errorf("expected one of %s, found %q", strings.Join(words, ", "), word)
	}
	return nil
}

// periodFlag is how every command is given its period.
func periodFlag(f *flag.FlagSet) *string {
	return f.String("period", "", "the `period`, such as 2026-10, 2026-W44, 2026-Q4 or the name of a window (required)")
}

func periodGiven(period string, args []string) error {
	switch {
	case period == "" && len(args) == 1:
		return usagef("the period is a flag: -period %s", args[0])
	case period == "":
		return usagef("-period is missing, such as -period 2026-10")
	case len(args) > 0:
		return usagef("%q was not expected", args[0])
	}
	return nil
}
