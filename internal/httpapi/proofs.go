package httpapi

import (
	"context"
	"encoding/json"
	"io"
	"strings"

	"codicil/internal/contract"
)

func (s *server) Confirmation(ctx context.Context, r ConfirmationRequestObject) (ConfirmationResponseObject, error) {
	v, err := s.by(ctx).Coverage.Kind(ctx, r.Params.Kind, r.Params.Strength)
	return Confirmation200JSONResponse(v), err
}

func (s *server) ConfirmRule(ctx context.Context, r ConfirmRuleRequestObject) (ConfirmRuleResponseObject, error) {
	v, err := s.by(ctx).Coverage.Rule(ctx, r.ID)
	return ConfirmRule200JSONResponse(v), err
}

func (s *server) SuggestProofs(ctx context.Context, r SuggestProofsRequestObject) (SuggestProofsResponseObject, error) {
	v, err := s.by(ctx).Coverage.Suggest(ctx, r.ID, *r.Body)
	return SuggestProofs200JSONResponse(v), err
}

func (s *server) SetAside(ctx context.Context, r SetAsideRequestObject) (SetAsideResponseObject, error) {
	v, err := s.by(ctx).Coverage.SetAside(ctx, r.ID, *r.Body)
	return SetAside200JSONResponse(v), err
}

func (s *server) ReadProof(ctx context.Context, r ReadProofRequestObject) (ReadProofResponseObject, error) {
	v, err := s.by(ctx).Proofs.MarkRead(ctx, r.ID)
	return ReadProof200JSONResponse(v), err
}

func (s *server) RefreshProof(ctx context.Context, r RefreshProofRequestObject) (RefreshProofResponseObject, error) {
	v, err := s.by(ctx).Proofs.Refresh(ctx, r.ID)
	return RefreshProof200JSONResponse(v), err
}

// FollowProofs writes a line for each result as it comes. When the reader goes the run stops:
// the context of the request ends.
func (s *server) FollowProofs(ctx context.Context, r FollowProofsRequestObject) (FollowProofsResponseObject, error) {
	asked, err := s.by(ctx).Proofs.Ask(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	body := streamed(func(w io.Writer) error {
		lines := json.NewEncoder(w)
		if err := lines.Encode(map[string]int{"total": asked.Total()}); err != nil {
			return err
		}
		_, err := asked.Run(ctx, func(result contract.ProofResult) { _ = lines.Encode(result) })
		return err
	})
	return FollowProofs200ApplicationXNdjsonResponse{Body: body}, nil
}

func (s *server) TakeBackProof(ctx context.Context, r TakeBackProofRequestObject) (TakeBackProofResponseObject, error) {
	v, err := s.by(ctx).Proofs.TakeBack(ctx, r.ID)
	return TakeBackProof200JSONResponse(v), err
}

func (s *server) ListProofVersions(ctx context.Context, r ListProofVersionsRequestObject) (ListProofVersionsResponseObject, error) {
	v, err := s.by(ctx).Proofs.Versions(ctx, r.ID)
	return ListProofVersions200JSONResponse(v), err
}

func (s *server) SavePreferences(ctx context.Context, r SavePreferencesRequestObject) (SavePreferencesResponseObject, error) {
	v, err := s.by(ctx).Catalog.SavePreferences(ctx, *r.Body)
	return SavePreferences200JSONResponse(v), err
}

func (s *server) ConfirmationReport(ctx context.Context, r ConfirmationReportRequestObject) (ConfirmationReportResponseObject, error) {
	v, err := s.by(ctx).Coverage.Report(ctx, r.Params.Kind, r.Params.Company, r.Params.Type)
	return ConfirmationReport200JSONResponse(v), err
}

func (s *server) ExportConfirmation(ctx context.Context, r ExportConfirmationRequestObject) (ExportConfirmationResponseObject, error) {
	text, err := s.by(ctx).Coverage.Export(ctx, r.Params.Kind, r.Params.Company, r.Params.Type)
	return ExportConfirmation200TextCsvResponse{Body: strings.NewReader(text), ContentLength: int64(len(text))}, err
}
