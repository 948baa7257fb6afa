package httpapi

import (
	"context"
	"slices"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/labstack/echo/v5"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/app"
	"codicil/internal/fault"
)

// byRules is the parameter that says by which rules it is asked.
const byRules = "rules"

var notBy = notice.Define("not-shown.here", "this is as it is in force; leave out {parameter:q}")

// viewed is the key of the application as it shows by another rule book, in the context of a request.
type viewed struct{}

// viewing finds by which rules a request is asked. o is the operation that it asks for.
func viewing(a *app.App, c *echo.Context, o *openapi3.Operation) error {
	r := c.Request()
	by := r.URL.Query().Get(byRules)
	if by == "" {
		return nil
	}
	if !slices.ContainsFunc(o.Parameters, func(p *openapi3.ParameterRef) bool { return p.Value.Name == byRules }) {
		return fault.Bad(notBy, byRules)
	}
	v, err := a.Codicils.View(r.Context(), by)
	if err != nil {
		return err
	}
	shown, err := a.Viewed(r.Context(), v)
	if err != nil {
		return err
	}
	c.SetRequest(r.WithContext(context.WithValue(r.Context(), viewed{}, shown)))
	return nil
}

// by is the application as the request asks to be shown.
func (s *server) by(ctx context.Context) *app.App {
	if shown, is := ctx.Value(viewed{}).(*app.App); is {
		return shown
	}
	return s.app
}

func (s *server) ListCodicils(ctx context.Context, r ListCodicilsRequestObject) (ListCodicilsResponseObject, error) {
	v, err := s.app.Codicils.List(ctx, r.Params.State, r.Params.Owed, r.Params.Before, r.Params.Limit)
	return ListCodicils200JSONResponse(v), err
}

func (s *server) BeginCodicil(ctx context.Context, r BeginCodicilRequestObject) (BeginCodicilResponseObject, error) {
	v, err := s.app.Codicils.Begin(ctx, *r.Body)
	return BeginCodicil201JSONResponse(v), err
}

func (s *server) GetCodicil(ctx context.Context, r GetCodicilRequestObject) (GetCodicilResponseObject, error) {
	v, err := s.app.Codicils.Get(ctx, r.ID)
	return GetCodicil200JSONResponse(v), err
}

func (s *server) ChangeCodicil(ctx context.Context, r ChangeCodicilRequestObject) (ChangeCodicilResponseObject, error) {
	v, err := s.app.Codicils.Change(ctx, r.ID, *r.Body)
	return ChangeCodicil200JSONResponse(v), err
}

func (s *server) MoveCodicil(ctx context.Context, r MoveCodicilRequestObject) (MoveCodicilResponseObject, error) {
	v, err := s.app.Codicils.Move(ctx, r.ID, *r.Body)
	return MoveCodicil200JSONResponse(v), err
}

func (s *server) CheckCodicil(ctx context.Context, r CheckCodicilRequestObject) (CheckCodicilResponseObject, error) {
	v, err := s.app.Codicils.Check(ctx, r.ID, r.Params.Whole)
	return CheckCodicil200JSONResponse(v), err
}

func (s *server) StartReplay(ctx context.Context, r StartReplayRequestObject) (StartReplayResponseObject, error) {
	v, err := s.app.Replay.Start(ctx, r.ID, *r.Body)
	return StartReplay201JSONResponse(v), err
}

func (s *server) GetReplayed(ctx context.Context, r GetReplayedRequestObject) (GetReplayedResponseObject, error) {
	v, err := s.app.Replay.One(ctx, r.ID, record.Ref{Kind: r.Kind, Number: r.Number})
	return GetReplayed200JSONResponse(v), err
}

func (s *server) SignCodicil(ctx context.Context, r SignCodicilRequestObject) (SignCodicilResponseObject, error) {
	v, err := s.app.Codicils.Sign(ctx, r.ID, *r.Body)
	return SignCodicil200JSONResponse(v), err
}

func (s *server) GetSigning(ctx context.Context, _ GetSigningRequestObject) (GetSigningResponseObject, error) {
	v, err := s.app.Signing.Get(ctx)
	return GetSigning200JSONResponse(v), err
}

func (s *server) ChangeSigning(ctx context.Context, r ChangeSigningRequestObject) (ChangeSigningResponseObject, error) {
	v, err := s.app.Signing.Change(ctx, *r.Body)
	return ChangeSigning200JSONResponse(v), err
}

func (s *server) GetCodicilFiled(ctx context.Context, r GetCodicilFiledRequestObject) (GetCodicilFiledResponseObject, error) {
	v, err := s.app.Filed(ctx, r.ID)
	return GetCodicilFiled200JSONResponse(v), err
}

func (s *server) SettleChange(ctx context.Context, r SettleChangeRequestObject) (SettleChangeResponseObject, error) {
	v, err := s.app.Codicils.Settle(ctx, r.ID, *r.Body)
	return SettleChange200JSONResponse(v), err
}

func (s *server) TakeCodicilBack(ctx context.Context, r TakeCodicilBackRequestObject) (TakeCodicilBackResponseObject, error) {
	v, err := s.app.Codicils.TakeBack(ctx, r.ID)
	return TakeCodicilBack201JSONResponse(v), err
}

func (s *server) GetThingHistory(ctx context.Context, r GetThingHistoryRequestObject) (GetThingHistoryResponseObject, error) {
	v, err := s.app.Things.History(ctx, r.Params.What, r.Params.Key, r.Params.Row)
	return GetThingHistory200JSONResponse(v), err
}

func (s *server) CompareThing(ctx context.Context, r CompareThingRequestObject) (CompareThingResponseObject, error) {
	v, err := s.app.Things.Compare(ctx, r.Params.What, r.Params.Key, r.Params.Row, r.Params.From, r.Params.To)
	return CompareThing200JSONResponse(v), err
}

func (s *server) RestoreThing(ctx context.Context, r RestoreThingRequestObject) (RestoreThingResponseObject, error) {
	v, err := s.app.Things.Restore(ctx, *r.Body)
	return RestoreThing201JSONResponse(v), err
}
