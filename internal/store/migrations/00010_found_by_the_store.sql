-- +goose Up

-- Records get a number of their own, by which indexes name them.
CREATE TABLE records_new (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL REFERENCES kinds (key),
  number TEXT NOT NULL,
  company TEXT NOT NULL REFERENCES companies (key),
  type TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('kept', 'posted', 'reversed')),
  version INTEGER NOT NULL,
  field_values TEXT NOT NULL,
  record_lines BLOB, -- compressed, as are the next; null: none
  origins BLOB,
  reasons BLOB,
  late INTEGER NOT NULL DEFAULT 0,
  origin_kind TEXT NOT NULL DEFAULT '',
  origin_number TEXT NOT NULL DEFAULT '',
  reverses TEXT NOT NULL DEFAULT '',
  reversed_by TEXT NOT NULL DEFAULT '',
  changed_at TEXT NOT NULL, -- RFC 3339
  changed_by TEXT NOT NULL DEFAULT '',
  changed_person TEXT NOT NULL DEFAULT '',
  changed_via TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO records_new (kind, number, company, type, state, version, field_values, record_lines, origins, reasons, late, origin_kind, origin_number, reverses, reversed_by, changed_at, changed_by, changed_person, changed_via)
  SELECT kind, number, company, type, state, version, field_values, CAST(record_lines AS BLOB), CAST(origins AS BLOB), CAST(reasons AS BLOB), late, origin_kind, origin_number, reverses, reversed_by, changed_at, changed_by, changed_person, changed_via
  FROM records ORDER BY kind, number;
DROP TABLE records;
ALTER TABLE records_new RENAME TO records;
CREATE UNIQUE INDEX records_number ON records (kind, number);
CREATE INDEX records_scope ON records (kind, company, type, state);
CREATE INDEX records_changed ON records (kind, changed_at);
CREATE INDEX records_saved_last ON records (changed_person, kind, company, changed_at);
CREATE INDEX records_followers ON records (origin_kind, origin_number) WHERE origin_number <> '';
CREATE INDEX records_late ON records (kind, number) WHERE late = 1;
CREATE INDEX records_open ON records (kind, number) WHERE state = 'kept';

-- How many records of a kind there are.
CREATE TABLE record_counts (kind TEXT PRIMARY KEY, count INTEGER NOT NULL) STRICT, WITHOUT ROWID;
INSERT INTO record_counts SELECT kind, COUNT(*) FROM records GROUP BY kind;

-- By what records of a kind are found, as JSON: see indexes.go.
CREATE TABLE record_indexes (kind TEXT PRIMARY KEY, made TEXT NOT NULL) STRICT, WITHOUT ROWID;
-- The columns that lists are mostly sorted and narrowed by, and what each record is sorted by in
-- them; an empty key is a blank.
CREATE TABLE record_columns (id INTEGER PRIMARY KEY, kind TEXT NOT NULL, field TEXT NOT NULL, UNIQUE (kind, field)) STRICT;
CREATE TABLE record_keys (
  field INTEGER NOT NULL, -- of record_columns
  key BLOB NOT NULL,
  record INTEGER NOT NULL,
  PRIMARY KEY (field, key, record)
) STRICT, WITHOUT ROWID;
-- What words find records by, see words.go in core/record.
CREATE VIRTUAL TABLE record_words USING fts5 (grams, content = '', contentless_delete = 1, detail = none, tokenize = 'ascii');
-- Who names whom.
CREATE TABLE record_links (
  to_kind TEXT NOT NULL,
  to_number TEXT NOT NULL,
  record INTEGER NOT NULL,
  PRIMARY KEY (to_kind, to_number, record)
) STRICT, WITHOUT ROWID;

-- What must not be twice. A set says of which fields, and is made when a rule first asks. A key that a
-- refusing rule let pass stands in the one slot ''; any other in a slot of its own.
CREATE TABLE unique_sets (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL,
  definition TEXT NOT NULL,
  ready INTEGER NOT NULL,
  UNIQUE (kind, definition)
) STRICT;
CREATE TABLE unique_keys (
  unique_set INTEGER NOT NULL,
  company TEXT NOT NULL, -- empty: of all companies
  key TEXT NOT NULL,
  slot TEXT NOT NULL,
  record INTEGER NOT NULL,
  PRIMARY KEY (unique_set, company, key, slot)
) STRICT, WITHOUT ROWID;
-- Names that must not be almost equal, under the marks of package match.
CREATE TABLE unique_names (
  unique_set INTEGER NOT NULL,
  mark INTEGER NOT NULL,
  record INTEGER NOT NULL,
  name TEXT NOT NULL,
  company TEXT NOT NULL,
  beside TEXT NOT NULL, -- the key of the further fields
  PRIMARY KEY (unique_set, mark, record, name)
) STRICT, WITHOUT ROWID;

-- Times are text of one length everywhere.
CREATE TABLE rule_versions_new (
  rule_id INTEGER NOT NULL REFERENCES rules (id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  state TEXT NOT NULL,
  name TEXT NOT NULL,
  body TEXT NOT NULL,
  reason TEXT NOT NULL DEFAULT '',
  book INTEGER NOT NULL DEFAULT 0, -- the version of the rule book that it made; 0: one before this was kept
  changed_at TEXT NOT NULL,
  changed_by TEXT NOT NULL,
  changed_person TEXT NOT NULL DEFAULT '',
  changed_via TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (rule_id, version)
) STRICT;
INSERT INTO rule_versions_new SELECT rule_id, version, state, name, body, reason, 0,
  substr(changed_at, 1, 10) || 'T' || substr(changed_at, 12, 8) || '.' || substr(CASE substr(changed_at, 20, 1) WHEN '.' THEN substr(changed_at, 21, instr(replace(changed_at, 'Z', '+') || '+', '+') - 21) ELSE '' END || '000000', 1, 6) || 'Z',
  changed_by, changed_person, changed_via FROM rule_versions;
DROP TABLE rule_versions;
ALTER TABLE rule_versions_new RENAME TO rule_versions;

CREATE TABLE lookup_versions_new (
  what TEXT NOT NULL,
  key TEXT NOT NULL,
  version INTEGER NOT NULL,
  definition TEXT, -- null: it was removed
  book INTEGER NOT NULL DEFAULT 0, -- the version of the rule book that it made; 0: one before this was kept
  changed_at TEXT NOT NULL,
  changed_by TEXT NOT NULL,
  changed_person TEXT NOT NULL DEFAULT '',
  changed_via TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (what, key, version)
) STRICT;
INSERT INTO lookup_versions_new SELECT what, key, version, definition, 0,
  substr(changed_at, 1, 10) || 'T' || substr(changed_at, 12, 8) || '.' || substr(CASE substr(changed_at, 20, 1) WHEN '.' THEN substr(changed_at, 21, instr(replace(changed_at, 'Z', '+') || '+', '+') - 21) ELSE '' END || '000000', 1, 6) || 'Z',
  changed_by, changed_person, changed_via FROM lookup_versions;
DROP TABLE lookup_versions;
ALTER TABLE lookup_versions_new RENAME TO lookup_versions;

CREATE TABLE record_versions_new (
  kind TEXT NOT NULL,
  number TEXT NOT NULL,
  version INTEGER NOT NULL,
  what TEXT NOT NULL,
  type TEXT NOT NULL,
  content BLOB, -- compressed; null: that of the version before
  judged BLOB, -- which document was judged, and by what; compressed; null: not known
  changed_at TEXT NOT NULL,
  changed_by TEXT NOT NULL,
  changed_person TEXT NOT NULL DEFAULT '',
  changed_via TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (kind, number, version)
) STRICT;
INSERT INTO record_versions_new SELECT kind, number, version, what, type, CAST(content AS BLOB), NULL,
  substr(changed_at, 1, 10) || 'T' || substr(changed_at, 12, 8) || '.' || substr(CASE substr(changed_at, 20, 1) WHEN '.' THEN substr(changed_at, 21, instr(replace(changed_at, 'Z', '+') || '+', '+') - 21) ELSE '' END || '000000', 1, 6) || 'Z',
  changed_by, changed_person, changed_via FROM record_versions;
DROP TABLE record_versions;
ALTER TABLE record_versions_new RENAME TO record_versions;

-- The journal stands in the order of posting.
CREATE TABLE journal_before AS SELECT j.*, p.sequence FROM journal j JOIN postings p ON p.ledger = j.ledger AND p.number = j.posting;
DROP TABLE journal;
CREATE TABLE postings_new (
  ledger TEXT NOT NULL CHECK (ledger IN ('books', 'practice')),
  sequence INTEGER NOT NULL,
  number TEXT NOT NULL,
  kind TEXT NOT NULL REFERENCES kinds (key),
  company TEXT NOT NULL REFERENCES companies (key),
  type TEXT NOT NULL,
  day TEXT NOT NULL,
  title TEXT NOT NULL,
  document BLOB, -- compressed, as are the next; null: that of its record
  judged BLOB, -- of the practice ledger: which document was judged, and by what; null: with its record, or not known
  outcome BLOB NOT NULL,
  reverses TEXT NOT NULL DEFAULT '',
  posted_at TEXT NOT NULL,
  posted_by TEXT NOT NULL,
  posted_person TEXT NOT NULL DEFAULT '',
  posted_via TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (ledger, sequence)
) STRICT;
INSERT INTO postings_new SELECT ledger, sequence, number, kind, company, type, day, title, CAST(document AS BLOB), NULL, CAST(outcome AS BLOB), reverses,
  substr(posted_at, 1, 10) || 'T' || substr(posted_at, 12, 8) || '.' || substr(CASE substr(posted_at, 20, 1) WHEN '.' THEN substr(posted_at, 21, instr(replace(posted_at, 'Z', '+') || '+', '+') - 21) ELSE '' END || '000000', 1, 6) || 'Z',
  posted_by, posted_person, posted_via FROM postings;
DROP TABLE postings;
ALTER TABLE postings_new RENAME TO postings;
CREATE UNIQUE INDEX postings_number ON postings (ledger, number);
CREATE INDEX postings_reverses ON postings (ledger, reverses) WHERE reverses <> '';
CREATE TABLE journal (
  ledger TEXT NOT NULL,
  sequence INTEGER NOT NULL, -- of the posting
  line INTEGER NOT NULL,
  posting TEXT NOT NULL,
  company TEXT NOT NULL,
  day TEXT NOT NULL,
  account TEXT NOT NULL,
  text TEXT NOT NULL,
  debit TEXT NOT NULL, -- exact decimals; empty: none
  credit TEXT NOT NULL,
  currency TEXT NOT NULL,
  partner_kind TEXT NOT NULL,
  partner TEXT NOT NULL,
  PRIMARY KEY (ledger, sequence, line),
  FOREIGN KEY (ledger, sequence) REFERENCES postings (ledger, sequence) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
INSERT INTO journal SELECT ledger, sequence, line, posting, company, day, account, text, debit, credit, currency, partner_kind, partner FROM journal_before;
DROP TABLE journal_before;

-- Sums of the journal, kept as it grows: by account, and by partners of a kind.
CREATE TABLE balances (
  ledger TEXT NOT NULL,
  what TEXT NOT NULL, -- 'account', or the kind of the partners
  company TEXT NOT NULL,
  key TEXT NOT NULL,
  currency TEXT NOT NULL,
  debit TEXT NOT NULL, -- exact decimals
  credit TEXT NOT NULL,
  entries INTEGER NOT NULL,
  PRIMARY KEY (ledger, what, company, key, currency)
) STRICT, WITHOUT ROWID;

-- Long work: what it is, how far it came, and what it found, to be paged through and come back to.
CREATE TABLE runs (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  what TEXT NOT NULL,
  title TEXT NOT NULL,
  subject TEXT NOT NULL, -- what it is about, as JSON
  state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'stopped', 'failed', 'cut off')),
  done INTEGER NOT NULL DEFAULT 0,
  total INTEGER NOT NULL DEFAULT 0,
  found TEXT NOT NULL DEFAULT '', -- its counts, as JSON
  problem TEXT NOT NULL DEFAULT '',
  ended_at TEXT NOT NULL DEFAULT '',
  started_at TEXT NOT NULL,
  started_by TEXT NOT NULL,
  started_person TEXT NOT NULL,
  started_via TEXT NOT NULL
) STRICT;
CREATE TABLE run_results (
  run INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
  rank INTEGER NOT NULL, -- the more it matters, the lower
  place INTEGER NOT NULL,
  result BLOB NOT NULL, -- compressed JSON
  PRIMARY KEY (run, rank, place)
) STRICT, WITHOUT ROWID;

-- What came of every rule in saves and postings. The row of rule 0 says since when that is counted.
CREATE TABLE rule_uses (
  rule INTEGER PRIMARY KEY,
  acted INTEGER NOT NULL, -- saves and postings in which it did
  last_at TEXT NOT NULL, -- when it did last; empty: not since it is counted
  standing INTEGER NOT NULL -- records in which a value is that it gave
) STRICT;
