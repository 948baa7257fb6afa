-- +goose Up

-- Who must sign codicils: one row, as JSON, which is changed as a whole.
CREATE TABLE signing (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  version INTEGER NOT NULL DEFAULT 0,
  urgent_days INTEGER NOT NULL DEFAULT 3, -- in how many days signatures of what was urgent are to be given; 0: nothing may be urgent
  rules TEXT NOT NULL DEFAULT '[]'
) STRICT;
INSERT INTO signing (id) VALUES (1);

-- Who signed a codicil, and as it stood then. Rows are only ever added.
CREATE TABLE signatures (
  codicil INTEGER NOT NULL REFERENCES codicils (id),
  number INTEGER NOT NULL,
  hash TEXT NOT NULL, -- of the codicil as it was read
  roles TEXT NOT NULL, -- of the person then, as JSON
  lines TEXT NOT NULL, -- what they read, as JSON
  reason TEXT NOT NULL DEFAULT '',
  signed_at TEXT NOT NULL, signed_by TEXT NOT NULL, signed_person TEXT NOT NULL, signed_via TEXT NOT NULL,
  PRIMARY KEY (codicil, number)
) STRICT, WITHOUT ROWID;

ALTER TABLE codicils ADD COLUMN checked TEXT NOT NULL DEFAULT ''; -- what the check found when it was agreed to, as JSON
ALTER TABLE codicils ADD COLUMN hash TEXT NOT NULL DEFAULT ''; -- of what came into force, as it was signed
ALTER TABLE codicils ADD COLUMN owed TEXT NOT NULL DEFAULT ''; -- until when signatures are owed; '': none are

-- +goose Down
ALTER TABLE codicils DROP COLUMN owed;
ALTER TABLE codicils DROP COLUMN hash;
ALTER TABLE codicils DROP COLUMN checked;
DROP TABLE signatures;
DROP TABLE signing;
