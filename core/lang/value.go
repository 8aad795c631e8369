package lang

import (
	"oskel/core/amount"
	"oskel/core/calendar"
)

// ParseValue reads an attribute's text; what is empty or does not fit the type
// is missing.
func ParseValue(t Type, s string) Value {
	switch {
	case s == "":
		return Value{}
	case t == NumberType:
		if n, err := amount.Parse(s); err == nil {
			return Value{Type: t, Number: n}
		}
		return Value{}
	case t == DateType:
		if d, err := calendar.ParseDay(s); err == nil {
			return Value{Type: t, Day: d}
		}
		return Value{}
	}
	return Value{Type: TextType, Text: s}
}
