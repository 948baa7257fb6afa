-- +goose Up

-- Every posting that is shown says whether it was taken back.
CREATE INDEX postings_reverses ON postings (ledger, reverses) WHERE reverses <> '';
