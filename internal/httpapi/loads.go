package httpapi

import (
	"context"
	"io"
)

func (s *server) ListLoads(ctx context.Context, _ ListLoadsRequestObject) (ListLoadsResponseObject, error) {
	v, err := s.app.Loads.List(ctx)
	return ListLoads200JSONResponse(v), err
}

func (s *server) BringLoad(ctx context.Context, r BringLoadRequestObject) (BringLoadResponseObject, error) {
	v, err := s.app.Loads.Bring(ctx, r.Params.Kind, r.Params.Name, r.Body)
	return BringLoad201JSONResponse(v), err
}

func (s *server) GetLoad(ctx context.Context, r GetLoadRequestObject) (GetLoadResponseObject, error) {
	v, err := s.app.Loads.Get(ctx, r.ID)
	return GetLoad200JSONResponse(v), err
}

func (s *server) SetUpLoad(ctx context.Context, r SetUpLoadRequestObject) (SetUpLoadResponseObject, error) {
	v, err := s.app.Loads.SetUp(ctx, r.ID, *r.Body)
	return SetUpLoad200JSONResponse(v), err
}

func (s *server) RemoveLoadSetup(ctx context.Context, r RemoveLoadSetupRequestObject) (RemoveLoadSetupResponseObject, error) {
	return RemoveLoadSetup204Response{}, s.app.Loads.RemoveSetup(ctx, r.Kind, r.Name)
}

func (s *server) RemoveLoad(ctx context.Context, r RemoveLoadRequestObject) (RemoveLoadResponseObject, error) {
	return RemoveLoad204Response{}, s.app.Loads.Remove(ctx, r.ID)
}

func (s *server) PreviewLoad(ctx context.Context, r PreviewLoadRequestObject) (PreviewLoadResponseObject, error) {
	v, err := s.app.Loads.Preview(ctx, r.ID, &r.Params.Format)
	return PreviewLoad200JSONResponse(v), err
}

func (s *server) CheckLoad(ctx context.Context, r CheckLoadRequestObject) (CheckLoadResponseObject, error) {
	v, err := s.app.Loads.Check(ctx, r.ID)
	return CheckLoad201JSONResponse(v), err
}

func (s *server) StartLoad(ctx context.Context, r StartLoadRequestObject) (StartLoadResponseObject, error) {
	v, err := s.app.Loads.Start(ctx, r.ID)
	return StartLoad201JSONResponse(v), err
}

func (s *server) RefusedRows(ctx context.Context, r RefusedRowsRequestObject) (RefusedRowsResponseObject, error) {
	body, err := begun(func(w io.Writer) error { return s.app.Loads.Refused(ctx, r.ID, w) })
	return RefusedRows200TextCsvResponse{Body: body}, err
}
