package measure

import (
	"slices"
	"strings"

	"oskel/core/lang"
)

// Lookup answers for the attributes of a code of a slot, as of its last day:
// of a subject all it has, of a group its own value and what that lies within,
// of a pair those of both sides. An attribute that is named as a kind holds keys of that one, whose
// attributes follow: customer.rep.manager.
func (e *Engine) Lookup(s Slot, code uint32) lang.Lookup {
	return func(name string) lang.Value {
		kind, attribute, _ := strings.Cut(name, ".")
		if s.Paired() {
			first, second, a, b := e.Sides(s, code)
			if kind == second.Kind {
				return e.Lookup(second, b)(name)
			}
			return e.Lookup(first, a)(name)
		}
		if own, further, on := strings.Cut(attribute, "."); on { // of another kind, which it names by its key
			next := e.Snapshot.Registers[own]
			if key := e.Lookup(s, code)(kind + "." + own); next != nil && key.Text != "" {
				if at, known := next.Code(key.Text); known {
					return next.Value(further, at, s.Last)
				}
			}
			return lang.Value{}
		}
		r := e.Snapshot.Registers[s.Kind]
		switch {
		case kind != s.Kind || r == nil:
			return lang.Value{}
		case s.By == "" && r.Attributes[attribute] == nil && attribute == "key" && int(code) < len(r.Keys):
			return lang.Value{Type: lang.TextType, Text: r.Keys[code]}
		case s.By == "" && r.Attributes[attribute] == nil && attribute == "name" && int(code) < len(r.Names):
			return lang.Value{Type: lang.TextType, Text: r.Names[code]}
		case s.By == "":
			return r.Value(attribute, code, s.Last)
		case r.Attributes[attribute] == nil:
			return lang.Value{}
		}
		_, groups := e.group(s, kind, attribute)
		if groups == nil {
			return lang.Value{}
		}
		return r.Attributes[attribute].Values[groups[code]]
	}
}

// Active tells whether a code is there in a slot: a subject that is active on
// any day of it, a pair of two such, a group that There says is; the whole
// always is. nil is that all are.
func (e *Engine) Active(s Slot) func(code uint32) bool {
	if s.Paired() {
		first, second := s, s
		first.Level, second.Level = s.Level.Sides()
		a, b, p, there := e.Active(first), e.Active(second), e.pairs(s.Level), e.There(s)
		if a == nil && b == nil && there == nil {
			return nil
		}
		return func(code uint32) bool {
			return (there == nil || there[code]) && (a == nil || a(p.First[code])) && (b == nil || b(p.Second[code]))
		}
	}
	if there := e.There(s); there != nil {
		return func(code uint32) bool { return there[code] }
	}
	r := e.Snapshot.Registers[s.Kind]
	if s.By != "" || r == nil || r.AllActive() {
		return nil
	}
	return func(code uint32) bool { return r.Active(code, s.First, s.Last) }
}

// Throughout tells whether a code is active on every day of a slot; nil is that all are.
// Groups always are.
func (e *Engine) Throughout(s Slot) func(code uint32) bool {
	if s.Paired() {
		first, second := s, s
		first.Level, second.Level = s.Level.Sides()
		a, b, p := e.Throughout(first), e.Throughout(second), e.pairs(s.Level)
		return func(code uint32) bool {
			return (a == nil || a(p.First[code])) && (b == nil || b(p.Second[code]))
		}
	}
	r := e.Snapshot.Registers[s.Kind]
	if s.By != "" || r == nil || r.AllActive() {
		return nil
	}
	return func(code uint32) bool { return r.Throughout(code, s.First, s.Last) }
}

// Code finds the code of a key at a level.
func (e *Engine) Code(l Level, key string) (uint32, bool) {
	if r := e.Snapshot.Registers[l.Kind]; l.Plain() && r != nil {
		return r.Code(key)
	}
	if e.codes[l] == nil {
		keys, _ := e.Names(l)
		e.codes[l] = make(map[string]uint32, len(keys))
		for i, k := range slices.Backward(keys) { // of equal ones the first
			e.codes[l][k] = uint32(i)
		}
	}
	code, known := e.codes[l][key]
	return code, known
}
