package httpapi

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/store"
)

const (
	personKey = "oskel.person"
	tokenKey  = "oskel.token"
)

var errWho = fail(http.StatusUnauthorized, "sign-in", "Sign in first: this needs a session or a token that is valid.")

// authenticate finds out who asks, by token or session. Without either only
// signing in is open.
func (s *server) authenticate(c *gin.Context) {
	r := c.Request
	if r.Method == http.MethodPost && (r.URL.Path == "/api/session" || r.URL.Path == "/api/tokens") {
		return
	}
	var person store.Person
	var err error
	if header := r.Header.Get("Authorization"); header != "" {
		token, ok := strings.CutPrefix(header, "Bearer ")
		if !ok {
			refuse(c, errWho)
			return
		}
		person, err = s.People.ByToken(r.Context(), token)
		c.Set(tokenKey, token)
	} else if name := s.sessions.GetString(r.Context(), "person"); name != "" {
		person, err = s.People.InSession(r.Context(), name, s.sessions.GetInt(r.Context(), "generation"))
	} else {
		err = errWho
	}
	if errors.Is(err, people.ErrWrong) || errors.Is(err, store.ErrNotFound) {
		err = errWho
	}
	if err != nil {
		refuse(c, err)
		return
	}
	c.Set(personKey, person)
}

// whoAsks is the person of a request that passed authenticate.
func whoAsks(ctx context.Context) store.Person {
	p, _ := ctx.Value(personKey).(store.Person)
	return p
}

var (
	writers  = []string{people.Analyst, people.Lead}
	leads    = []string{people.Lead}
	everyone = []string{people.Analyst, people.Reviewer, people.Lead}
)

// allowed says of every operation who may do it; one that does not stand here
// is closed. Work on cases depends on the desk too, which review decides.
// Signing in is for those who are not anybody yet.
var allowed = map[string][]string{
	"SignIn": nil, "CreateToken": nil,

	"PublishRevision": writers, "RestoreRevision": writers, "TurnDial": writers, "RestyleGrade": writers, "PutDraft": writers, "DropDraft": writers,
	"CreateIntake": writers, "TakeBackIntake": writers, "CreateSweep": writers,

	"CreatePerson": leads, "ChangePerson": leads, "ClosePerson": leads, "ResetPassword": leads,

	"GetSession": everyone, "SignOut": everyone, "ChangePassword": everyone, "DeleteToken": everyone, "ListPeople": everyone,
	"GetRulebook": everyone, "CheckRulebook": everyone, "CompareRulebook": everyone, "PlaceRule": everyone, "OrderRules": everyone, "PlaceDial": everyone, "ListUses": everyone,
	"GetDraft": everyone, "ListDials": everyone, "Rehearse": everyone, "RehearseBook": everyone, "SolveDial": everyone,
	"ListRevisions": everyone, "GetRevision": everyone, "ListRules": everyone, "ListMethods": everyone, "GetLineUp": everyone,
	"ListMeasures": everyone, "GetTable": everyone, "ExportTable": everyone, "GetParts": everyone, "GetCalendar": everyone, "GetRegister": everyone, "GetSubject": everyone, "GetTargets": everyone,
	"ListIntakes": everyone, "ListPeriods": everyone, "ListSweeps": everyone, "GetOverview": everyone, "ListExceptions": everyone, "ExportExceptions": everyone, "GetException": everyone,
	"ListCases": everyone, "GetCase": everyone, "TakeCase": everyone, "ReleaseCase": everyone, "CommentCase": everyone, "SettleCase": everyone, "SettleCleared": everyone,
}

func authorize(next contract.StrictHandlerFunc, operation string) contract.StrictHandlerFunc {
	roles, known := allowed[operation]
	return func(c *gin.Context, request any) (any, error) {
		role := whoAsks(c).Role
		switch {
		case !known:
			return nil, fail(http.StatusForbidden, "not-allowed", "Nobody may do this yet.")
		case roles == nil || slices.Contains(roles, role):
			return next(c, request)
		}
		return nil, fail(http.StatusForbidden, "not-allowed", "%s may not do this; it takes %s.", upperFirst(rulebook.Article(role)), either(roles))
	}
}

func either(roles []string) string {
	var out []string
	for _, r := range roles {
		out = append(out, rulebook.Article(r))
	}
	return strings.Join(out, " or ")
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

func personOut(p store.Person) contract.Person {
	out := contract.Person{Name: p.Name, Title: p.Title, Role: contract.Role(p.Role), Desks: p.Desks}
	if p.Closed {
		out.Closed = &p.Closed
	}
	return out
}

func (s *server) GetSession(ctx context.Context, _ contract.GetSessionRequestObject) (contract.GetSessionResponseObject, error) {
	return contract.GetSession200JSONResponse(personOut(whoAsks(ctx))), nil
}

func (s *server) SignIn(ctx context.Context, r contract.SignInRequestObject) (contract.SignInResponseObject, error) {
	p, err := s.People.Check(ctx, r.Body.Name, r.Body.Password)
	if err != nil {
		return nil, err
	}
	return contract.SignIn200JSONResponse(personOut(p)), s.begin(ctx, p)
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
	if err := s.People.ChangePassword(ctx, p.Name, r.Body.Old, r.Body.Password); errors.Is(err, people.ErrWrong) {
		return nil, fail(http.StatusUnprocessableEntity, "wrong-password", "The old password is not the one of this account.")
	} else if err != nil {
		return nil, err
	}
	if s.sessions.GetString(ctx.(*gin.Context).Request.Context(), "person") == p.Name {
		p.Generation++ // the session in which it was changed goes on
		return contract.ChangePassword204Response{}, s.begin(ctx, p)
	}
	return contract.ChangePassword204Response{}, nil
}

func (s *server) SignOut(ctx context.Context, _ contract.SignOutRequestObject) (contract.SignOutResponseObject, error) {
	return contract.SignOut204Response{}, s.sessions.Destroy(ctx.(*gin.Context).Request.Context())
}

func (s *server) CreateToken(ctx context.Context, r contract.CreateTokenRequestObject) (contract.CreateTokenResponseObject, error) {
	p, err := s.People.Check(ctx, r.Body.Name, r.Body.Password)
	if err != nil {
		return nil, err
	}
	token, err := s.People.Token(ctx, p.Name)
	if err != nil {
		return nil, err
	}
	return contract.CreateToken201JSONResponse{Token: token, Person: personOut(p)}, nil
}

func (s *server) DeleteToken(ctx context.Context, _ contract.DeleteTokenRequestObject) (contract.DeleteTokenResponseObject, error) {
	token, ok := ctx.Value(tokenKey).(string)
	if !ok {
		return nil, fail(http.StatusBadRequest, "no-token", "This call was not made with a token.")
	}
	return contract.DeleteToken204Response{}, s.People.DropToken(ctx, token)
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
	p := store.Person{Name: r.Body.Name, Title: r.Body.Title, Role: string(r.Body.Role), Desks: or(r.Body.Desks, nil)}
	if err := s.desksThere(ctx, p.Desks); err != nil {
		return nil, err
	}
	if err := s.People.Add(ctx, p, r.Body.Password); err != nil {
		return nil, err
	}
	return contract.CreatePerson201JSONResponse(personOut(p)), nil
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
			return fail(http.StatusUnprocessableEntity, "unknown-desk", "The rulebook has no desk %q.", d)
		}
	}
	return nil
}

func (s *server) ChangePerson(ctx context.Context, r contract.ChangePersonRequestObject) (contract.ChangePersonResponseObject, error) {
	p := store.Person{Name: r.Name, Title: r.Body.Title, Role: string(r.Body.Role), Desks: append([]string{}, r.Body.Desks...)}
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
	return contract.ResetPassword204Response{}, noSuchPerson(s.People.ResetPassword(ctx, r.Name, r.Body.Password), r.Name)
}

func noSuchPerson(err error, name string) error {
	if errors.Is(err, store.ErrNotFound) {
		return fail(http.StatusNotFound, "not-found", "There is no open account %q.", name)
	}
	return err
}
