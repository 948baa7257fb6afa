package httpapi

import (
	"context"
	"strings"
)

func (s *server) ListLists(ctx context.Context, _ ListListsRequestObject) (ListListsResponseObject, error) {
	v, err := s.by(ctx).Lists.All(ctx)
	return ListLists200JSONResponse(v), err
}

func (s *server) GetList(ctx context.Context, r GetListRequestObject) (GetListResponseObject, error) {
	v, err := s.by(ctx).Lists.Get(ctx, r.Key)
	return GetList200JSONResponse(v), err
}

func (s *server) CheckList(ctx context.Context, r CheckListRequestObject) (CheckListResponseObject, error) {
	v, err := s.by(ctx).Lists.Check(ctx, *r.Body)
	return CheckList200JSONResponse(v), err
}

func (s *server) ReadList(ctx context.Context, r ReadListRequestObject) (ReadListResponseObject, error) {
	v, err := s.by(ctx).Lists.Read(ctx, *r.Body)
	return ReadList200JSONResponse(v), err
}

func (s *server) SaveList(ctx context.Context, r SaveListRequestObject) (SaveListResponseObject, error) {
	v, err := s.by(ctx).Lists.Save(ctx, r.Key, *r.Body)
	return SaveList200JSONResponse(v), err
}

func (s *server) DeleteList(ctx context.Context, r DeleteListRequestObject) (DeleteListResponseObject, error) {
	return DeleteList204Response{}, s.by(ctx).Lists.Delete(ctx, r.Key)
}

func (s *server) ListUses(ctx context.Context, r ListUsesRequestObject) (ListUsesResponseObject, error) {
	v, err := s.by(ctx).Lists.Uses(ctx, r.Key, r.Params.Code)
	return ListUses200JSONResponse(v), err
}

func (s *server) ExportList(ctx context.Context, r ExportListRequestObject) (ExportListResponseObject, error) {
	text, err := s.by(ctx).Lists.Export(ctx, r.Key)
	return ExportList200TextCsvResponse{Body: strings.NewReader(text), ContentLength: int64(len(text))}, err
}
