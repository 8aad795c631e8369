package httpapi

import (
	"context"
	"io"
	"mime"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"
	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

func fileOut(f store.CaseFile) contract.CaseFile {
	return contract.CaseFile{Id: f.ID, Name: f.Name, Media: f.Media, Size: f.Size, By: f.Author, At: f.At}
}

func todoOut(t store.Todo, today calendar.Day) contract.Todo {
	return contract.Todo{Id: t.ID, Case: t.Case, Name: t.Name, Text: t.Text, Owner: t.Owner, Due: openapi_types.Date{Time: t.Due.Time()},
		Late: t.DoneAt == nil && t.Due < today, By: t.Author, At: t.At, DoneAt: t.DoneAt, DoneBy: t.DoneBy}
}

func todosOut(all []store.Todo, today calendar.Day) []contract.Todo {
	out := []contract.Todo{}
	for _, t := range all {
		out = append(out, todoOut(t, today))
	}
	return out
}

// mayAttach says whether a file may be attached to a case, before any of it is read.
func (s *server) mayAttach(c *gin.Context, id string) error {
	n, err := strconv.ParseInt(id, 10, 64)
	if err != nil {
		return nil // the contract says so
	}
	return orNotFound(s.Review.MayAttach(c.Request.Context(), n, whoAsks(c)), "case %d", n)
}

// AddCaseFile refuses by its name what may not be attached before any of it is read.
func (s *server) AddCaseFile(ctx context.Context, r contract.AddCaseFileRequestObject) (contract.AddCaseFileResponseObject, error) {
	if _, _, err := casework.CheckFileName(r.Params.Name); err != nil {
		return nil, err
	}
	content, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	f, err := s.Review.Attach(ctx, r.Id, r.Params.Name, content, whoAsks(ctx))
	return contract.AddCaseFile201JSONResponse(fileOut(f)), orNotFound(err, "case %d", r.Id)
}

// attachment is a file that browsers keep and do not show, whatever is in it.
type attachment struct {
	contract.GetCaseFile200ApplicationoctetStreamResponse
	file store.CaseFile
}

func (a attachment) VisitGetCaseFileResponse(w http.ResponseWriter) error {
	h := w.Header()
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": a.file.Name}))
	h.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	return a.GetCaseFile200ApplicationoctetStreamResponse.VisitGetCaseFileResponse(w)
}

func (s *server) GetCaseFile(ctx context.Context, r contract.GetCaseFileRequestObject) (contract.GetCaseFileResponseObject, error) {
	f, content, err := s.Review.File(ctx.(*gin.Context).Request.Context(), r.Id, r.File)
	if err != nil {
		return nil, orNotFound(err, "file %d of case %d", r.File, r.Id)
	}
	return attachment{contract.GetCaseFile200ApplicationoctetStreamResponse{Body: content, ContentLength: int64(f.Size)}, f}, nil
}

func (s *server) RemoveCaseFile(ctx context.Context, r contract.RemoveCaseFileRequestObject) (contract.RemoveCaseFileResponseObject, error) {
	err := s.Review.DropFile(ctx, r.Id, r.File, whoAsks(ctx))
	return contract.RemoveCaseFile204Response{}, orNotFound(err, "file %d of case %d", r.File, r.Id)
}

func (s *server) AddTodo(ctx context.Context, r contract.AddTodoRequestObject) (contract.AddTodoResponseObject, error) {
	due := r.Body.Due
	t, err := s.Review.AddTodo(ctx, r.Id, casework.Todo{Text: r.Body.Text, Owner: or(r.Body.Owner, ""),
		Due: calendar.Date(due.Year(), due.Month(), due.Day())}, whoAsks(ctx))
	return contract.AddTodo201JSONResponse(todoOut(t, s.calendar(ctx).Today(s.Now()))), orNotFound(err, "case %d", r.Id)
}

func (s *server) ListTodos(ctx context.Context, r contract.ListTodosRequestObject) (contract.ListTodosResponseObject, error) {
	owner := whoAsks(ctx).Name
	if or(r.Params.All, false) {
		owner = ""
	}
	all, err := s.Review.Todos(ctx, owner, or(r.Params.Skip, 0))
	return contract.ListTodos200JSONResponse(todosOut(all, s.calendar(ctx).Today(s.Now()))), err
}

func (s *server) UpdateTodo(ctx context.Context, r contract.UpdateTodoRequestObject) (contract.UpdateTodoResponseObject, error) {
	t, err := s.Review.Tick(ctx, r.Id, r.Body.Done, whoAsks(ctx))
	return contract.UpdateTodo200JSONResponse(todoOut(t, s.calendar(ctx).Today(s.Now()))), orNotFound(err, "to-do %d", r.Id)
}

func (s *server) RemoveTodo(ctx context.Context, r contract.RemoveTodoRequestObject) (contract.RemoveTodoResponseObject, error) {
	return contract.RemoveTodo204Response{}, orNotFound(s.Review.RemoveTodo(ctx, r.Id, whoAsks(ctx)), "to-do %d", r.Id)
}

func (s *server) ListNotifications(ctx context.Context, r contract.ListNotificationsRequestObject) (contract.ListNotificationsResponseObject, error) {
	all, news, err := s.Review.Notices(ctx, whoAsks(ctx).Name, or(r.Params.Unseen, false), or(r.Params.Skip, 0))
	out := contract.ListNotifications200JSONResponse{News: news, Items: []contract.Notification{}}
	for _, n := range all {
		out.Items = append(out.Items, contract.Notification{Id: n.ID, Case: n.Case, Name: n.Name, What: contract.NotificationWhat(n.What),
			Words: n.What.NoticeWords(), Text: n.Text, By: n.Author, At: n.At, Seen: n.SeenAt != nil})
	}
	return out, err
}

func (s *server) MarkNotificationsRead(ctx context.Context,
	r contract.MarkNotificationsReadRequestObject) (contract.MarkNotificationsReadResponseObject, error) {
	err := s.Review.MarkNotificationsRead(ctx, whoAsks(ctx).Name, r.Body.UpTo, or(r.Body.Case, 0))
	return contract.MarkNotificationsRead204Response{}, err
}
