package httpapi

import "context"

func (s *server) ListBatches(ctx context.Context, r ListBatchesRequestObject) (ListBatchesResponseObject, error) {
	v, err := s.app.Batches.List(ctx, r.Params.Kind, r.Params.State, &r.Params.Format)
	return ListBatches200JSONResponse(v), err
}

func (s *server) BeginBatch(ctx context.Context, r BeginBatchRequestObject) (BeginBatchResponseObject, error) {
	v, err := s.app.Batches.Begin(ctx, *r.Body)
	return BeginBatch201JSONResponse(v), err
}

func (s *server) GetBatch(ctx context.Context, r GetBatchRequestObject) (GetBatchResponseObject, error) {
	v, err := s.app.Batches.Get(ctx, r.ID, &r.Params.Format)
	return GetBatch200JSONResponse(v), err
}

func (s *server) ChangeBatch(ctx context.Context, r ChangeBatchRequestObject) (ChangeBatchResponseObject, error) {
	v, err := s.app.Batches.Change(ctx, r.ID, *r.Body)
	return ChangeBatch200JSONResponse(v), err
}

func (s *server) KeySecond(ctx context.Context, r KeySecondRequestObject) (KeySecondResponseObject, error) {
	v, err := s.app.Batches.Second(ctx, r.ID, *r.Body)
	return KeySecond200JSONResponse(v), err
}

func (s *server) SettleDifference(ctx context.Context, r SettleDifferenceRequestObject) (SettleDifferenceResponseObject, error) {
	v, err := s.app.Batches.Settle(ctx, r.ID, *r.Body)
	return SettleDifference200JSONResponse(v), err
}

func (s *server) PostBatch(ctx context.Context, r PostBatchRequestObject) (PostBatchResponseObject, error) {
	v, err := s.app.Batches.Post(ctx, r.ID, *r.Body)
	return PostBatch200JSONResponse(v), err
}

func (s *server) GetLastRecord(ctx context.Context, r GetLastRecordRequestObject) (GetLastRecordResponseObject, error) {
	v, err := s.app.Latest.Last(ctx, r.Params)
	return GetLastRecord200JSONResponse{Record: v}, err
}
