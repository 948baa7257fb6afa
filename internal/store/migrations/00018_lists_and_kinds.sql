-- +goose Up

-- What rules look up, and the lists of codes that fields choose from.
CREATE TABLE lookups_new (
  what TEXT NOT NULL CHECK (what IN ('standing', 'crosswalk', 'series', 'list')),
  key TEXT NOT NULL,
  version INTEGER NOT NULL,
  definition TEXT NOT NULL,
  PRIMARY KEY (what, key)
) STRICT;
INSERT INTO lookups_new SELECT what, key, version, definition FROM lookups;
DROP TABLE lookups;
ALTER TABLE lookups_new RENAME TO lookups;
-- +goose StatementBegin
CREATE TRIGGER book_tables_added AFTER INSERT ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_changed AFTER UPDATE ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_removed AFTER DELETE ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd

-- Kinds that administrators make, and what they make of those that come with the program: all but
-- the standard fields, as JSON; NULL: nothing.
ALTER TABLE kinds ADD COLUMN own INTEGER NOT NULL DEFAULT 0;
ALTER TABLE kinds ADD COLUMN settings TEXT;
ALTER TABLE kinds ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE kinds ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE kinds ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE kinds ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
-- +goose StatementBegin
CREATE TRIGGER book_kinds_removed AFTER DELETE ON kinds BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd

-- What records of a kind bear out, as it was learned last: it can be learned again at any time.
CREATE TABLE learned (
  kind TEXT PRIMARY KEY REFERENCES kinds (key),
  version INTEGER NOT NULL, -- of what the program writes here; another is not read
  run INTEGER NOT NULL,
  at TEXT NOT NULL,
  seen INTEGER NOT NULL,
  proposals TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- Proposals that somebody decided against.
CREATE TABLE learned_asides (
  kind TEXT NOT NULL REFERENCES kinds (key),
  key TEXT NOT NULL,
  reason TEXT NOT NULL,
  at TEXT NOT NULL, by TEXT NOT NULL, person TEXT NOT NULL, via TEXT NOT NULL,
  PRIMARY KEY (kind, key)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE learned_asides;
DROP TABLE learned;
DROP TRIGGER book_kinds_removed;
DELETE FROM kinds WHERE own;
ALTER TABLE kinds DROP COLUMN own;
ALTER TABLE kinds DROP COLUMN settings;
ALTER TABLE kinds DROP COLUMN changed_at;
ALTER TABLE kinds DROP COLUMN changed_by;
ALTER TABLE kinds DROP COLUMN changed_person;
ALTER TABLE kinds DROP COLUMN changed_via;
CREATE TABLE lookups_old (
  what TEXT NOT NULL CHECK (what IN ('standing', 'crosswalk', 'series')),
  key TEXT NOT NULL,
  version INTEGER NOT NULL,
  definition TEXT NOT NULL,
  PRIMARY KEY (what, key)
) STRICT;
INSERT INTO lookups_old SELECT what, key, version, definition FROM lookups WHERE what <> 'list';
DROP TABLE lookups;
ALTER TABLE lookups_old RENAME TO lookups;
-- +goose StatementBegin
CREATE TRIGGER book_tables_added AFTER INSERT ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_changed AFTER UPDATE ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_removed AFTER DELETE ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
