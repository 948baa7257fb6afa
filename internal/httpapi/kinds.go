package httpapi

import "context"

// A kind is changed at once, whatever codicil is shown.

func (s *server) CheckKind(ctx context.Context, r CheckKindRequestObject) (CheckKindResponseObject, error) {
	v, err := s.app.Kinds.Check(ctx, *r.Body)
	return CheckKind200JSONResponse(v), err
}

func (s *server) SaveKind(ctx context.Context, r SaveKindRequestObject) (SaveKindResponseObject, error) {
	v, err := s.app.Kinds.Save(ctx, r.Kind, *r.Body)
	return SaveKind200JSONResponse(v), err
}

func (s *server) DeleteKind(ctx context.Context, r DeleteKindRequestObject) (DeleteKindResponseObject, error) {
	return DeleteKind204Response{}, s.app.Kinds.Delete(ctx, r.Kind)
}
