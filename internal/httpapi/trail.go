package httpapi

import (
	"context"
	"io"

	"codicil/internal/app/trail"
)

// GetTrail returns a page of the trail.
func (s *server) GetTrail(ctx context.Context, r GetTrailRequestObject) (GetTrailResponseObject, error) {
	p := r.Params
	v, err := s.app.Trail.Page(ctx, trail.Query{Person: p.Person, What: p.What, Kind: p.Kind, Key: p.Key, From: p.From, To: p.To, Words: p.Search}, p.After)
	return GetTrail200JSONResponse(v), err
}

// ExportTrail writes the trail as a file.
func (s *server) ExportTrail(ctx context.Context, r ExportTrailRequestObject) (ExportTrailResponseObject, error) {
	p := r.Params
	body, err := begun(func(to io.Writer) error {
		return s.app.Trail.Export(ctx, trail.Query{Person: p.Person, What: p.What, Kind: p.Kind, Key: p.Key, From: p.From, To: p.To, Words: p.Search}, string(p.As), to)
	})
	if p.As == "csv" {
		return ExportTrail200TextCsvResponse{Body: body}, err
	}
	return ExportTrail200ApplicationXNdjsonResponse{Body: body}, err
}

// VerifyTrail begins to look at every entry.
func (s *server) VerifyTrail(ctx context.Context, _ VerifyTrailRequestObject) (VerifyTrailResponseObject, error) {
	v, err := s.app.Trail.Verify(ctx)
	return VerifyTrail201JSONResponse(v), err
}

// MakeBackup makes a backup.
func (s *server) MakeBackup(ctx context.Context, _ MakeBackupRequestObject) (MakeBackupResponseObject, error) {
	body, err := begun(func(to io.Writer) error {
		_, err := s.app.Backups.Make(ctx, to)
		return err
	})
	return MakeBackup200ApplicationZstdResponse{Body: body}, err
}
