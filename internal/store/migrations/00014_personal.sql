-- +goose Up
CREATE TABLE personal_fields (
  kind TEXT NOT NULL REFERENCES kinds (key),
  field TEXT NOT NULL,
  personal INTEGER NOT NULL, -- what stands here goes before what the field says of itself
  PRIMARY KEY (kind, field)
) STRICT, WITHOUT ROWID;

CREATE TABLE passkeys (
  id TEXT PRIMARY KEY,
  owner TEXT NOT NULL REFERENCES persons (id),
  name TEXT NOT NULL, -- as its owner calls it
  credential BLOB NOT NULL UNIQUE, -- its own number
  held TEXT NOT NULL, -- what there is to know of it, as JSON; nothing of it is secret
  used TEXT NOT NULL DEFAULT '',
  at TEXT NOT NULL,
  by TEXT NOT NULL,
  person TEXT NOT NULL,
  via TEXT NOT NULL
) STRICT;
CREATE INDEX passkeys_owner ON passkeys (owner);

UPDATE roles SET permissions = '["persons.change","trail.read","backup.make","personal.blank"]' WHERE key = 'administrator' AND permissions = '["persons.change","trail.read","backup.make"]';

-- +goose Down
UPDATE roles SET permissions = '["persons.change","trail.read","backup.make"]' WHERE key = 'administrator' AND permissions = '["persons.change","trail.read","backup.make","personal.blank"]';
DROP TABLE passkeys;
DROP TABLE personal_fields;
