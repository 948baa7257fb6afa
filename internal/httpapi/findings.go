package httpapi

import (
	"context"
	"encoding/json"
	"io"

	"codicil/internal/contract"
)

func (s *server) ListFindings(ctx context.Context, r ListFindingsRequestObject) (ListFindingsResponseObject, error) {
	body, err := lines(func(write func(any) error) error {
		return s.app.Findings.Kind(ctx, r.Params.Kind, func(f contract.Finding) error { return write(f) })
	})
	return ListFindings200ApplicationXNdjsonResponse{Body: body}, err
}

func (s *server) FindingsOfRule(ctx context.Context, r FindingsOfRuleRequestObject) (FindingsOfRuleResponseObject, error) {
	body, err := lines(func(write func(any) error) error {
		return s.app.Findings.Rule(ctx, *r.Body, func(f contract.Finding) error { return write(f) })
	})
	return FindingsOfRule200ApplicationXNdjsonResponse{Body: body}, err
}

func (s *server) FindingsInData(ctx context.Context, _ FindingsInDataRequestObject) (FindingsInDataResponseObject, error) {
	body, err := lines(func(write func(any) error) error { return s.app.Findings.Data(ctx, write) })
	return FindingsInData200ApplicationXNdjsonResponse{Body: body}, err
}

func (s *server) SilenceFinding(ctx context.Context, r SilenceFindingRequestObject) (SilenceFindingResponseObject, error) {
	return SilenceFinding204Response{}, s.app.Findings.Silence(ctx, *r.Body)
}

// lines answers with a line of JSON for everything that work writes, as it comes. An error before the
// first line is that of the request; one after it breaks the answer off.
func lines(work func(write func(any) error) error) (io.Reader, error) {
	read, write := io.Pipe()
	begun := make(chan error, 1)
	go func() {
		encoder := json.NewEncoder(write)
		first := true
		err := work(func(line any) error {
			if first {
				first = false
				begun <- nil
			}
			return encoder.Encode(line)
		})
		if first {
			begun <- err
		}
		_ = write.CloseWithError(err)
	}()
	err := <-begun
	return read, err
}
