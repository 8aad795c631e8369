package httpapi

import (
	"context"
	"io"

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
// is no whole zip.
func (s *server) MakeBackup(ctx context.Context, _ contract.MakeBackupRequestObject) (contract.MakeBackupResponseObject, error) {
	r, w := io.Pipe()
	go func() { w.CloseWithError(s.Backup(ctx, w)) }()
	return contract.MakeBackup200ApplicationzipResponse{Body: r}, nil
}
