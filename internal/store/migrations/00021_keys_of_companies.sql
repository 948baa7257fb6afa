-- +goose Up

-- What records are sorted by says of which company they are: a list of one company passes over the others without looking
-- for each of them.
CREATE TABLE record_keys_new (
  field INTEGER NOT NULL, -- of record_columns
  key BLOB NOT NULL,
  record INTEGER NOT NULL,
  company TEXT NOT NULL,
  PRIMARY KEY (field, key, record)
) STRICT, WITHOUT ROWID;
INSERT INTO record_keys_new SELECT k.field, k.key, k.record, r.company FROM record_keys k JOIN records r ON r.id = k.record ORDER BY k.field, k.key, k.record;
DROP TABLE record_keys;
ALTER TABLE record_keys_new RENAME TO record_keys;
