-- +goose Up
CREATE TABLE companies (
  key TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  country TEXT NOT NULL,
  currency TEXT NOT NULL,
  rounding TEXT NOT NULL CHECK (rounding IN ('half-up', 'half-even'))
) STRICT;

CREATE TABLE kinds (
  key TEXT PRIMARY KEY,
  label TEXT NOT NULL,
  plural TEXT NOT NULL,
  type_label TEXT NOT NULL,
  sections TEXT NOT NULL
) STRICT;

CREATE TABLE fields (
  kind TEXT NOT NULL REFERENCES kinds (key),
  key TEXT NOT NULL,
  position INTEGER NOT NULL,
  definition TEXT NOT NULL,
  PRIMARY KEY (kind, key)
) STRICT;

CREATE TABLE types (
  kind TEXT NOT NULL REFERENCES kinds (key),
  key TEXT NOT NULL,
  label TEXT NOT NULL,
  companies TEXT NOT NULL,
  position INTEGER NOT NULL,
  PRIMARY KEY (kind, key)
) STRICT;

CREATE TABLE rules (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  kind TEXT NOT NULL REFERENCES kinds (key),
  version INTEGER NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('draft', 'in force', 'suspended', 'retired')),
  name TEXT NOT NULL,
  body TEXT NOT NULL
) STRICT;

CREATE TABLE rule_versions (
  rule_id INTEGER NOT NULL REFERENCES rules (id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  state TEXT NOT NULL,
  name TEXT NOT NULL,
  body TEXT NOT NULL,
  changed_at DATETIME NOT NULL,
  changed_by TEXT NOT NULL,
  PRIMARY KEY (rule_id, version)
);

CREATE TABLE records (
  kind TEXT NOT NULL REFERENCES kinds (key),
  number TEXT NOT NULL,
  company TEXT NOT NULL REFERENCES companies (key),
  type TEXT NOT NULL,
  field_values TEXT NOT NULL,
  PRIMARY KEY (kind, number)
) STRICT;

CREATE TABLE proofs (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  kind TEXT NOT NULL REFERENCES kinds (key),
  name TEXT NOT NULL,
  rules TEXT NOT NULL,
  given TEXT NOT NULL,
  expect TEXT NOT NULL
) STRICT;

-- The practice ledger. Postings are only ever added.
CREATE TABLE postings (
  number TEXT PRIMARY KEY,
  sequence INTEGER NOT NULL UNIQUE,
  kind TEXT NOT NULL REFERENCES kinds (key),
  company TEXT NOT NULL REFERENCES companies (key),
  type TEXT NOT NULL,
  day TEXT NOT NULL,
  title TEXT NOT NULL,
  document TEXT NOT NULL,
  outcome TEXT NOT NULL,
  posted_at DATETIME NOT NULL,
  posted_by TEXT NOT NULL
);

CREATE TABLE series (
  key TEXT PRIMARY KEY,
  last INTEGER NOT NULL
) STRICT;

-- +goose Down
DROP TABLE series;
DROP TABLE postings;
DROP TABLE proofs;
DROP TABLE records;
DROP TABLE rule_versions;
DROP TABLE rules;
DROP TABLE types;
DROP TABLE fields;
DROP TABLE kinds;
DROP TABLE companies;
