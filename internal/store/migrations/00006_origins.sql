-- +goose Up

-- The version of the rule book, which grows with every change of what documents are judged by,
-- and the seed of the random parts of numbers, so that a number shown ahead is the one given.
CREATE TABLE rule_book (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  version INTEGER NOT NULL,
  seed TEXT NOT NULL
) STRICT;
INSERT INTO rule_book (id, version, seed) VALUES (1, 1, lower(hex(randomblob(32))));

-- +goose StatementBegin
CREATE TRIGGER book_companies_added AFTER INSERT ON companies BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_companies_changed AFTER UPDATE ON companies BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_companies_removed AFTER DELETE ON companies BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_kinds_added AFTER INSERT ON kinds BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_kinds_changed AFTER UPDATE ON kinds BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_types_added AFTER INSERT ON types BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_types_changed AFTER UPDATE ON types BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_types_removed AFTER DELETE ON types BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_fields_added AFTER INSERT ON added_fields BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_fields_changed AFTER UPDATE ON added_fields BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_layouts_added AFTER INSERT ON layouts BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_layouts_changed AFTER UPDATE ON layouts BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_layouts_removed AFTER DELETE ON layouts BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_maps_added AFTER INSERT ON follow_ons BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_maps_changed AFTER UPDATE ON follow_ons BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_maps_removed AFTER DELETE ON follow_ons BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_added AFTER INSERT ON lookups BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_changed AFTER UPDATE ON lookups BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_tables_removed AFTER DELETE ON lookups BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_rules_added AFTER INSERT ON rules BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_rules_changed AFTER UPDATE ON rules BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER book_rules_removed AFTER DELETE ON rules BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd

-- Who gave the values of the header (those of the lines stand with the lines), and the reasons
-- that were given. late: a linked record changed, and a live value is still to be taken anew.
ALTER TABLE records ADD COLUMN origins TEXT;
ALTER TABLE records ADD COLUMN reasons TEXT;
ALTER TABLE records ADD COLUMN late INTEGER NOT NULL DEFAULT 0;
CREATE INDEX records_late ON records (kind, number) WHERE late = 1;

-- The day of a company begins in its time zone; empty: that of the machine. Its format is the
-- one of people who chose none; empty: that of their browser.
ALTER TABLE companies ADD COLUMN time_zone TEXT NOT NULL DEFAULT '';
ALTER TABLE companies ADD COLUMN format TEXT; -- null: none

-- How people write numbers and dates, by their name.
CREATE TABLE preferences (
  person TEXT PRIMARY KEY,
  format TEXT NOT NULL
) STRICT;

-- Proofs have versions, each with its author and time.
ALTER TABLE proofs ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE proofs ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE proofs ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
CREATE TABLE proof_versions (
  proof_id INTEGER NOT NULL REFERENCES proofs (id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  what TEXT NOT NULL, -- "kept", "accepted", "carried anew", "read", "taken back"
  why TEXT NOT NULL,
  name TEXT NOT NULL,
  rules TEXT NOT NULL,
  given TEXT NOT NULL,
  expect TEXT NOT NULL,
  changed_at TEXT NOT NULL,
  changed_by TEXT NOT NULL,
  PRIMARY KEY (proof_id, version)
) STRICT;
INSERT INTO proof_versions (proof_id, version, what, why, name, rules, given, expect, changed_at, changed_by)
  SELECT id, 1, 'kept', '', name, rules, given, expect, '', '' FROM proofs;
