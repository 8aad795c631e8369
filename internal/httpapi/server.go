// Package httpapi answers the contract of api/openapi.yaml over HTTP and
// serves the console.
package httpapi

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/scs/v2"
	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/words"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/httpapi/contract"
	"oskel/internal/intake"
	"oskel/internal/notify"
	"oskel/internal/people"
	"oskel/internal/review"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// Services are the rooms that the handlers call.
type Services struct {
	Books   *books.Service
	Trials  *books.Rehearser
	Figures *figures.Keeper
	Intake  *intake.Service
	Sweep   *sweep.Service
	Jobs    interface {
		Failures(ctx context.Context) (map[calendar.Key]string, error)
	}
	Review   *review.Service
	People   *people.Service
	Sessions scs.Store
	Now      func() time.Time
	Console  fs.FS // the built console; nil serves none
	Secure   bool  // the session cookie is for HTTPS alone
	Limits   Limits
	Proxies  []string // addresses and networks that may say who asks
	Audit    Keeper
	Live     *notify.Live
	Views    interface {
		Views(ctx context.Context, of, owner string) ([]store.View, error)
		View(ctx context.Context, of string, id int64, owner string) (store.View, error)
		SaveView(ctx context.Context, v *store.View) error
		DeleteView(ctx context.Context, id int64, owner string, lead bool) error
	}
	Backup func(ctx context.Context, to io.Writer) error // of all that is kept
}

// Keeper keeps what was done, says whether it can, and whether all is as it must be.
type Keeper interface {
	Examine(ctx context.Context) ([]store.Finding, error)
	Ready(ctx context.Context) error
	AddAudit(ctx context.Context, e store.AuditEntry) error
	Audit(ctx context.Context, ask store.AuditAsk) ([]store.AuditEntry, error)
}

// server implements the strict handlers.
type server struct {
	Services
	sessions *scs.SessionManager
	limits   *limiter
	meters   *meters
	pages    pages       // of exceptions
	verdicts judge.Cache // of the past of exceptions, and of marks that are not on record
	marked   keptMarks
	drafts   draftBooks
	narrowed narrowedBook
	toDate   toDateBook
}

// specification is the contract as the validation goes by it. Nothing changes it once it is
// read, so that all services of a process share it.
var specification = sync.OnceValues(func() (*openapi3.T, error) {
	spec, err := contract.GetSpec()
	if err != nil {
		return nil, fmt.Errorf("reading the contract: %w", err)
	}
	// Who asks is authenticate's matter; the validation would read a whole
	// file into memory to decide it.
	spec.Security = nil
	for _, item := range spec.Paths.Map() {
		for _, operation := range item.Operations() {
			operation.Security = nil
		}
	}
	return spec, nil
})

// New is the handler of everything the service answers.
func New(s Services) (http.Handler, error) {
	spec, err := specification()
	if err != nil {
		return nil, err
	}
	sv := &server{Services: s, sessions: scs.New(), limits: newLimiter(s.Limits), meters: newMeters()}
	sv.sessions.Store = s.Sessions
	sv.sessions.HashTokenInStore = true
	sv.sessions.Lifetime = 12 * time.Hour
	sv.sessions.IdleTimeout = 2 * time.Hour
	sv.sessions.Cookie.Name = "oskel_session"
	sv.sessions.Cookie.SameSite = http.SameSiteLaxMode
	sv.sessions.Cookie.Secure = s.Secure
	sv.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		err = fmt.Errorf("keeping a session: %w", err)
		p := problemOf(err)
		logProblem(r.Context(), err, p)
		w.Header().Set("Content-Type", "application/problem+json")
		if p.Status == http.StatusServiceUnavailable {
			w.Header().Set("Retry-After", retryAfter)
		}
		w.WriteHeader(p.Status)
		json.NewEncoder(w).Encode(p) //nolint:errcheck // whoever asked may be gone
	}

	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.ContextWithFallback = true
	if err := engine.SetTrustedProxies(s.Proxies); err != nil {
		return nil, fmt.Errorf("the proxies that may say who asks: %w", err)
	}
	engine.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, what any) {
		writeProblem(c, fmt.Errorf("panic: %v", what))
	}))
	api := engine.Group("/", sv.meters.count, sv.authenticate, sv.validate(routesOf(spec)))
	strict := contract.NewStrictHandlerWithOptions(sv, []contract.StrictMiddlewareFunc{sv.gated, authorize, sv.audit}, contract.StrictGinServerOptions{
		RequestErrorHandlerFunc: func(c *gin.Context, err error) {
			writeProblem(c, refusal(http.StatusBadRequest, "invalid-request", "%s", err))
		},
		HandlerErrorFunc:         writeProblem,
		ResponseErrorHandlerFunc: breakOff,
	})
	contract.RegisterHandlersWithOptions(api, strict, contract.GinServerOptions{
		ErrorHandler: func(c *gin.Context, err error, status int) {
			writeProblem(c, refusal(status, "invalid-request", "%s", err))
		},
	})
	engine.GET("/metrics", sv.authenticate, gin.WrapH(sv.meters.handler(sv)))
	engine.NoRoute(func(c *gin.Context) {
		if s.Console == nil || strings.HasPrefix(c.Request.URL.Path, "/api/") {
			writeProblem(c, refusal(http.StatusNotFound, "not-found", "No such address: %s %s.", c.Request.Method, c.Request.URL.Path))
			return
		}
		serveConsole(s.Console, c)
	})

	answer := http.NewServeMux()
	answer.Handle("/api/", sv.sessions.LoadAndSave(engine))
	answer.Handle("/", engine)
	answer.HandleFunc("GET /healthz", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprintln(w, "alive") })
	answer.HandleFunc("GET /readyz", sv.ready)
	crossOrigin := http.NewCrossOriginProtection()
	crossOrigin.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusForbidden)
		fmt.Fprint(w, `{"type":"urn:oskel:cross-origin","title":"Forbidden","status":403,"detail":"The request comes from another site."}`)
	}))
	return identify(headers(s.Secure, abortOnPartial(sv.limits.hasten(sv.limits.wake(crossOrigin.Handler(answer)))))), nil
}

// ready says whether the service can do its work: whether its database answers.
func (s *server) ready(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(store.WithInteractivePool(r.Context()), 2*time.Second)
	defer cancel()
	if err := s.Audit.Ready(ctx); err != nil {
		w.Header().Set("Retry-After", retryAfter)
		http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
		return
	}
	fmt.Fprintln(w, "ready")
}

// brokenOff is where a context carries whether its answer could not be written to its end.
type brokenOff struct{}

// abortOnPartial breaks the connection where an answer could not be written to its end, so
// that nobody takes what has come for all.
func abortOnPartial(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		broken := new(bool)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), brokenOff{}, broken)))
		if *broken {
			panic(http.ErrAbortHandler)
		}
	})
}

// breakOff refuses, or where the answer has begun ends it with its connection.
func breakOff(c *gin.Context, err error) {
	if !c.Writer.Written() {
		writeProblem(c, err)
		return
	}
	logProblem(c, err, problemOf(err))
	if broken, ok := c.Request.Context().Value(brokenOff{}).(*bool); ok {
		*broken = true
	}
	c.Abort()
}

// headers keep the console from being framed, sniffed or fed foreign scripts.
func headers(secure bool, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri "+
			"'none'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if secure {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		if strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// inPath is a parameter in a path of the contract.
var inPath = regexp.MustCompile(`\{(\w+)\}`)

// routesOf are the operations of the contract by method and path as the engine has found
// it, which need not be looked for again.
func routesOf(spec *openapi3.T) map[string]*routers.Route {
	out := map[string]*routers.Route{}
	for path, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			out[method+" "+inPath.ReplaceAllString(path, ":$1")] = &routers.Route{Spec: spec, Path: path, PathItem: item, Method: method, Operation: operation}
		}
	}
	return out
}

// validate holds each request against the contract. The file of an intake is
// checked row by row later on, and that of a case when it has come.
func (s *server) validate(routes map[string]*routers.Route) gin.HandlerFunc {
	options := &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}
	withoutBody := &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, ExcludeRequestBody: true}
	return func(c *gin.Context) {
		route, params := routes[c.Request.Method+" "+c.FullPath()], map[string]string{}
		for _, p := range c.Params {
			params[p.Key] = p.Value
		}
		if route == nil {
			writeProblem(c, refusal(http.StatusNotFound, "not-found", "No such address: %s %s.", c.Request.Method, c.Request.URL.Path))
			return
		}
		if !readable(c.Request.URL) {
			writeProblem(c, errNUL)
			return
		}
		operation := words.UpperFirst(route.Operation.OperationID)
		row := operations[operation]
		if row.quick {
			c.Request = c.Request.WithContext(store.WithInteractivePool(c.Request.Context()))
		}
		use, largest := options, row.body.largest()
		if row.body.isFile() {
			use = withoutBody
		}
		// Nothing of a body is read before it is known that it may come, and held.
		if c.Request.ContentLength != 0 {
			if err := permitted(c, operation); err != nil {
				s.auditRefused(c, operation, err)
				writeProblem(c, err)
				return
			}
			if row.body == caseFile {
				if err := s.mayAttach(c, params["id"]); err != nil {
					writeProblem(c, err)
					return
				}
			}
			if row.body != upload { // which goes to disk as it comes
				done, err := s.receive(c, largest)
				if err != nil {
					writeProblem(c, err)
					return
				}
				defer done()
			}
		}
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, largest)
		if use == options {
			if err := checkJSONDepth(c.Request); err != nil {
				writeProblem(c, err)
				return
			}
		}
		input := &openapi3filter.RequestValidationInput{Request: c.Request, PathParams: params, Route: route, Options: use}
		if err := openapi3filter.ValidateRequest(c.Request.Context(), input); err != nil {
			writeProblem(c, err)
			return
		}
		s.limits.limit(c, operation)
		c.Next() // the body's room is held to the end
	}
}

// The bounds of a request's JSON, held before anything is made of it.
const (
	deepestJSON = 50
	mostJSON    = 200_000 // values and keys
)

// errNUL says that a text holds what no text does, and no database keeps.
var errNUL = refusal(http.StatusBadRequest, "invalid-request", "A text of the request holds the character NUL, or bytes that are no UTF-8.")

// readable says whether all texts of an address are such.
func readable(u *url.URL) bool {
	text := func(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }
	if !text(u.Path) {
		return false
	}
	for name, values := range u.Query() {
		if !text(name) || slices.ContainsFunc(values, func(v string) bool { return !text(v) }) {
			return false
		}
	}
	return true
}

// checkJSONDepth reads a request's JSON and refuses one that is nested too deep or
// holds too much.
func checkJSONDepth(r *http.Request) error {
	body, err := io.ReadAll(r.Body)
	if err != nil {
		return err
	}
	r.Body = io.NopCloser(bytes.NewReader(body))
	depth, values, quoted := 0, 0, false
	for i := 0; i < len(body); i++ {
		switch b := body[i]; {
		case quoted && b == '\\':
			if bytes.HasPrefix(body[i+1:], []byte("u0000")) {
				return errNUL
			}
			i++
		case b == '"':
			quoted = !quoted
		case quoted:
		case b == '[' || b == '{':
			depth++
			values++
		case b == ']' || b == '}':
			depth--
		case b == ',' || b == ':':
			values++
		}
		if depth > deepestJSON || values > mostJSON {
			return refusal(http.StatusBadRequest, "invalid-request", "The request's JSON is nested more than %d deep or holds more than %d values.",
				deepestJSON, mostJSON)
		}
	}
	return nil
}
