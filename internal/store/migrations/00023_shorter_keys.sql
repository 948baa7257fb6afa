-- +goose Up

-- What records are sorted by no longer says of its last letters that they have no marks.
CREATE TABLE record_keys_new (
  field INTEGER NOT NULL, -- of record_columns
  key BLOB NOT NULL,
  record INTEGER NOT NULL,
  company TEXT NOT NULL,
  PRIMARY KEY (field, key, record)
) STRICT, WITHOUT ROWID;
INSERT INTO record_keys_new SELECT field, CASE key WHEN x'' THEN key ELSE shortened(key) END, record, company FROM record_keys ORDER BY 1, 2, 3;
DROP TABLE record_keys;
ALTER TABLE record_keys_new RENAME TO record_keys;

-- That of what changed last tells as well how many there are of a company and type. A list of those that were taken back goes
-- along an index of its own, as that of the open ones does.
DROP INDEX records_scope;
CREATE INDEX records_taken_back ON records (kind, number) WHERE state = 'reversed';
