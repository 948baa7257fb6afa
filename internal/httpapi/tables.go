package httpapi

import (
	"context"
	"strings"
)

func (s *server) ListStanding(ctx context.Context, _ ListStandingRequestObject) (ListStandingResponseObject, error) {
	v, err := s.by(ctx).Tables.Standing(ctx)
	return ListStanding200JSONResponse(v), err
}

func (s *server) CheckStanding(ctx context.Context, r CheckStandingRequestObject) (CheckStandingResponseObject, error) {
	v, err := s.by(ctx).Tables.CheckStanding(ctx, *r.Body)
	return CheckStanding200JSONResponse(v), err
}

func (s *server) SaveStanding(ctx context.Context, r SaveStandingRequestObject) (SaveStandingResponseObject, error) {
	v, err := s.by(ctx).Tables.SaveStanding(ctx, r.Key, *r.Body)
	return SaveStanding200JSONResponse(v), err
}

func (s *server) DeleteStanding(ctx context.Context, r DeleteStandingRequestObject) (DeleteStandingResponseObject, error) {
	return DeleteStanding204Response{}, s.by(ctx).Tables.DeleteStanding(ctx, r.Key)
}

func (s *server) ListCrosswalks(ctx context.Context, _ ListCrosswalksRequestObject) (ListCrosswalksResponseObject, error) {
	v, err := s.by(ctx).Tables.Crosswalks(ctx)
	return ListCrosswalks200JSONResponse(v), err
}

func (s *server) GetCrosswalk(ctx context.Context, r GetCrosswalkRequestObject) (GetCrosswalkResponseObject, error) {
	v, err := s.by(ctx).Tables.Crosswalk(ctx, r.Key)
	return GetCrosswalk200JSONResponse(v), err
}

func (s *server) CheckCrosswalk(ctx context.Context, r CheckCrosswalkRequestObject) (CheckCrosswalkResponseObject, error) {
	v, err := s.by(ctx).Tables.CheckCrosswalk(ctx, *r.Body)
	return CheckCrosswalk200JSONResponse(v), err
}

func (s *server) WriteValues(ctx context.Context, r WriteValuesRequestObject) (WriteValuesResponseObject, error) {
	v, err := s.by(ctx).Tables.WriteValues(ctx, *r.Body)
	return WriteValues200JSONResponse(v), err
}

func (s *server) ReadCrosswalk(ctx context.Context, r ReadCrosswalkRequestObject) (ReadCrosswalkResponseObject, error) {
	v, err := s.by(ctx).Tables.ReadCrosswalk(ctx, *r.Body)
	return ReadCrosswalk200JSONResponse(v), err
}

func (s *server) SaveCrosswalk(ctx context.Context, r SaveCrosswalkRequestObject) (SaveCrosswalkResponseObject, error) {
	v, err := s.by(ctx).Tables.SaveCrosswalk(ctx, r.Key, *r.Body)
	return SaveCrosswalk200JSONResponse(v), err
}

func (s *server) DeleteCrosswalk(ctx context.Context, r DeleteCrosswalkRequestObject) (DeleteCrosswalkResponseObject, error) {
	return DeleteCrosswalk204Response{}, s.by(ctx).Tables.DeleteCrosswalk(ctx, r.Key)
}

func (s *server) MissingCodes(ctx context.Context, r MissingCodesRequestObject) (MissingCodesResponseObject, error) {
	v, err := s.by(ctx).Tables.MissingCodes(ctx, r.Key)
	return MissingCodes200JSONResponse(v), err
}

func (s *server) ExportCrosswalk(ctx context.Context, r ExportCrosswalkRequestObject) (ExportCrosswalkResponseObject, error) {
	text, err := s.by(ctx).Tables.ExportCrosswalk(ctx, r.Key)
	return ExportCrosswalk200TextCsvResponse{Body: strings.NewReader(text), ContentLength: int64(len(text))}, err
}

func (s *server) ListSeries(ctx context.Context, _ ListSeriesRequestObject) (ListSeriesResponseObject, error) {
	v, err := s.by(ctx).Tables.SeriesList(ctx)
	return ListSeries200JSONResponse(v), err
}

func (s *server) PreviewSeries(ctx context.Context, r PreviewSeriesRequestObject) (PreviewSeriesResponseObject, error) {
	v, err := s.by(ctx).Tables.PreviewSeries(ctx, *r.Body)
	return PreviewSeries200JSONResponse(v), err
}

func (s *server) SaveSeries(ctx context.Context, r SaveSeriesRequestObject) (SaveSeriesResponseObject, error) {
	v, err := s.by(ctx).Tables.SaveSeries(ctx, r.Key, *r.Body)
	return SaveSeries200JSONResponse(v), err
}

func (s *server) DeleteSeries(ctx context.Context, r DeleteSeriesRequestObject) (DeleteSeriesResponseObject, error) {
	return DeleteSeries204Response{}, s.by(ctx).Tables.DeleteSeries(ctx, r.Key)
}

func (s *server) Evaluate(ctx context.Context, r EvaluateRequestObject) (EvaluateResponseObject, error) {
	v, err := s.by(ctx).Trials.Evaluate(ctx, r.Body.Documents)
	return Evaluate200JSONResponse(v), err
}
