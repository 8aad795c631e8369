package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"oskel/core/lang"
	"oskel/internal/client"
)

// problemError is a problem the service answered with.
type problemError struct{ client.Problem }

func (p *problemError) Error() string {
	if p.Detail != nil {
		return *p.Detail
	}
	return p.Title
}

// print says what is wrong and lists the faults with their places.
func (p *problemError) print(e *env) {
	e.printf("oskel: %s\n", p.Error())
	if p.Status == http.StatusUnauthorized {
		e.printf("Sign in with: oskel sign-in NAME\n")
	}
	if p.Type == "urn:oskel:overtaken" { // its detail has told the differences
		e.printf("Merge that into your text, or publish over it with -force.\n")
		return
	}
	if p.Type == "urn:oskel:doubtful" {
		e.printf("To load the file as it is, say so with -yes.\n")
		return
	}
	if p.Type == "urn:oskel:equal-lines" {
		e.printf("To load all lines anyway, say so with -allow-duplicates; to replace lines, use -replace or -correct.\n")
		return
	}
	if p.Faults == nil || p.Type == "urn:oskel:invalid-request" {
		return
	}
	for _, f := range *p.Faults {
		if !strings.HasSuffix(p.Error(), f.Text) { // one alone is told already
			e.printf("  %s\n", faultText(f))
		}
	}
	if p.Count != nil && *p.Count > len(*p.Faults) {
		e.printf("  … and %d more\n", *p.Count-len(*p.Faults))
	}
}

func faultText(f client.Fault) string {
	var place []string
	if f.Where != nil {
		place = append(place, *f.Where)
	}
	if f.Line != nil {
		place = append(place, fmt.Sprintf("line %d", *f.Line))
	}
	if f.Column != nil {
		place = append(place, "column "+*f.Column)
	}
	text := f.Text
	if f.Value != nil && *f.Value != "" {
		text = fmt.Sprintf("%q: %s", *f.Value, text)
	}
	if len(place) == 0 {
		return text
	}
	return strings.Join(place, ", ") + ": " + text
}

// awayError is a service that does not answer.
type awayError struct {
	server string
	err    error
}

func (a *awayError) Error() string {
	return fmt.Sprintf("the service at %s does not answer (%s); start it with oskel serve, or name it with -server", a.server, a.err)
}

// connect makes the client of the service, with the token kept for it.
func (e *env) connect() (err error) {
	token := os.Getenv("OSKEL_TOKEN")
	if token == "" {
		token = e.readTokens()[e.server]
	}
	e.client, err = client.NewClient(e.server, client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		if token != "" {
			r.Header.Set("Authorization", "Bearer "+token)
		}
		return nil
	}))
	return err
}

// read turns an answer into a value, or into the problem it tells.
func read[T any](e *env) func(*http.Response, error) (T, error) {
	return func(response *http.Response, err error) (T, error) { return readAnswer[T](e, response, err) }
}

func readAnswer[T any](e *env, response *http.Response, err error) (T, error) {
	var out T
	if err != nil {
		if ctx := context.Canceled; errors.Is(err, ctx) {
			return out, err
		}
		return out, &awayError{e.server, err}
	}
	defer response.Body.Close() //nolint:errcheck // it was read to its end
	if response.StatusCode >= 400 {
		p := &problemError{}
		if err := json.NewDecoder(response.Body).Decode(&p.Problem); err != nil || p.Title == "" {
			return out, fmt.Errorf("the service answered %s, and not in a way this program knows", response.Status)
		}
		return out, p
	}
	if response.StatusCode == http.StatusNoContent {
		return out, nil
	}
	text, err := io.ReadAll(response.Body)
	if err == nil {
		err = json.Unmarshal(stripControl(text), &out)
	}
	if err != nil {
		return out, fmt.Errorf("reading the service's answer: %w", err)
	}
	return out, nil
}

// stripControl takes out of an answer's texts what would command a terminal: control
// characters but line ends and tabs, which others may have put into names.
func stripControl(answer []byte) []byte {
	out := answer[:0:0]
	for i := 0; i < len(answer); i++ {
		b := answer[i]
		switch {
		case b == '\\' && i+5 < len(answer) && answer[i+1] == 'u':
			code, err := strconv.ParseUint(string(answer[i+2:i+6]), 16, 32)
			if err == nil && (code < ' ' && code != '\n' && code != '\t' && code != '\r' || code >= 0x7f && code < 0xa0) {
				out = append(out, "\\ufffd"...)
			} else {
				out = append(out, answer[i:i+6]...)
			}
			i += 5
		case b == '\\' && i+1 < len(answer) && (answer[i+1] == 'b' || answer[i+1] == 'f'):
			out = append(out, "\\ufffd"...)
			i++
		case b == '\\' && i+1 < len(answer):
			out = append(out, b, answer[i+1])
			i++
		case b == 0x7f:
			out = append(out, "\\ufffd"...)
		case b == 0xc2 && i+1 < len(answer) && answer[i+1] < 0xa0: // the other control characters, in UTF-8
			out = append(out, "\\ufffd"...)
			i++
		default:
			out = append(out, b)
		}
	}
	return out
}

// readText turns an answer into its text, or into the problem it tells.
func readText(e *env) func(*http.Response, error) (string, error) {
	return func(response *http.Response, err error) (string, error) {
		if err != nil || response.StatusCode >= 400 {
			_, err = readAnswer[struct{}](e, response, err)
			return "", err
		}
		defer response.Body.Close() //nolint:errcheck // it was read to its end
		text, err := io.ReadAll(response.Body)
		return string(text), err
	}
}

// Tokens are kept by server in one file that only its owner may read.
func (e *env) tokensFile() (string, error) {
	dir, err := e.home, error(nil)
	if dir == "" {
		dir, err = os.UserConfigDir()
	}
	return filepath.Join(dir, "oskel", "tokens.json"), err
}

// homeKey is where a context carries the directory of tokens.
type homeKey struct{}

// KeepIn has the commands of a context keep their tokens in another directory
// than the user's.
func KeepIn(ctx context.Context, dir string) context.Context {
	return context.WithValue(ctx, homeKey{}, dir)
}

func (e *env) readTokens() map[string]string {
	out := map[string]string{}
	if path, err := e.tokensFile(); err == nil {
		if text, err := os.ReadFile(path); err == nil {
			json.Unmarshal(text, &out) //nolint:errcheck // an unreadable file is like none: sign in again
		}
	}
	return out
}

func (e *env) keepToken(server, token string) error {
	path, err := e.tokensFile()
	if err != nil {
		return fmt.Errorf("finding a place for the token: %w", err)
	}
	all := e.readTokens()
	if all[server] = token; token == "" {
		delete(all, server)
	}
	text, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	return os.WriteFile(path, append(text, '\n'), 0o600)
}

// nearest suggests the word that was meant.
func nearest(name string, known []string) string { return lang.Suggestion(name, known) }
