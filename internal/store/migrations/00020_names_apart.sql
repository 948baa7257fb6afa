-- +goose Up

-- Names are filed apart that are never compared: those of different companies, or beside different other values. Their marks say
-- so, and nothing else of them is kept. What is not ready is made anew when the file is opened.
DROP TABLE unique_names;
CREATE TABLE unique_names (
  unique_set INTEGER NOT NULL,
  mark INTEGER NOT NULL,
  record INTEGER NOT NULL,
  name TEXT NOT NULL,
  PRIMARY KEY (unique_set, mark, record, name)
) STRICT, WITHOUT ROWID;
UPDATE unique_sets SET ready = 0 WHERE json_extract(definition, '$.near');
