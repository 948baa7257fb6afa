package judging

import (
	"codicil/core/judge"
	"codicil/internal/cache"
	"codicil/internal/fault"
	"context"
)

// World is the application as plain documents find it. It is used by one goroutine.
type World struct {
	service   *Service
	ctx       context.Context
	reference *cache.Reference
	version   judge.Version
	last      *around
}

// World returns the application as plain documents find it now.
func (s *Service) World(ctx context.Context) (*World, error) {
	ref, err := s.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	version, _, err := s.Cache.Version(ctx)
	return &World{service: s, ctx: ctx, reference: ref, version: version}, err
}

// Err is an error of reading records for the last document.
func (w *World) Err() error {
	if w.last == nil {
		return nil
	}
	return w.last.failed()
}

// Circumstances are those of a document of a kind in a company.
func (w *World) Circumstances(kind, company string) (judge.Circumstances, error) {
	book, err := w.service.Cache.BookAt(w.ctx, kind, w.version)
	if err != nil {
		return judge.Circumstances{}, err
	}
	if w.reference.Company(company) == nil {
		return judge.Circumstances{}, fault.Bad(fault.UnknownCompany, company)
	}
	a := w.service.around(w.ctx, w.reference, book, company, nil)
	a.looking(func(d *judge.Document) error { return savedBefore(w.ctx, w.service, d, book, nil) })
	w.last = a
	return w.last.Circumstances, nil
}

// Complete puts in what is saved of the document and what it follows, where it does not say it itself.
func (w *World) Complete(document *judge.Document) error {
	book, err := w.service.Cache.BookAt(w.ctx, document.Kind, w.version)
	if err != nil {
		return err
	}
	t := &Trial{Reference: w.reference, Document: *document, typed: map[string]string{}, Links: w.service.Links(w.ctx, w.reference, document.Company)}
	a := w.service.around(w.ctx, w.reference, book, document.Company, nil)
	if err := w.service.state(w.ctx, t, &a.Circumstances, nil); err != nil {
		return err
	}
	*document = t.Document
	return nil
}

// Version is what documents are judged by.
func (w *World) Version() judge.Version { return w.version }
