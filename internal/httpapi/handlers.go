package httpapi

import (
	"context"

	"codicil/core/feel"
	"codicil/core/record"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// server fulfils the contract by asking the application. Every handler is the same two
// steps; errors become problems in writeProblem.
type server struct {
	app  *app.App
	door *door
	demo func(ctx context.Context) (url string, err error) // nil: there is none beside it
}

func (s *server) GetCatalog(ctx context.Context, _ GetCatalogRequestObject) (GetCatalogResponseObject, error) {
	v, err := s.by(ctx).Catalog.Catalog(ctx)
	return GetCatalog200JSONResponse(v), err
}

func (s *server) GetPlan(ctx context.Context, r GetPlanRequestObject) (GetPlanResponseObject, error) {
	v, err := s.by(ctx).Rules.Plan(ctx, r.Params.Kind, r.Params.Company, r.Params.Type, record.Day(r.Params.Day))
	return GetPlan200JSONResponse(v), err
}

func (s *server) TryDocument(ctx context.Context, r TryDocumentRequestObject) (TryDocumentResponseObject, error) {
	v, err := s.by(ctx).Trials.Try(ctx, *r.Body)
	return TryDocument200JSONResponse(v), err
}

func (s *server) ListPostings(ctx context.Context, r ListPostingsRequestObject) (ListPostingsResponseObject, error) {
	v, err := s.by(ctx).Posting.Postings(ctx, r.Params.Ledger, r.Params.After, r.Params.Search)
	return ListPostings200JSONResponse(v), err
}

func (s *server) GetPosting(ctx context.Context, r GetPostingRequestObject) (GetPostingResponseObject, error) {
	v, err := s.by(ctx).Posting.Posting(ctx, r.Params.Ledger, r.Number, &r.Params.Format)
	return GetPosting200JSONResponse(v), err
}

func (s *server) ListRules(ctx context.Context, r ListRulesRequestObject) (ListRulesResponseObject, error) {
	v, err := s.by(ctx).Rules.List(ctx, r.Params.Kind)
	return ListRules200JSONResponse(v), err
}

func (s *server) CreateRule(ctx context.Context, r CreateRuleRequestObject) (CreateRuleResponseObject, error) {
	v, err := s.by(ctx).Rules.Create(ctx, *r.Body)
	return CreateRule201JSONResponse(v), err
}

func (s *server) CopyRules(ctx context.Context, r CopyRulesRequestObject) (CopyRulesResponseObject, error) {
	v, err := s.by(ctx).Rules.Copy(ctx, *r.Body)
	return CopyRules200JSONResponse(v), err
}

func (s *server) MoveRules(ctx context.Context, r MoveRulesRequestObject) (MoveRulesResponseObject, error) {
	v, err := s.by(ctx).Rules.MoveMany(ctx, *r.Body)
	return MoveRules200JSONResponse(v), err
}

func (s *server) ReadRule(ctx context.Context, r ReadRuleRequestObject) (ReadRuleResponseObject, error) {
	v, err := s.by(ctx).Rules.Read(ctx, *r.Body)
	return ReadRule200JSONResponse(v), err
}

func (s *server) GetRule(ctx context.Context, r GetRuleRequestObject) (GetRuleResponseObject, error) {
	v, err := s.by(ctx).Rules.Get(ctx, r.ID)
	return GetRule200JSONResponse(v), err
}

func (s *server) ChangeRule(ctx context.Context, r ChangeRuleRequestObject) (ChangeRuleResponseObject, error) {
	v, err := s.by(ctx).Rules.Change(ctx, r.ID, *r.Body)
	return ChangeRule200JSONResponse(v), err
}

func (s *server) MoveRule(ctx context.Context, r MoveRuleRequestObject) (MoveRuleResponseObject, error) {
	v, err := s.by(ctx).Rules.Move(ctx, r.ID, *r.Body)
	return MoveRule200JSONResponse(v), err
}

func (s *server) ListRuleVersions(ctx context.Context, r ListRuleVersionsRequestObject) (ListRuleVersionsResponseObject, error) {
	v, err := s.by(ctx).Rules.Versions(ctx, r.ID)
	return ListRuleVersions200JSONResponse(v), err
}

func (s *server) ListRuleHistory(ctx context.Context, r ListRuleHistoryRequestObject) (ListRuleHistoryResponseObject, error) {
	v, err := s.by(ctx).Rules.History(ctx, r.Params.Kind, r.Params.Field)
	return ListRuleHistory200JSONResponse(v), err
}

func (s *server) ComposeConditions(ctx context.Context, r ComposeConditionsRequestObject) (ComposeConditionsResponseObject, error) {
	v, err := s.by(ctx).Formulas.Compose(ctx, *r.Body)
	return ComposeConditions200JSONResponse(v), err
}

func (s *server) WriteConstant(ctx context.Context, r WriteConstantRequestObject) (WriteConstantResponseObject, error) {
	v, err := s.by(ctx).Formulas.Constant(ctx, *r.Body)
	return WriteConstant200JSONResponse(v), err
}

func (s *server) ListProofs(ctx context.Context, r ListProofsRequestObject) (ListProofsResponseObject, error) {
	v, err := s.by(ctx).Proofs.List(ctx, r.Params.Kind)
	return ListProofs200JSONResponse(v), err
}

func (s *server) KeepProof(ctx context.Context, r KeepProofRequestObject) (KeepProofResponseObject, error) {
	v, err := s.by(ctx).Proofs.Keep(ctx, *r.Body)
	return KeepProof201JSONResponse(v), err
}

func (s *server) ReadRows(ctx context.Context, r ReadRowsRequestObject) (ReadRowsResponseObject, error) {
	v, err := s.by(ctx).Trials.ReadRows(ctx, *r.Body)
	return ReadRows200JSONResponse(v), err
}

func (s *server) RunProofs(ctx context.Context, r RunProofsRequestObject) (RunProofsResponseObject, error) {
	v, err := s.by(ctx).Proofs.Run(ctx, *r.Body)
	return RunProofs200JSONResponse(v), err
}

func (s *server) GetProof(ctx context.Context, r GetProofRequestObject) (GetProofResponseObject, error) {
	v, err := s.by(ctx).Proofs.Get(ctx, r.ID)
	return GetProof200JSONResponse(v), err
}

func (s *server) AcceptProof(ctx context.Context, r AcceptProofRequestObject) (AcceptProofResponseObject, error) {
	v, err := s.by(ctx).Proofs.Accept(ctx, r.ID, *r.Body)
	return AcceptProof200JSONResponse(v), err
}

func (s *server) PostDocument(ctx context.Context, r PostDocumentRequestObject) (PostDocumentResponseObject, error) {
	posted, outcome, err := s.by(ctx).Posting.PostTest(ctx, *r.Body)
	if err != nil || posted == nil {
		return PostDocument200JSONResponse(outcome), err
	}
	return PostDocument201JSONResponse(*posted), nil
}

func (s *server) DiscardRule(ctx context.Context, r DiscardRuleRequestObject) (DiscardRuleResponseObject, error) {
	return DiscardRule204Response{}, s.by(ctx).Rules.Discard(ctx, r.ID)
}

func (s *server) DeleteProof(ctx context.Context, r DeleteProofRequestObject) (DeleteProofResponseObject, error) {
	return DeleteProof204Response{}, s.by(ctx).Proofs.Delete(ctx, r.ID)
}

func (s *server) ListFunctions(context.Context, ListFunctionsRequestObject) (ListFunctionsResponseObject, error) {
	list := ListFunctions200JSONResponse{}
	add := func(help []feel.FunctionHelp, form bool) {
		for _, f := range help {
			list = append(list, contract.Function{Name: f.Name, Chapter: f.Chapter, Signature: f.Signature, Help: f.Help, Example: f.Example, Ours: f.Ours, Form: form})
		}
	}
	add(feel.Forms(), true)
	add(feel.Functions(), false)
	return list, nil
}

func (s *server) ListNames(ctx context.Context, r ListNamesRequestObject) (ListNamesResponseObject, error) {
	v, err := s.by(ctx).Formulas.Names(ctx, r.Params.Kind, r.Params.Target)
	return ListNames200JSONResponse(v), err
}

func (s *server) TellFormula(ctx context.Context, r TellFormulaRequestObject) (TellFormulaResponseObject, error) {
	v, err := s.by(ctx).Formulas.Tell(ctx, *r.Body)
	return TellFormula200JSONResponse(v), err
}

func (s *server) WriteCases(ctx context.Context, r WriteCasesRequestObject) (WriteCasesResponseObject, error) {
	v, err := s.by(ctx).Formulas.WriteCases(ctx, *r.Body)
	return WriteCases200JSONResponse(v), err
}

func (s *server) CheckFormula(ctx context.Context, r CheckFormulaRequestObject) (CheckFormulaResponseObject, error) {
	v, err := s.by(ctx).Formulas.Check(ctx, *r.Body)
	return CheckFormula200JSONResponse(v), err
}
