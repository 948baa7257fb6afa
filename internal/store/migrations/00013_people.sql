-- +goose Up
ALTER TABLE record_versions ADD COLUMN company TEXT NOT NULL DEFAULT ''; -- of a record that is gone; empty: it is not, or not known

ALTER TABLE runs ADD COLUMN companies TEXT; -- in which it works, as JSON; null: all

CREATE TABLE persons (
  id TEXT PRIMARY KEY, -- for good, whatever they are called
  name TEXT NOT NULL,
  sign_in TEXT NOT NULL UNIQUE, -- in small letters
  language TEXT NOT NULL DEFAULT '',
  everywhere INTEGER NOT NULL DEFAULT 0,
  companies TEXT, -- a list as JSON
  roles TEXT NOT NULL, -- likewise
  ended INTEGER NOT NULL DEFAULT 0,
  version INTEGER NOT NULL,
  password TEXT NOT NULL DEFAULT '', -- hashed; empty: none
  word BLOB, -- the hash of a one-time word
  word_ends TEXT NOT NULL DEFAULT '',
  factor BLOB, -- the secret of the second factor
  factor_step INTEGER NOT NULL DEFAULT 0, -- the step of the last code that was taken
  recovery TEXT, -- hashes of codes, as JSON; null: none
  subject TEXT NOT NULL DEFAULT '', -- as a provider of sign-ins knows them
  at TEXT NOT NULL,
  by TEXT NOT NULL,
  person TEXT NOT NULL,
  via TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX persons_subject ON persons (subject) WHERE subject <> '';

CREATE TABLE roles (
  key TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  permissions TEXT NOT NULL, -- a list as JSON
  kinds TEXT NOT NULL, -- likewise; empty: all
  version INTEGER NOT NULL,
  at TEXT NOT NULL,
  by TEXT NOT NULL,
  person TEXT NOT NULL,
  via TEXT NOT NULL
) STRICT;

CREATE TABLE sessions (
  hash BLOB PRIMARY KEY, -- of what the browser holds
  id TEXT NOT NULL UNIQUE,
  owner TEXT NOT NULL REFERENCES persons (id),
  begun TEXT NOT NULL,
  used TEXT NOT NULL,
  address TEXT NOT NULL,
  program TEXT NOT NULL -- what the browser says it is
) STRICT;
CREATE INDEX sessions_owner ON sessions (owner);

CREATE TABLE program_keys (
  id TEXT PRIMARY KEY,
  hash BLOB NOT NULL UNIQUE,
  name TEXT NOT NULL,
  owner TEXT NOT NULL REFERENCES persons (id),
  permissions TEXT NOT NULL,
  kinds TEXT NOT NULL,
  everywhere INTEGER NOT NULL,
  companies TEXT NOT NULL,
  ends TEXT NOT NULL, -- a day
  revoked INTEGER NOT NULL DEFAULT 0,
  used TEXT NOT NULL DEFAULT '',
  at TEXT NOT NULL,
  by TEXT NOT NULL,
  person TEXT NOT NULL,
  via TEXT NOT NULL
) STRICT;

CREATE TABLE trail (
  id INTEGER PRIMARY KEY,
  at TEXT NOT NULL,
  person TEXT NOT NULL,
  by TEXT NOT NULL,
  via TEXT NOT NULL,
  address TEXT NOT NULL,
  session TEXT NOT NULL,
  what TEXT NOT NULL, -- what happened: "saved", "signed in", …
  kind TEXT NOT NULL, -- of thing: a kind of record, or "rule", "person", …
  key TEXT NOT NULL,
  company TEXT NOT NULL, -- empty: not of one
  note TEXT NOT NULL,
  count INTEGER NOT NULL, -- how often, where entries are summed
  before BLOB, -- hashes of the version before and after; null: there is none
  after BLOB,
  chain BLOB NOT NULL -- the hash of this entry and of the one before it
) STRICT;
CREATE INDEX trail_person ON trail (person, id);
CREATE INDEX trail_thing ON trail (kind, key, id);
CREATE INDEX trail_company ON trail (company, id);
CREATE TABLE trail_head (id INTEGER PRIMARY KEY CHECK (id = 1), last INTEGER NOT NULL, chain BLOB NOT NULL) STRICT;
INSERT INTO trail_head VALUES (1, 0, x'');
INSERT INTO roles (key, name, permissions, kinds, version, at, by, person, via) VALUES
  ('keeper', 'Keeper of rules', '["records.read","records.export","ledger.read","practice.post","rules.read","rules.change","rules.force","tables.change","setup.change","proofs.change"]', '[]', 1, '', '', '', ''),
  ('signer', 'Signer', '["records.read","ledger.read","rules.read","rules.force"]', '[]', 1, '', '', '', ''),
  ('operator', 'Operator', '["records.read","records.change","records.post","records.many","records.export","ledger.read"]', '[]', 1, '', '', '', ''),
  ('reader', 'Reader', '["records.read","records.export","ledger.read","rules.read","trail.read"]', '[]', 1, '', '', '', ''),
  ('administrator', 'Administrator', '["persons.change","trail.read","backup.make"]', '[]', 1, '', '', '', '');

-- +goose Down
DROP TABLE trail_head;
DROP TABLE trail;
DROP TABLE program_keys;
DROP TABLE sessions;
DROP TABLE roles;
DROP TABLE persons;
ALTER TABLE runs DROP COLUMN companies;
ALTER TABLE record_versions DROP COLUMN company;
