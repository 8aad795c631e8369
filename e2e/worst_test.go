package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The worst that a text or a number may be, as it stands in an address.
var (
	worstTexts = []string{"", " ", "\x00", "a\x00b", "\xff\xfe", strings.Repeat("x", 9_000), strings.Repeat("é", 300), "\u202egnihton",
		"'; drop table cases; --", "../../etc/passwd", "%", "_", "\\", "\n", "😀", "null", "-1", "1e999", "2026-99", "0000-00", "999999-12", "9223372036854775808"}
	worstNumbers = []string{"-1", "0", "1", "2147483647", "2147483648", "-2147483649", "9223372036854775807", "9223372036854775808", "1e400", "1e-400",
		"NaN", "Infinity", "0x10", "1.5", "", "x", "\x00"}
)

// usual are values that name something in the small world, by the parameter's name.
var usual = map[string]string{"period": "2026-10", "measures": "revenue", "measure": "revenue", "kind": "rep", "name": "rep", "rule": "behind",
	"id": "1", "number": "1", "by": "rep", "into": "register", "subject": "R1", "key": "R1", "level": "rep", "dial": "floor", "grade": "look",
	"desk": "north", "year": "2026", "day": "2026-10-05", "date": "2026-10-05", "month": "2026-10"}

// No parameter of any operation, whatever it is, breaks the service: a new one is
// tried here from its contract.
func TestTheWorstOfEveryParameter(t *testing.T) {
	long(t)
	t.Parallel()
	world := small(t)
	world.sweep("2026-10")
	s := runAs(t, world.database, func(o *options) { o.NoDelay = true })
	defer s.stop()
	spec, err := openapi3.NewLoader().LoadFromFile("../api/openapi.yaml")
	require.NoError(t, err)
	s.as("lea")
	tried := 0
	send := func(method, address, content string, body []byte) {
		tried++
		r, err := http.NewRequest(method, address, bytes.NewReader(body))
		if err != nil {
			return // nobody can send it
		}
		r.Header.Set("Authorization", "Bearer "+s.tokens["lea"])
		if content != "" {
			r.Header.Set("Content-Type", content)
		}
		answer, err := http.DefaultClient.Do(r)
		if !assert.NoError(t, err, "%s %q", method, address) {
			return
		}
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		assert.NoError(t, err, "%s %q", method, address)
		assert.Less(t, answer.StatusCode, 500, "%s %.200q %.300q: %.300s", method, address, body, text)
	}
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			if slices.Contains([]string{"closePerson", "resetPassword", "changePerson", "signOut", "deleteToken", "revokeToken", "makeBackup"},
				op.OperationID) && method != "GET" {
				continue // they would end the tests' own accounts, or are of no parameter
			}
			address := func(worst *openapi3.Parameter, value string) string {
				at, query := path, url.Values{}
				for _, p := range op.Parameters {
					v, known := usual[p.Value.Name]
					if p.Value == worst {
						v, known = value, true
					}
					switch {
					case p.Value.In == "path":
						at = strings.ReplaceAll(at, "{"+p.Value.Name+"}", url.PathEscape(v))
					case p.Value.In == "query" && known && (p.Value.Required || p.Value == worst):
						query.Set(p.Value.Name, v)
					}
				}
				return s.url + at + "?" + query.Encode()
			}
			content, base := "", map[string]any(nil)
			if op.RequestBody != nil {
				if media := op.RequestBody.Value.Content["application/json"]; media != nil {
					content, base = "application/json", sample(media.Schema.Value).(map[string]any)
				} else {
					content = "text/csv"
				}
			}
			plain, err := json.Marshal(base)
			require.NoError(t, err)
			if base == nil {
				plain = []byte("rep,name\nR1,x\n")
			}
			for _, p := range op.Parameters {
				if p.Value.In == "header" {
					continue
				}
				worst := worstTexts
				if p.Value.Schema.Value.Type.Is("integer") || p.Value.Schema.Value.Type.Is("number") {
					worst = worstNumbers
				}
				for _, v := range worst {
					send(method, address(p.Value, v), content, plain)
				}
			}
			for name := range base {
				for _, v := range []any{nil, "", "\x00", "a\x00b", strings.Repeat("x", 9_000), "\u202e", -1, 0, 1e300, 9223372036854775807, 2147483648, 1.5, true,
					[]any{}, []any{nil}, []any{"\x00"}, map[string]any{}, map[string]any{"x": "\x00"}, strings.Repeat("[", 90), "NaN", "1e999999",
					"99999999999999999999%", "9999-99"} {
					changed := map[string]any{}
					for n, v := range base {
						changed[n] = v
					}
					changed[name] = v
					body, err := json.Marshal(changed)
					require.NoError(t, err)
					send(method, address(nil, ""), content, body)
				}
			}
		}
	}
	t.Log(tried, "requests")
	assert.Greater(t, tried, 2000)
}

// sample is a small value of a schema, with all its properties.
func sample(s *openapi3.Schema) any {
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case s.Type.Is("object"):
		out := map[string]any{}
		for name, p := range s.Properties {
			if v, known := usual[name]; known && p.Value.Type.Is("string") && len(p.Value.Enum) == 0 {
				out[name] = v
				continue
			}
			out[name] = sample(p.Value)
		}
		return out
	case s.Type.Is("array"):
		return []any{}
	case s.Type.Is("boolean"):
		return false
	case s.Type.Is("integer"), s.Type.Is("number"):
		return 1
	}
	return fmt.Sprintf("%.*s", 8, "oskel: 1")
}
