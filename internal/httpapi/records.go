package httpapi

import (
	"context"
	"io"

	"codicil/core/record"
)

func (s *server) SaveCompany(ctx context.Context, r SaveCompanyRequestObject) (SaveCompanyResponseObject, error) {
	v, err := s.by(ctx).Catalog.SaveCompany(ctx, r.Key, *r.Body)
	return SaveCompany200JSONResponse(v), err
}

func (s *server) DeleteCompany(ctx context.Context, r DeleteCompanyRequestObject) (DeleteCompanyResponseObject, error) {
	return DeleteCompany204Response{}, s.by(ctx).Catalog.DeleteCompany(ctx, r.Key)
}

func (s *server) SaveType(ctx context.Context, r SaveTypeRequestObject) (SaveTypeResponseObject, error) {
	v, err := s.by(ctx).Catalog.SaveType(ctx, r.Kind, r.Key, *r.Body)
	return SaveType200JSONResponse(v), err
}

func (s *server) DeleteType(ctx context.Context, r DeleteTypeRequestObject) (DeleteTypeResponseObject, error) {
	return DeleteType204Response{}, s.by(ctx).Catalog.DeleteType(ctx, r.Kind, r.Key)
}

func (s *server) AddField(ctx context.Context, r AddFieldRequestObject) (AddFieldResponseObject, error) {
	v, err := s.by(ctx).Fields.Add(ctx, r.Kind, *r.Body)
	return AddField201JSONResponse(v), err
}

func (s *server) ChangeField(ctx context.Context, r ChangeFieldRequestObject) (ChangeFieldResponseObject, error) {
	v, err := s.by(ctx).Fields.Change(ctx, r.Kind, r.Key, *r.Body)
	return ChangeField200JSONResponse(v), err
}

func (s *server) RemoveField(ctx context.Context, r RemoveFieldRequestObject) (RemoveFieldResponseObject, error) {
	return RemoveField204Response{}, s.by(ctx).Fields.Remove(ctx, r.Kind, r.Key)
}

func (s *server) ListRemovedFields(ctx context.Context, r ListRemovedFieldsRequestObject) (ListRemovedFieldsResponseObject, error) {
	v, err := s.by(ctx).Fields.Removed(ctx, r.Kind)
	return ListRemovedFields200JSONResponse(v), err
}

func (s *server) GetFieldUses(ctx context.Context, r GetFieldUsesRequestObject) (GetFieldUsesResponseObject, error) {
	v, err := s.by(ctx).Fields.Uses(ctx, r.Kind, r.Key)
	return GetFieldUses200JSONResponse(v), err
}

func (s *server) CheckField(ctx context.Context, r CheckFieldRequestObject) (CheckFieldResponseObject, error) {
	v, err := s.by(ctx).Fields.Check(ctx, r.Kind, r.Key, *r.Body)
	return CheckField200JSONResponse(v), err
}

func (s *server) RestoreField(ctx context.Context, r RestoreFieldRequestObject) (RestoreFieldResponseObject, error) {
	v, err := s.by(ctx).Fields.Restore(ctx, r.Kind, r.Key)
	return RestoreField200JSONResponse(v), err
}

func (s *server) GetLayout(ctx context.Context, r GetLayoutRequestObject) (GetLayoutResponseObject, error) {
	v, err := s.by(ctx).Catalog.Layout(ctx, r.Params.Kind, r.Params.Company, r.Params.Type)
	return GetLayout200JSONResponse(v), err
}

func (s *server) SaveLayout(ctx context.Context, r SaveLayoutRequestObject) (SaveLayoutResponseObject, error) {
	v, err := s.by(ctx).Catalog.SaveLayout(ctx, r.Params.Kind, r.Params.Company, r.Params.Type, *r.Body)
	return SaveLayout200JSONResponse(v), err
}

func (s *server) DeleteLayout(ctx context.Context, r DeleteLayoutRequestObject) (DeleteLayoutResponseObject, error) {
	v, err := s.by(ctx).Catalog.DeleteLayout(ctx, r.Params.Kind, r.Params.Company, r.Params.Type)
	return DeleteLayout200JSONResponse(v), err
}

func (s *server) ListFollowOns(ctx context.Context, _ ListFollowOnsRequestObject) (ListFollowOnsResponseObject, error) {
	v, err := s.by(ctx).Catalog.FollowOns(ctx)
	return ListFollowOns200JSONResponse(v), err
}

// numbered gives a map the ID of its path.
func numbered(f record.FollowOn, id int64) record.FollowOn {
	f.ID = id
	return f
}

func (s *server) AddFollowOn(ctx context.Context, r AddFollowOnRequestObject) (AddFollowOnResponseObject, error) {
	v, err := s.by(ctx).Catalog.SaveFollowOn(ctx, numbered(*r.Body, 0))
	return AddFollowOn201JSONResponse(v), err
}

func (s *server) ChangeFollowOn(ctx context.Context, r ChangeFollowOnRequestObject) (ChangeFollowOnResponseObject, error) {
	v, err := s.by(ctx).Catalog.SaveFollowOn(ctx, numbered(*r.Body, r.ID))
	return ChangeFollowOn200JSONResponse(v), err
}

func (s *server) DeleteFollowOn(ctx context.Context, r DeleteFollowOnRequestObject) (DeleteFollowOnResponseObject, error) {
	return DeleteFollowOn204Response{}, s.by(ctx).Catalog.DeleteFollowOn(ctx, r.ID)
}

func (s *server) CheckFollowOn(ctx context.Context, r CheckFollowOnRequestObject) (CheckFollowOnResponseObject, error) {
	v, err := s.by(ctx).Catalog.CheckFollowOn(ctx, *r.Body)
	return CheckFollowOn200JSONResponse(v), err
}

func (s *server) BeginFollowOn(ctx context.Context, r BeginFollowOnRequestObject) (BeginFollowOnResponseObject, error) {
	v, err := s.app.Records.Begin(ctx, r.ID, *r.Body)
	return BeginFollowOn200JSONResponse(v), err
}

func (s *server) FindLinks(ctx context.Context, r FindLinksRequestObject) (FindLinksResponseObject, error) {
	v, err := s.app.Records.FindLinks(ctx, r.Kind, r.Params.Search, r.Params.Company)
	return FindLinks200JSONResponse(v), err
}

func (s *server) SaveRecord(ctx context.Context, r SaveRecordRequestObject) (SaveRecordResponseObject, error) {
	v, err := s.app.Records.Save(ctx, *r.Body)
	return SaveRecord200JSONResponse(v), err
}

func (s *server) ListRecords(ctx context.Context, r ListRecordsRequestObject) (ListRecordsResponseObject, error) {
	v, err := s.app.Records.List(ctx, *r.Body)
	return ListRecords200JSONResponse(v), err
}

func (s *server) CountRecords(ctx context.Context, r CountRecordsRequestObject) (CountRecordsResponseObject, error) {
	v, err := s.app.Records.Count(ctx, *r.Body)
	return CountRecords200JSONResponse(v), err
}

func (s *server) MergeRecord(ctx context.Context, r MergeRecordRequestObject) (MergeRecordResponseObject, error) {
	v, err := s.app.Records.Merge(ctx, *r.Body)
	return MergeRecord200JSONResponse(v), err
}

func (s *server) GetRecord(ctx context.Context, r GetRecordRequestObject) (GetRecordResponseObject, error) {
	v, err := s.app.Records.Get(ctx, record.Ref{Kind: r.Kind, Number: r.Number})
	return GetRecord200JSONResponse(v), err
}

func (s *server) DeleteRecord(ctx context.Context, r DeleteRecordRequestObject) (DeleteRecordResponseObject, error) {
	return DeleteRecord204Response{}, s.app.Records.Delete(ctx, record.Ref{Kind: r.Kind, Number: r.Number})
}

func (s *server) GetRecordOutcome(ctx context.Context, r GetRecordOutcomeRequestObject) (GetRecordOutcomeResponseObject, error) {
	v, err := s.app.Records.ToldOf(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, r.Version, r.Params.Field, &r.Params.Format)
	return GetRecordOutcome200JSONResponse(v), err
}

func (s *server) GetRecordHistory(ctx context.Context, r GetRecordHistoryRequestObject) (GetRecordHistoryResponseObject, error) {
	v, err := s.app.Records.History(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, &r.Params.Format)
	return GetRecordHistory200JSONResponse(v), err
}

func (s *server) PostRecord(ctx context.Context, r PostRecordRequestObject) (PostRecordResponseObject, error) {
	v, err := s.by(ctx).Posting.Post(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, *r.Body)
	return PostRecord200JSONResponse(v), err
}

func (s *server) ReverseRecord(ctx context.Context, r ReverseRecordRequestObject) (ReverseRecordResponseObject, error) {
	v, err := s.by(ctx).Posting.Reverse(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, *r.Body)
	return ReverseRecord200JSONResponse(v), err
}

func (s *server) GetLedger(ctx context.Context, r GetLedgerRequestObject) (GetLedgerResponseObject, error) {
	v, err := s.by(ctx).Posting.Ledger(ctx, r.Ledger)
	return GetLedger200JSONResponse(v), err
}

func (s *server) EmptyLedger(ctx context.Context, r EmptyLedgerRequestObject) (EmptyLedgerResponseObject, error) {
	return EmptyLedger204Response{}, s.by(ctx).Posting.Empty(ctx, r.Ledger)
}

func (s *server) GetJournal(ctx context.Context, r GetJournalRequestObject) (GetJournalResponseObject, error) {
	v, err := s.by(ctx).Posting.Journal(ctx, r.Ledger, r.Params.After, &r.Params.Format)
	return GetJournal200JSONResponse(v), err
}

func (s *server) GetBalances(ctx context.Context, r GetBalancesRequestObject) (GetBalancesResponseObject, error) {
	v, err := s.by(ctx).Posting.Balances(ctx, r.Ledger, r.Params.By, r.Params.After, &r.Params.Format)
	return GetBalances200JSONResponse(v), err
}

func (s *server) ExportRecords(ctx context.Context, r ExportRecordsRequestObject) (ExportRecordsResponseObject, error) {
	body, err := begun(func(w io.Writer) error { return s.app.Records.Export(ctx, *r.Body, w) })
	return ExportRecords200TextCsvResponse{Body: body}, err
}

// BlankRecord blanks what is personal of a record.
func (s *server) BlankRecord(ctx context.Context, r BlankRecordRequestObject) (BlankRecordResponseObject, error) {
	v, err := s.app.Personal.Blank(ctx, record.Ref{Kind: r.Kind, Number: r.Number}, *r.Body)
	return BlankRecord200JSONResponse(v), err
}

// MarkPersonal says whether a field is personal.
func (s *server) MarkPersonal(ctx context.Context, r MarkPersonalRequestObject) (MarkPersonalResponseObject, error) {
	return MarkPersonal204Response{}, s.app.Personal.Mark(ctx, r.Kind, r.Key, r.Body.Personal)
}
