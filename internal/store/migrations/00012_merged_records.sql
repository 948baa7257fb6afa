-- +goose Up
-- The numbers of the records that were merged into a record, as JSON; empty: none.
ALTER TABLE records ADD COLUMN former TEXT NOT NULL DEFAULT '';

-- Records that were merged into others. Their versions stay, and their numbers lead to the others.
CREATE TABLE merged_records (
  kind TEXT NOT NULL,
  number TEXT NOT NULL,
  survivor TEXT NOT NULL, -- of the same kind; it may be merged itself
  lead TEXT NOT NULL, -- to which the number leads, however many times over that was merged
  version INTEGER NOT NULL, -- that says that it was merged
  company TEXT NOT NULL,
  type TEXT NOT NULL,
  origin_kind TEXT NOT NULL,
  origin_number TEXT NOT NULL,
  why TEXT NOT NULL,
  run INTEGER NOT NULL, -- that merged it
  part INTEGER NOT NULL, -- the place of what the run wrote to the survivor
  merged_at TEXT NOT NULL,
  merged_by TEXT NOT NULL,
  merged_person TEXT NOT NULL,
  merged_via TEXT NOT NULL,
  PRIMARY KEY (kind, number)
) STRICT, WITHOUT ROWID;
CREATE INDEX merged_into ON merged_records (kind, lead);
CREATE INDEX merged_by_run ON merged_records (run, part);

-- What a run wrote because of another thing that it wrote, at this place; 0: by itself.
ALTER TABLE run_writes ADD COLUMN part INTEGER NOT NULL DEFAULT 0;

-- Records of which somebody said that they are different, however alike they look.
CREATE TABLE different_records (
  kind TEXT NOT NULL,
  number TEXT NOT NULL, -- the lower of the two
  other TEXT NOT NULL,
  why TEXT NOT NULL,
  said_at TEXT NOT NULL,
  said_by TEXT NOT NULL,
  said_person TEXT NOT NULL,
  said_via TEXT NOT NULL,
  PRIMARY KEY (kind, number, other)
) STRICT, WITHOUT ROWID;
CREATE INDEX different_others ON different_records (kind, other);

-- By what records of a kind are duplicates.
CREATE TABLE duplicate_definitions (
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  definition TEXT NOT NULL, -- as JSON
  PRIMARY KEY (kind, name)
) STRICT, WITHOUT ROWID;

-- What a scan for duplicates compares, until it ends.
CREATE TABLE scanned_keys (
  run INTEGER NOT NULL,
  company TEXT NOT NULL, -- empty: all count
  key TEXT NOT NULL,
  beside TEXT NOT NULL, -- the key of the fields beside the name
  letters INTEGER NOT NULL, -- of the name
  name TEXT NOT NULL,
  number TEXT NOT NULL
) STRICT;
CREATE INDEX scanned_keys_run ON scanned_keys (run);
