package httpapi

import (
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
)

// The contract knows the marks of grades that the rulebook knows, and paper has a colour for each tone.
func TestMarksOfGrades(t *testing.T) {
	spec, err := contract.GetSpec()
	require.NoError(t, err)
	for property, known := range map[string][]string{"tone": rulebook.Tones, "shape": rulebook.Shapes} {
		var listed []string
		for _, v := range spec.Components.Schemas["GradeChange"].Value.Properties[property].Value.Enum {
			listed = append(listed, v.(string))
		}
		assert.Equal(t, known, listed, property)
	}
	for _, tone := range rulebook.Tones {
		assert.NotEmpty(t, paperTones[tone], tone)
	}
}

// hasBook says whether a schema has a rulebook's text in it, at any depth.
func hasBook(ref *openapi3.SchemaRef, seen map[string]bool) bool {
	switch {
	case ref == nil || seen[ref.Ref]:
		return false
	case strings.HasSuffix(ref.Ref, "/BookText"):
		return true
	case ref.Ref != "":
		seen[ref.Ref] = true
	}
	for _, p := range ref.Value.Properties {
		if hasBook(p, seen) {
			return true
		}
	}
	return hasBook(ref.Value.Items, seen)
}

// Each operation of the contract has its row, each row an operation; a body of a rulebook, of a
// file or of neither is what the row says; whoever changes something takes more than a reading
// token, and what gives files away stands in the audit with what was given.
func TestEveryOperationHasItsRow(t *testing.T) {
	spec, err := contract.GetSpec()
	require.NoError(t, err)
	known, books := map[string]bool{}, 0
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			name := words.UpperFirst(op.OperationID)
			known[name] = true
			row, has := operations[name]
			require.True(t, has, "%s %s has no row", method, path)
			want := small
			if op.RequestBody != nil {
				if json := op.RequestBody.Value.Content.Get("application/json"); json == nil {
					assert.True(t, row.body.isFile(), "%s brings a file", name)
					want = row.body
				} else if hasBook(json.Schema, map[string]bool{}) {
					want = rulebookIn
					books++
				}
			}
			assert.Equal(t, want, row.body, "the body of %s", name)
			if row.roles == nil {
				assert.NotNil(t, row.name, "%s is for those who sign in", name)
				continue
			}
			assert.Contains(t, scopeOrder, row.scope, name)
			assert.NotEmpty(t, op.Summary, name)
			if method != "GET" && row.scope == people.Read {
				assert.True(t, row.body == rulebookIn || name == "SignOut" || name == "DeleteToken", "%s changes something with a token that reads", name)
			}
			if row.work == writes && name != "MakeBackup" {
				assert.NotEmpty(t, row.audit, name)
				assert.NotNil(t, row.about, "%s says what was exported", name)
			}
		}
	}
	for name := range operations {
		assert.True(t, known[name], "%s is no operation of the contract", name)
	}
	assert.Equal(t, 11, books)
	assert.Greater(t, len(known), 100)
}
