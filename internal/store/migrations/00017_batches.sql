-- +goose Up

-- Piles of documents that are keyed together, announced with count and total.
CREATE TABLE batches (
  id INTEGER PRIMARY KEY,
  version INTEGER NOT NULL,
  title TEXT NOT NULL,
  kind TEXT NOT NULL,
  company TEXT NOT NULL,
  type TEXT NOT NULL,
  state TEXT NOT NULL, -- 'open', 'closed' or 'withdrawn'
  count INTEGER NOT NULL DEFAULT 0, -- that was announced; 0: none was
  total TEXT NOT NULL DEFAULT '', -- that was announced, an exact decimal; '': none was
  total_field TEXT NOT NULL DEFAULT '', -- the field of the header that is added up
  posting TEXT NOT NULL DEFAULT '', -- 'each' at once, 'together' when it agrees; '': not from here
  second TEXT NOT NULL DEFAULT '[]', -- the fields that a second person keys again, as JSON; '*': all
  made_at TEXT NOT NULL, made_by TEXT NOT NULL, made_person TEXT NOT NULL, made_via TEXT NOT NULL
) STRICT;

-- The records that were keyed in a batch, in the order in which they were.
CREATE TABLE batch_documents (
  batch INTEGER NOT NULL REFERENCES batches (id),
  position INTEGER NOT NULL,
  kind TEXT NOT NULL,
  number TEXT NOT NULL,
  keyed_at TEXT NOT NULL, keyed_by TEXT NOT NULL, keyed_person TEXT NOT NULL, keyed_via TEXT NOT NULL,
  second TEXT, -- what came of what a second person keyed, as JSON; NULL: nobody did
  second_at TEXT NOT NULL DEFAULT '', second_by TEXT NOT NULL DEFAULT '', second_person TEXT NOT NULL DEFAULT '', second_via TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (batch, position)
) STRICT, WITHOUT ROWID;
CREATE UNIQUE INDEX batch_documents_number ON batch_documents (kind, number);

-- How often the rules refused what a person keyed in a batch.
CREATE TABLE batch_refusals (
  batch INTEGER NOT NULL REFERENCES batches (id),
  person TEXT NOT NULL,
  name TEXT NOT NULL,
  count INTEGER NOT NULL,
  PRIMARY KEY (batch, person)
) STRICT, WITHOUT ROWID;

-- What anyone saved last in a company, of a kind and type.
CREATE INDEX records_anyone_last ON records (kind, company, type, changed_at);

-- +goose Down
DROP INDEX records_anyone_last;
DROP TABLE batch_refusals;
DROP TABLE batch_documents;
DROP TABLE batches;
