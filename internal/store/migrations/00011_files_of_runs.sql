-- +goose Up
-- What a run was given as a file and what it leaves as one, in pieces.
CREATE TABLE run_files (
  run INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  place INTEGER NOT NULL,
  piece BLOB NOT NULL, -- compressed
  PRIMARY KEY (run, name, place)
) STRICT, WITHOUT ROWID;

-- What runs wrote, so that it can be taken back.
CREATE TABLE run_writes (
  run INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
  place INTEGER NOT NULL,
  kind TEXT NOT NULL, -- of the record
  number TEXT NOT NULL,
  version INTEGER NOT NULL, -- that the run made
  before INTEGER NOT NULL, -- the version before it; 0: the run added the record
  back INTEGER NOT NULL DEFAULT 0 CHECK (back IN (0, 1)), -- it is taken back
  PRIMARY KEY (run, place)
) STRICT, WITHOUT ROWID;
CREATE INDEX run_writes_of ON run_writes (kind, number);

-- Files of records that were brought to be loaded.
CREATE TABLE loads (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  kind TEXT NOT NULL,
  name TEXT NOT NULL, -- of the file
  about TEXT NOT NULL, -- what was found out about the file, as JSON
  setup TEXT NOT NULL, -- how it is loaded, as JSON
  brought_at TEXT NOT NULL,
  brought_by TEXT NOT NULL,
  brought_person TEXT NOT NULL,
  brought_via TEXT NOT NULL
) STRICT;
CREATE TABLE load_files (
  load INTEGER NOT NULL REFERENCES loads (id) ON DELETE CASCADE,
  place INTEGER NOT NULL,
  piece BLOB NOT NULL, -- compressed
  PRIMARY KEY (load, place)
) STRICT, WITHOUT ROWID;
-- Set-ups of loads that are used again.
CREATE TABLE load_setups (
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  setup TEXT NOT NULL, -- as JSON
  PRIMARY KEY (kind, name)
) STRICT, WITHOUT ROWID;

-- How many saved records broke each check, whenever that was counted.
CREATE TABLE break_counts (
  kind TEXT NOT NULL,
  run INTEGER NOT NULL,
  rule INTEGER NOT NULL,
  company TEXT NOT NULL,
  broken INTEGER NOT NULL,
  counted_at TEXT NOT NULL,
  PRIMARY KEY (kind, run, rule, company)
) STRICT, WITHOUT ROWID;
