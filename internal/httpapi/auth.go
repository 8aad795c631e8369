package httpapi

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

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
		person, err = s.Store.Person(r.Context(), name)
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

// allowed says which roles may do what; everybody who is signed in may do the
// rest. Work on cases depends on the desk and is decided in review.
var allowed = map[string][]string{
	"PublishRevision": {people.Analyst, people.Lead},
	"RestoreRevision": {people.Analyst, people.Lead},
	"TurnDial":        {people.Analyst, people.Lead},
	"RestyleGrade":    {people.Analyst, people.Lead},
	"PutDraft":        {people.Analyst, people.Lead},
	"DropDraft":       {people.Analyst, people.Lead},
	"CreateIntake":    {people.Analyst, people.Lead},
	"TakeBackIntake":  {people.Analyst, people.Lead},
	"CreateSweep":     {people.Analyst, people.Lead},
	"CreatePerson":    {people.Lead},
}

func authorize(next contract.StrictHandlerFunc, operation string) contract.StrictHandlerFunc {
	roles, limited := allowed[operation]
	return func(c *gin.Context, request any) (any, error) {
		if limited {
			role := whoAsks(c).Role
			for _, r := range roles {
				if r == role {
					return next(c, request)
				}
			}
			return nil, fail(http.StatusForbidden, "not-allowed", "A %s may not do this; it takes a %s.", role, strings.Join(roles, " or a "))
		}
		return next(c, request)
	}
}

func personOut(p store.Person) contract.Person {
	return contract.Person{Name: p.Name, Title: p.Title, Role: contract.Role(p.Role), Desks: p.Desks}
}

func (s *server) GetSession(ctx context.Context, _ contract.GetSessionRequestObject) (contract.GetSessionResponseObject, error) {
	return contract.GetSession200JSONResponse(personOut(whoAsks(ctx))), nil
}

func (s *server) SignIn(ctx context.Context, r contract.SignInRequestObject) (contract.SignInResponseObject, error) {
	p, err := s.People.Check(ctx, r.Body.Name, r.Body.Password)
	if err != nil {
		return nil, err
	}
	request := ctx.(*gin.Context).Request
	// A new token for a new standing, so that one planted before is worth nothing.
	if err := s.sessions.RenewToken(request.Context()); err != nil {
		return nil, err
	}
	s.sessions.Put(request.Context(), "person", p.Name)
	return contract.SignIn200JSONResponse(personOut(p)), nil
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
	all, err := s.Store.People(ctx)
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
	p := store.Person{Name: r.Body.Name, Title: r.Body.Title, Role: string(r.Body.Role)}
	if r.Body.Desks != nil {
		p.Desks = *r.Body.Desks
		_, book, err := s.Books.Published(ctx)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		for _, d := range p.Desks {
			if book == nil || book.Desk(d) == nil {
				return nil, fail(http.StatusUnprocessableEntity, "unknown-desk", "The rulebook has no desk %q.", d)
			}
		}
	}
	if err := s.People.Add(ctx, p, r.Body.Password); err != nil {
		return nil, err
	}
	return contract.CreatePerson201JSONResponse(personOut(p)), nil
}
