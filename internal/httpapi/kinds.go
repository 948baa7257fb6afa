package httpapi

import (
	"context"

	"codicil/core/notice"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/books"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
)

var noDemo = notice.Define("no-demo", "the demo is started beside Codicil only on the machine that it runs on; start it there with: codicil demo")

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

func (s *server) GuessKind(ctx context.Context, r GuessKindRequestObject) (GuessKindResponseObject, error) {
	v, err := s.app.Kinds.Guess(ctx, r.Params.Name, r.Params.By, r.Params.Each, r.Body)
	return GuessKind200JSONResponse(v), err
}

func (s *server) ImportBook(ctx context.Context, r ImportBookRequestObject) (ImportBookResponseObject, error) {
	changes, err := s.app.Books.Read(ctx, r.Body, r.Params.Keep)
	return ImportBook200JSONResponse(view.List(changes, func(c books.Change) contract.BookChange {
		return contract.BookChange{What: c.What, Name: c.Name, Deed: contract.BookChangeDeed(c.Deed)}
	})), err
}

func (s *server) StartDemo(ctx context.Context, _ StartDemoRequestObject) (StartDemoResponseObject, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return nil, err
	}
	if s.demo == nil {
		return nil, fault.Hindered(noDemo)
	}
	url, err := s.demo(ctx)
	return StartDemo201JSONResponse(contract.DemoBeside{URL: url}), err
}
