-- +goose Up
ALTER TABLE companies ADD COLUMN calendar TEXT NOT NULL DEFAULT '{"freeDays":[6,7],"holidays":[]}';

-- A kind is data: its whole description stands in one place. Fields that an
-- administrator added stand apart, so that a new release can bring the rest anew.
ALTER TABLE kinds ADD COLUMN position INTEGER NOT NULL DEFAULT 0;
ALTER TABLE kinds ADD COLUMN definition TEXT NOT NULL DEFAULT '{}';
ALTER TABLE kinds DROP COLUMN label;
ALTER TABLE kinds DROP COLUMN plural;
ALTER TABLE kinds DROP COLUMN type_label;
ALTER TABLE kinds DROP COLUMN sections;
DROP TABLE fields;

CREATE TABLE added_fields (
  kind TEXT NOT NULL REFERENCES kinds (key),
  key TEXT NOT NULL,
  position INTEGER NOT NULL,
  definition TEXT NOT NULL,
  removed_at TEXT, -- the values of a removed field stay with their records
  removed_by TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (kind, key)
) STRICT;

CREATE TABLE layouts (
  kind TEXT NOT NULL REFERENCES kinds (key),
  company TEXT NOT NULL, -- empty: all companies
  type TEXT NOT NULL, -- empty: all types
  layout TEXT NOT NULL,
  PRIMARY KEY (kind, company, type)
) STRICT;

CREATE TABLE follow_ons (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  definition TEXT NOT NULL
) STRICT;

ALTER TABLE records ADD COLUMN state TEXT NOT NULL DEFAULT 'kept' CHECK (state IN ('kept', 'posted', 'reversed'));
ALTER TABLE records ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE records ADD COLUMN record_lines TEXT; -- null: none
ALTER TABLE records ADD COLUMN origin_kind TEXT NOT NULL DEFAULT '';
ALTER TABLE records ADD COLUMN origin_number TEXT NOT NULL DEFAULT '';
ALTER TABLE records ADD COLUMN reverses TEXT NOT NULL DEFAULT '';
ALTER TABLE records ADD COLUMN reversed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE records ADD COLUMN changed_at TEXT NOT NULL DEFAULT '1970-01-01T00:00:00Z'; -- RFC 3339
ALTER TABLE records ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';

-- What a record has been, newest last; versions are only ever added.
CREATE TABLE record_versions (
  kind TEXT NOT NULL,
  number TEXT NOT NULL,
  version INTEGER NOT NULL,
  what TEXT NOT NULL,
  type TEXT NOT NULL,
  content TEXT NOT NULL,
  changed_at DATETIME NOT NULL,
  changed_by TEXT NOT NULL,
  PRIMARY KEY (kind, number, version)
);

INSERT INTO record_versions (kind, number, version, what, type, content, changed_at, changed_by)
  SELECT kind, number, 1, 'saved', type, json_object('values', json(field_values)), datetime('now'), '' FROM records;

-- Postings, now of several ledgers: the books, and the practice ledger of the tests.
ALTER TABLE postings RENAME TO postings_before;
CREATE TABLE postings (
  ledger TEXT NOT NULL CHECK (ledger IN ('books', 'practice')),
  number TEXT NOT NULL,
  sequence INTEGER NOT NULL,
  kind TEXT NOT NULL REFERENCES kinds (key),
  company TEXT NOT NULL REFERENCES companies (key),
  type TEXT NOT NULL,
  day TEXT NOT NULL,
  title TEXT NOT NULL,
  document TEXT NOT NULL,
  outcome TEXT NOT NULL,
  reverses TEXT NOT NULL DEFAULT '',
  posted_at DATETIME NOT NULL,
  posted_by TEXT NOT NULL,
  PRIMARY KEY (ledger, number),
  UNIQUE (ledger, sequence)
);
INSERT INTO postings (ledger, number, sequence, kind, company, type, day, title, document, outcome, posted_at, posted_by)
  SELECT 'practice', number, sequence, kind, company, type, day, title, document, outcome, posted_at, posted_by FROM postings_before;
DROP TABLE postings_before;

CREATE TABLE journal (
  ledger TEXT NOT NULL,
  posting TEXT NOT NULL,
  line INTEGER NOT NULL,
  company TEXT NOT NULL,
  day TEXT NOT NULL,
  account TEXT NOT NULL,
  text TEXT NOT NULL,
  debit TEXT NOT NULL, -- exact decimals; empty: none
  credit TEXT NOT NULL,
  currency TEXT NOT NULL,
  partner_kind TEXT NOT NULL,
  partner TEXT NOT NULL,
  PRIMARY KEY (ledger, posting, line),
  FOREIGN KEY (ledger, posting) REFERENCES postings (ledger, number) ON DELETE CASCADE
) STRICT;

-- The test posting that a proof was kept from; empty: none.
ALTER TABLE proofs ADD COLUMN posting TEXT NOT NULL DEFAULT '';
