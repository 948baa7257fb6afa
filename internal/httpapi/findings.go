package httpapi

import (
	"context"

	"codicil/internal/contract"
)

func (s *server) ListFindings(ctx context.Context, r ListFindingsRequestObject) (ListFindingsResponseObject, error) {
	body, err := lines(func(write func(any) error) error {
		return s.by(ctx).Findings.Kind(ctx, r.Params.Kind, func(f contract.Finding) error { return write(f) })
	})
	return ListFindings200ApplicationXNdjsonResponse{Body: body}, err
}

func (s *server) FindingsOfRule(ctx context.Context, r FindingsOfRuleRequestObject) (FindingsOfRuleResponseObject, error) {
	body, err := lines(func(write func(any) error) error {
		return s.by(ctx).Findings.Rule(ctx, *r.Body, func(f contract.Finding) error { return write(f) })
	})
	return FindingsOfRule200ApplicationXNdjsonResponse{Body: body}, err
}

func (s *server) FindingsInData(ctx context.Context, _ FindingsInDataRequestObject) (FindingsInDataResponseObject, error) {
	v, err := s.app.Findings.Data(ctx)
	return FindingsInData200JSONResponse(v), err
}

func (s *server) LookOverRecords(ctx context.Context, _ LookOverRecordsRequestObject) (LookOverRecordsResponseObject, error) {
	v, err := s.app.Findings.Look(ctx)
	return LookOverRecords201JSONResponse(v), err
}

func (s *server) SilenceFinding(ctx context.Context, r SilenceFindingRequestObject) (SilenceFindingResponseObject, error) {
	return SilenceFinding204Response{}, s.by(ctx).Findings.Silence(ctx, *r.Body)
}
