package rulebook

import (
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/token"
)

// The bounds of a document, held before it is parsed: what a parser makes of
// deep nesting costs the square of its depth.
const (
	MostBytes = 1 << 20
	MostDepth = 50
	MostNodes = 20_000
)

// withinBounds says whether a document may be parsed, or complains where it
// goes too far. It reads the text once.
func (r *reader) withinBounds(text []byte) bool {
	if len(text) > MostBytes {
		r.complain(Position{1, 1}, "document", "%d bytes; at most %d are read", len(text), MostBytes)
		return false
	}
	var blocks []int // the columns at which the blocks around begin
	flow, nodes := 0, 0
	for _, t := range lexer.Tokenize(string(text)) {
		at := Position{t.Position.Line, t.Position.Column}
		switch t.Type {
		case token.SequenceEntryType, token.MappingKeyType:
			blocks = append(upTo(blocks, at.Column), at.Column)
		case token.MappingValueType:
			if t.Prev != nil && flow == 0 { // within brackets and braces it nests no deeper
				column := t.Prev.Position.Column
				blocks = append(upTo(blocks, column), column)
			}
		case token.SequenceStartType, token.MappingStartType:
			flow++
			nodes++
		case token.SequenceEndType, token.MappingEndType:
			flow = max(0, flow-1)
		case token.AnchorType, token.AliasType:
			r.complain(at, "document", "anchors and aliases are not read here; write the value out, or put it in quotes if it is text")
			return false
		default:
			nodes++
		}
		switch {
		case len(blocks)+flow > MostDepth:
			r.complain(at, "document", "nested more than %d deep", MostDepth)
			return false
		case nodes > MostNodes:
			r.complain(at, "document", "more than %d values and keys are not read", MostNodes)
			return false
		}
	}
	return true
}

// upTo are the blocks that begin to the left of a column.
func upTo(blocks []int, column int) []int {
	for len(blocks) > 0 && blocks[len(blocks)-1] >= column {
		blocks = blocks[:len(blocks)-1]
	}
	return blocks
}
