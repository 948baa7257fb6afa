package runs

import (
	"context"
	"encoding/json"
	"errors"

	"codicil/internal/contract"
)

// Asked begins a run that is told all it needs by what was asked, which is kept with it. about is added to the title; it may be "".
func Asked[Request any](ctx context.Context, s *Service, what contract.RunWhat, title, about string, request Request, work func(ctx context.Context, w *Writer, request Request) error) (contract.Run, error) {
	text, err := json.Marshal(request)
	if err != nil {
		return contract.Run{}, err
	}
	if about != "" {
		title += ": " + about
	}
	r, err := s.Start(ctx, string(what), title, Subject{Request: text}, func(ctx context.Context, w *Writer) error { return work(ctx, w, request) })
	return Shown(&r), err
}

// AskedAgain goes on with those of the runs that the end of the program cut off which do one thing, by what was asked.
func AskedAgain[Request any](ctx context.Context, s *Service, cut []Run, what contract.RunWhat, work func(ctx context.Context, w *Writer, request Request) error) error {
	for _, r := range cut {
		if contract.RunWhat(r.What) != what {
			continue
		}
		var subject Subject
		var request Request
		if err := errors.Join(json.Unmarshal([]byte(r.Subject), &subject), json.Unmarshal(subject.Request, &request)); err != nil {
			return err
		}
		if err := s.Continue(ctx, r, func(ctx context.Context, w *Writer) error { return work(ctx, w, request) }); err != nil {
			return err
		}
	}
	return nil
}
