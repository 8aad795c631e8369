package httpapi

import (
	"context"
	"io"

	"github.com/gin-gonic/gin"

	"oskel/internal/httpapi/contract"
)

func (s *server) GetDoctor(ctx context.Context, _ contract.GetDoctorRequestObject) (contract.GetDoctorResponseObject, error) {
	all, err := s.Audit.Examine(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.GetDoctor200JSONResponse{}
	for _, f := range all {
		out = append(out, contract.Examined{Rule: f.Rule, Count: f.Count, Wrong: append([]string{}, f.Wrong...)})
	}
	return out, nil
}

// MakeBackup writes while it is read. One that fails half way breaks its connection, and
// is no whole zip; whoever leaves, or is refused it after all, ends the writing.
func (s *server) MakeBackup(ctx context.Context, _ contract.MakeBackupRequestObject) (contract.MakeBackupResponseObject, error) {
	asked := ctx.(*gin.Context).Request.Context() // gin gives its own to the next request
	r, w := io.Pipe()
	context.AfterFunc(asked, func() { r.CloseWithError(asked.Err()) })
	go func() { w.CloseWithError(s.Backup(asked, w)) }()
	return contract.MakeBackup200ApplicationzipResponse{Body: r}, nil
}
