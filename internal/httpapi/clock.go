package httpapi

import (
	"context"

	"oskel/internal/httpapi/contract"
)

func (s *server) GetClock(ctx context.Context, _ contract.GetClockRequestObject) (contract.GetClockResponseObject, error) {
	out, err := s.clockOut(ctx)
	return contract.GetClock200JSONResponse(out), err
}

func (s *server) ConfirmClock(ctx context.Context, _ contract.ConfirmClockRequestObject) (contract.ConfirmClockResponseObject, error) {
	if err := s.Sweep.Right(ctx); err != nil {
		return nil, err
	}
	out, err := s.clockOut(ctx)
	return contract.ConfirmClock200JSONResponse(out), err
}

func (s *server) clockOut(ctx context.Context) (out contract.Clock, err error) {
	c, err := s.Sweep.Clock(ctx)
	if out.Now, out.Leapt = c.Now, c.Leapt; !c.Seen.IsZero() {
		out.Seen = &c.Seen
	}
	return out, err
}
