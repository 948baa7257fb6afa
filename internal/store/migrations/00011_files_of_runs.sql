-- +goose Up
-- What a run was given as a file and what it leaves as one, in pieces.
CREATE TABLE run_files (
  run INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  place INTEGER NOT NULL,
  piece BLOB NOT NULL, -- compressed
  PRIMARY KEY (run, name, place)
) STRICT, WITHOUT ROWID;
