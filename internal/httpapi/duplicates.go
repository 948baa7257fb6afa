package httpapi

import "context"

func (s *server) GetDuplicates(ctx context.Context, r GetDuplicatesRequestObject) (GetDuplicatesResponseObject, error) {
	v, err := s.app.Duplicates.Get(ctx, r.Params.Kind)
	return GetDuplicates200JSONResponse(v), err
}

func (s *server) DefineDuplicates(ctx context.Context, r DefineDuplicatesRequestObject) (DefineDuplicatesResponseObject, error) {
	return DefineDuplicates204Response{}, s.app.Duplicates.Define(ctx, r.Kind, r.Name, *r.Body)
}

func (s *server) RemoveDuplicateDefinition(ctx context.Context, r RemoveDuplicateDefinitionRequestObject) (RemoveDuplicateDefinitionResponseObject, error) {
	return RemoveDuplicateDefinition204Response{}, s.app.Duplicates.Remove(ctx, r.Kind, r.Name)
}

func (s *server) ListDifferent(ctx context.Context, r ListDifferentRequestObject) (ListDifferentResponseObject, error) {
	v, err := s.app.Duplicates.Different(ctx, r.Kind, r.Params.After)
	return ListDifferent200JSONResponse(v), err
}

func (s *server) SayDifferent(ctx context.Context, r SayDifferentRequestObject) (SayDifferentResponseObject, error) {
	return SayDifferent204Response{}, s.app.Duplicates.SayDifferent(ctx, r.Kind, *r.Body)
}

func (s *server) TakeDifferentBack(ctx context.Context, r TakeDifferentBackRequestObject) (TakeDifferentBackResponseObject, error) {
	return TakeDifferentBack204Response{}, s.app.Duplicates.TakeDifferentBack(ctx, r.Kind, r.Params.Number, r.Params.Other)
}

func (s *server) ScanDuplicates(ctx context.Context, r ScanDuplicatesRequestObject) (ScanDuplicatesResponseObject, error) {
	v, err := s.app.Duplicates.Start(ctx, *r.Body)
	return ScanDuplicates201JSONResponse(v), err
}

func (s *server) ListDuplicates(ctx context.Context, r ListDuplicatesRequestObject) (ListDuplicatesResponseObject, error) {
	limit := 50
	if r.Params.Limit > 0 {
		limit = r.Params.Limit
	}
	v, err := s.app.Duplicates.Found(ctx, r.ID, string(r.Params.What), r.Params.After, limit)
	return ListDuplicates200JSONResponse(v), err
}

func (s *server) PreviewMerge(ctx context.Context, r PreviewMergeRequestObject) (PreviewMergeResponseObject, error) {
	v, err := s.app.Merging.Preview(ctx, *r.Body)
	return PreviewMerge200JSONResponse(v), err
}

func (s *server) StartMerge(ctx context.Context, r StartMergeRequestObject) (StartMergeResponseObject, error) {
	v, err := s.app.Merging.Start(ctx, *r.Body)
	return StartMerge201JSONResponse(v), err
}
