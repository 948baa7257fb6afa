package httpapi

import "context"

func (s *server) ListLearned(ctx context.Context, r ListLearnedRequestObject) (ListLearnedResponseObject, error) {
	v, err := s.by(ctx).Learning.List(ctx, &r.Params.Format)
	return ListLearned200JSONResponse(v), err
}

func (s *server) GetLearned(ctx context.Context, r GetLearnedRequestObject) (GetLearnedResponseObject, error) {
	v, err := s.by(ctx).Learning.Get(ctx, r.Kind, &r.Params.Format)
	return GetLearned200JSONResponse(v), err
}

func (s *server) StartLearning(ctx context.Context, r StartLearningRequestObject) (StartLearningResponseObject, error) {
	v, err := s.app.Learning.Start(ctx, r.Kind)
	return StartLearning201JSONResponse(v), err
}

func (s *server) AcceptLearned(ctx context.Context, r AcceptLearnedRequestObject) (AcceptLearnedResponseObject, error) {
	v, err := s.by(ctx).Learning.Accept(ctx, r.Kind, r.Key, *r.Body)
	return AcceptLearned201JSONResponse(v), err
}

func (s *server) ListExceptions(ctx context.Context, r ListExceptionsRequestObject) (ListExceptionsResponseObject, error) {
	v, err := s.by(ctx).Learning.Exceptions(ctx, r.Kind, r.Key, r.Params.Instead, &r.Params.Format)
	return ListExceptions200JSONResponse(v), err
}

func (s *server) LeaveLearned(ctx context.Context, r LeaveLearnedRequestObject) (LeaveLearnedResponseObject, error) {
	return LeaveLearned204Response{}, s.app.Learning.Leave(ctx, r.Kind, r.Key, r.Body.Reason)
}
