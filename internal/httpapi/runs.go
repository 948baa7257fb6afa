package httpapi

import (
	"context"
	"io"
)

func (s *server) ListRuns(ctx context.Context, _ ListRunsRequestObject) (ListRunsResponseObject, error) {
	v, err := s.app.Runs.List(ctx)
	return ListRuns200JSONResponse(v), err
}

func (s *server) StartRun(ctx context.Context, r StartRunRequestObject) (StartRunResponseObject, error) {
	v, err := s.app.Impact.Start(ctx, *r.Body)
	return StartRun201JSONResponse(v), err
}

func (s *server) GetRun(ctx context.Context, r GetRunRequestObject) (GetRunResponseObject, error) {
	v, err := s.app.Runs.Get(ctx, r.ID)
	return GetRun200JSONResponse(v), err
}

func (s *server) StopRun(ctx context.Context, r StopRunRequestObject) (StopRunResponseObject, error) {
	v, err := s.app.Runs.Stop(ctx, r.ID)
	return StopRun200JSONResponse(v), err
}

func (s *server) RemoveRun(ctx context.Context, r RemoveRunRequestObject) (RemoveRunResponseObject, error) {
	return RemoveRun204Response{}, s.app.Runs.Remove(ctx, r.ID)
}

func (s *server) ListRunHits(ctx context.Context, r ListRunHitsRequestObject) (ListRunHitsResponseObject, error) {
	limit := 100
	if r.Params.Limit > 0 {
		limit = r.Params.Limit
	}
	v, err := s.app.Hits(ctx, r.ID, r.Params.After, limit, r.Params.Rule)
	return ListRunHits200JSONResponse(v), err
}

func (s *server) ExportRun(ctx context.Context, r ExportRunRequestObject) (ExportRunResponseObject, error) {
	if _, err := s.app.Runs.Get(ctx, r.ID); err != nil {
		return nil, err
	}
	body, err := begun(func(w io.Writer) error { return s.app.Runs.Export(ctx, r.ID, r.Params.Rule, w) })
	return ExportRun200TextCsvResponse{Body: body}, err
}

func (s *server) StartExport(ctx context.Context, r StartExportRequestObject) (StartExportResponseObject, error) {
	v, err := s.app.Records.StartExport(ctx, *r.Body)
	return StartExport201JSONResponse(v), err
}

func (s *server) StartProofs(ctx context.Context, r StartProofsRequestObject) (StartProofsResponseObject, error) {
	v, err := s.by(ctx).Coverage.Start(ctx, *r.Body)
	return StartProofs201JSONResponse(v), err
}

func (s *server) StartDeriving(ctx context.Context, r StartDerivingRequestObject) (StartDerivingResponseObject, error) {
	v, err := s.app.Derive.Start(ctx, *r.Body)
	return StartDeriving201JSONResponse(v), err
}

func (s *server) TakeRunBack(ctx context.Context, r TakeRunBackRequestObject) (TakeRunBackResponseObject, error) {
	v, err := s.app.TakeBack.Start(ctx, r.ID)
	return TakeRunBack201JSONResponse(v), err
}

func (s *server) CountBreaks(ctx context.Context, r CountBreaksRequestObject) (CountBreaksResponseObject, error) {
	v, err := s.app.Breaks.Start(ctx, r.Body.Kind)
	return CountBreaks201JSONResponse(v), err
}

func (s *server) GetBreaks(ctx context.Context, r GetBreaksRequestObject) (GetBreaksResponseObject, error) {
	v, err := s.app.Breaks.Get(ctx, r.Params.Kind)
	return GetBreaks200JSONResponse(v), err
}
