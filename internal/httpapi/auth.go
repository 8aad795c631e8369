package httpapi

import (
	"context"
	"errors"
	"net/http"
	"net/netip"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/store"
)

const (
	personKey = "oskel.person"
	tokenKey  = "oskel.token"
)

var errWho = refusal(http.StatusUnauthorized, "sign-in", "Sign in first: this needs a session or a token that is valid.")

// authenticate finds out who asks, by token or session. Without either only
// signing in is open.
func (s *server) authenticate(c *gin.Context) {
	r := c.Request
	if r.Method == http.MethodPost && slices.Contains([]string{"/api/session", "/api/session/one-time-password", "/api/tokens"}, r.URL.Path) {
		return
	}
	var person store.Person
	var err error
	header, inAddress := r.Header.Get("Authorization"), false
	if token := r.URL.Query().Get("token"); token != "" && header == "" && strings.HasPrefix(r.URL.Path, "/api/feeds/") {
		header, inAddress = "Bearer "+token, true // what reads feeds can send no header
	}
	if header != "" || !strings.HasPrefix(r.URL.Path, "/api/") { // only the API has sessions
		token, ok := strings.CutPrefix(header, "Bearer ")
		if !ok {
			writeProblem(c, errWho)
			return
		}
		var k store.Token
		person, k, err = s.People.ByToken(store.WithInteractivePool(r.Context()), token)
		if err == nil && inAddress && k.Scope != people.Read {
			// Addresses are kept in histories and logs.
			writeProblem(c, refusal(http.StatusForbidden, "not-allowed", "The address of a feed takes a token whose scope is %q; this one's is %q.",
				people.Read, k.Scope))
			return
		}
		c.Set(tokenKey, &k)
	} else if name := s.sessions.GetString(r.Context(), "person"); name != "" {
		person, err = s.People.InSession(store.WithInteractivePool(r.Context()), name, s.sessions.GetInt(r.Context(), "generation"))
	} else {
		err = errWho
	}
	if errors.Is(err, people.ErrWrong) || errors.Is(err, store.ErrNotFound) {
		err = errWho
	}
	if err != nil {
		writeProblem(c, err)
		return
	}
	c.Set(personKey, person)
}

// tokenOf is the token of a request, or nil where it has a session.
func tokenOf(ctx context.Context) *store.Token {
	k, _ := ctx.Value(tokenKey).(*store.Token)
	return k
}

// whoAsks is the person of a request that passed authenticate.
func whoAsks(ctx context.Context) store.Person {
	if p, ok := ctx.Value(asker{}).(store.Person); ok {
		return p
	}
	p, _ := ctx.Value(personKey).(store.Person)
	return p
}

type asker struct{}

// outliving is the context of a request that a body is written in after its handler has returned:
// gin gives its own to the next request by then.
func outliving(ctx context.Context) context.Context {
	return context.WithValue(ctx.(*gin.Context).Request.Context(), asker{}, whoAsks(ctx))
}

// scopeOrder has the scopes of tokens, narrowest first: each may do what those before it may.
var scopeOrder = []string{people.Read, people.Review, people.Everything}

// permitted says whether the person and token of a request may do an operation.
func permitted(c *gin.Context, name string) error {
	o, known := operations[name]
	role := whoAsks(c).Role
	k := tokenOf(c)
	switch {
	case !known:
		return refusal(http.StatusForbidden, "not-allowed", "This operation is not enabled.")
	case o.roles != nil && !slices.Contains(o.roles, role):
		return refusal(http.StatusForbidden, "not-allowed", "%s may not do this; it takes %s.", words.UpperFirst(rulebook.Article(role)), either(o.roles))
	case k != nil && slices.Index(scopeOrder, k.Scope) < slices.Index(scopeOrder, o.scope):
		return refusal(http.StatusForbidden, "not-allowed", "This token may not do this: its scope is %q; this needs %q.", k.Scope, o.scope)
	}
	return nil
}

func authorize(next contract.StrictHandlerFunc, operation string) contract.StrictHandlerFunc {
	return func(c *gin.Context, request any) (any, error) {
		if err := permitted(c, operation); err != nil {
			return nil, err
		}
		return next(c, request)
	}
}

func either(roles []string) string {
	var out []string
	for _, r := range roles {
		out = append(out, rulebook.Article(r))
	}
	return strings.Join(out, " or ")
}

func personOut(p store.Person) contract.Person {
	out := contract.Person{Name: p.Name, DisplayName: p.Title, Role: contract.Role(p.Role), Desks: p.Desks}
	if p.Closed {
		out.Closed = &p.Closed
	}
	return out
}

// selfOut is the person who is signed in, with what they may do.
func selfOut(p store.Person) contract.Person {
	out := personOut(p)
	out.May = ptr(mayDo(p.Role))
	return out
}

func (s *server) GetSession(ctx context.Context, _ contract.GetSessionRequestObject) (contract.GetSessionResponseObject, error) {
	return contract.GetSession200JSONResponse(selfOut(whoAsks(ctx))), nil
}

// browserCookie lets a browser be known again from which somebody has signed in.
const browserCookie = "oskel_browser"

// place is where an attempt to sign in comes from.
func (s *server) place(ctx context.Context, name string) (people.Origin, error) {
	c := ctx.(*gin.Context)
	from := people.Origin{Address: addressOf(c)}
	if secret, err := c.Cookie(browserCookie); err == nil && secret != "" {
		known, err := s.People.KnowsBrowser(ctx, secret, name)
		if err != nil {
			return from, err
		}
		if known {
			from.Browser = secret
		}
	}
	return from, nil
}

// addressOf is who asks by address; of the newer addresses the network, of which one
// has as many as one likes.
func addressOf(c *gin.Context) string {
	text := c.ClientIP()
	if a, err := netip.ParseAddr(text); err == nil && a.Is6() && !a.Is4In6() {
		if p, err := a.WithZone("").Prefix(64); err == nil {
			return p.String()
		}
	}
	return text
}

func (s *server) SignIn(ctx context.Context, r contract.SignInRequestObject) (contract.SignInResponseObject, error) {
	from, err := s.place(ctx, r.Body.Name)
	if err != nil {
		return nil, err
	}
	p, err := s.People.Check(ctx, r.Body.Name, r.Body.Password, from)
	if err != nil {
		return nil, err
	}
	return contract.SignIn200JSONResponse(selfOut(p)), s.welcome(ctx, p, from)
}

// UseOneTimePassword is signing in for the first time, or after a lead's help.
func (s *server) UseOneTimePassword(ctx context.Context, r contract.UseOneTimePasswordRequestObject) (contract.UseOneTimePasswordResponseObject, error) {
	from, err := s.place(ctx, r.Body.Name)
	if err != nil {
		return nil, err
	}
	p, err := s.People.UseOneTimePassword(ctx, r.Body.Name, r.Body.OneTimePassword, r.Body.Password, from)
	if err != nil {
		return nil, err
	}
	from.Browser = "" // with the old password its browsers are forgotten
	return contract.UseOneTimePassword200JSONResponse(selfOut(p)), s.welcome(ctx, p, from)
}

// welcome begins a session in a browser that is known from now on.
func (s *server) welcome(ctx context.Context, p store.Person, from people.Origin) error {
	if from.Browser == "" {
		secret, err := s.People.NewBrowser(ctx, p.Name)
		if err != nil {
			return err
		}
		http.SetCookie(ctx.(*gin.Context).Writer, &http.Cookie{Name: browserCookie, Value: secret, Path: "/api/session", MaxAge: 365 * 24 * 60 * 60,
			HttpOnly: true, Secure: s.Secure, SameSite: http.SameSiteLaxMode})
	}
	return s.begin(ctx, p)
}

// begin begins a session anew: a new token for a new standing, so that one
// planted before is worth nothing.
func (s *server) begin(ctx context.Context, p store.Person) error {
	request := ctx.(*gin.Context).Request.Context()
	if err := s.sessions.RenewToken(request); err != nil {
		return err
	}
	s.sessions.Put(request, "person", p.Name)
	s.sessions.Put(request, "generation", p.Generation)
	return nil
}

func (s *server) ChangePassword(ctx context.Context, r contract.ChangePasswordRequestObject) (contract.ChangePasswordResponseObject, error) {
	p := whoAsks(ctx)
	from, err := s.place(ctx, p.Name)
	if err != nil {
		return nil, err
	}
	if err := s.People.ChangePassword(ctx, p.Name, r.Body.Old, r.Body.Password, from); errors.Is(err, people.ErrWrong) {
		return nil, refusal(http.StatusUnprocessableEntity, "wrong-password", "The old password is wrong.")
	} else if err != nil {
		return nil, err
	}
	if tokenOf(ctx) == nil {
		p.Generation++ // the session in which it was changed goes on
		from.Browser = ""
		return contract.ChangePassword204Response{}, s.welcome(ctx, p, from)
	}
	return contract.ChangePassword204Response{}, nil
}

func (s *server) SignOut(ctx context.Context, _ contract.SignOutRequestObject) (contract.SignOutResponseObject, error) {
	return contract.SignOut204Response{}, s.sessions.Destroy(ctx.(*gin.Context).Request.Context())
}

func (s *server) CreateToken(ctx context.Context, r contract.CreateTokenRequestObject) (contract.CreateTokenResponseObject, error) {
	from := people.Origin{Address: addressOf(ctx.(*gin.Context))}
	p, err := s.People.Check(ctx, r.Body.Name, r.Body.Password, from)
	if err != nil {
		return nil, err
	}
	scope := string(or(r.Body.Scope, people.Everything))
	token, err := s.People.Token(ctx, p.Name, or(r.Body.Title, "command line"), scope, or(r.Body.Days, 90))
	if err != nil {
		return nil, err
	}
	return contract.CreateToken201JSONResponse{Token: token, Person: personOut(p)}, nil
}

func (s *server) DeleteToken(ctx context.Context, _ contract.DeleteTokenRequestObject) (contract.DeleteTokenResponseObject, error) {
	k := tokenOf(ctx)
	if k == nil {
		return nil, refusal(http.StatusBadRequest, "no-token", "This call was not made with a token.")
	}
	return contract.DeleteToken204Response{}, s.People.Revoke(ctx, k.ID, &k.Person)
}

func (s *server) ListTokens(ctx context.Context, r contract.ListTokensRequestObject) (contract.ListTokensResponseObject, error) {
	person := ptr(whoAsks(ctx).Name)
	if or(r.Params.All, false) {
		if whoAsks(ctx).Role != people.Lead {
			return nil, refusal(http.StatusForbidden, "not-allowed", "Only leads see the tokens of others.")
		}
		person = nil
	}
	all, err := s.People.Tokens(ctx, person)
	if err != nil {
		return nil, err
	}
	current := int64(0)
	if k := tokenOf(ctx); k != nil {
		current = k.ID
	}
	out := contract.ListTokens200JSONResponse{}
	for _, k := range all {
		out = append(out, contract.TokenNote{Id: k.ID, Person: k.Person, Title: k.Title, Scope: contract.Scope(k.Scope), Made: k.Made, Ends: k.Ends,
			Used: k.Used, Current: k.ID == current})
	}
	return out, nil
}

func (s *server) RevokeToken(ctx context.Context, r contract.RevokeTokenRequestObject) (contract.RevokeTokenResponseObject, error) {
	person := ptr(whoAsks(ctx).Name)
	if whoAsks(ctx).Role == people.Lead {
		person = nil
	}
	return contract.RevokeToken204Response{}, orNotFound(s.People.Revoke(ctx, r.Id, person), "token %d", r.Id)
}

func (s *server) ListPeople(ctx context.Context, _ contract.ListPeopleRequestObject) (contract.ListPeopleResponseObject, error) {
	all, err := s.People.All(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.ListPeople200JSONResponse{}
	for _, p := range all {
		out = append(out, personOut(p))
	}
	return out, nil
}

func (s *server) CreatePerson(ctx context.Context, r contract.CreatePersonRequestObject) (contract.CreatePersonResponseObject, error) {
	p := store.Person{Name: r.Body.Name, Title: r.Body.DisplayName, Role: string(r.Body.Role), Desks: or(r.Body.Desks, nil)}
	if err := s.desksThere(ctx, p.Desks); err != nil {
		return nil, err
	}
	word, ends, err := s.People.AddWithWord(ctx, p)
	if err != nil {
		return nil, err
	}
	return contract.CreatePerson201JSONResponse{Person: personOut(p), OneTimePassword: word, Ends: ends}, nil
}

// desksThere refuses desks that the published rulebook does not have.
func (s *server) desksThere(ctx context.Context, desks []string) error {
	_, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		book, err = &rulebook.Book{}, nil
	}
	if err != nil {
		return err
	}
	for _, d := range desks {
		if book.Desk(d) == nil {
			return refusal(http.StatusUnprocessableEntity, "unknown-desk", "The rulebook has no desk %q.", d)
		}
	}
	return nil
}

func (s *server) ChangePerson(ctx context.Context, r contract.ChangePersonRequestObject) (contract.ChangePersonResponseObject, error) {
	p := store.Person{Name: r.Name, Title: r.Body.DisplayName, Role: string(r.Body.Role), Desks: append([]string{}, r.Body.Desks...)}
	if err := s.desksThere(ctx, p.Desks); err != nil {
		return nil, err
	}
	if err := s.People.Change(ctx, p); err != nil {
		return nil, noSuchPerson(err, r.Name)
	}
	return contract.ChangePerson200JSONResponse(personOut(p)), nil
}

func (s *server) ClosePerson(ctx context.Context, r contract.ClosePersonRequestObject) (contract.ClosePersonResponseObject, error) {
	return contract.ClosePerson204Response{}, noSuchPerson(s.People.Close(ctx, r.Name, whoAsks(ctx).Name), r.Name)
}

func (s *server) ResetPassword(ctx context.Context, r contract.ResetPasswordRequestObject) (contract.ResetPasswordResponseObject, error) {
	word, ends, err := s.People.ResetPassword(ctx, r.Name)
	if err != nil {
		return nil, noSuchPerson(err, r.Name)
	}
	return contract.ResetPassword201JSONResponse{OneTimePassword: word, Ends: ends}, nil
}

func noSuchPerson(err error, name string) error {
	if errors.Is(err, store.ErrNotFound) {
		return refusal(http.StatusNotFound, "not-found", "There is no open account %q.", name)
	}
	return err
}
