-- +goose Up

-- A set of changes of the rule book that comes into force together.
CREATE TABLE codicils (
  id INTEGER PRIMARY KEY,
  title TEXT NOT NULL,
  asked_by TEXT NOT NULL DEFAULT '', -- who wants it
  reason TEXT NOT NULL DEFAULT '',
  texts TEXT NOT NULL DEFAULT '[]', -- what is filed with it, as JSON
  state TEXT NOT NULL CHECK (state IN ('open', 'submitted', 'agreed', 'in force', 'withdrawn')),
  own INTEGER NOT NULL DEFAULT 0, -- a single change began it
  undoes INTEGER NOT NULL DEFAULT 0, -- the codicil that it takes back; 0: none
  version INTEGER NOT NULL DEFAULT 1, -- counts the changes of it and of what is in it
  revision INTEGER NOT NULL DEFAULT 0, -- the last of its changes
  effective TEXT NOT NULL DEFAULT '', -- when it is to come into force; '': when somebody says so
  turn INTEGER NOT NULL DEFAULT 0, -- counts those in force in the order in which they came; 0: not in force
  book INTEGER NOT NULL DEFAULT 0, -- the version of the rule book that it made; 0: one before this was kept
  hindered TEXT NOT NULL DEFAULT '', -- why it did not come into force when it was to
  made_at TEXT NOT NULL, made_by TEXT NOT NULL, made_person TEXT NOT NULL, made_via TEXT NOT NULL,
  submitted_at TEXT NOT NULL DEFAULT '', submitted_by TEXT NOT NULL DEFAULT '', submitted_person TEXT NOT NULL DEFAULT '', submitted_via TEXT NOT NULL DEFAULT '',
  agreed_at TEXT NOT NULL DEFAULT '', agreed_by TEXT NOT NULL DEFAULT '', agreed_person TEXT NOT NULL DEFAULT '', agreed_via TEXT NOT NULL DEFAULT '',
  accepted TEXT NOT NULL DEFAULT '', -- what spoke against it when it was agreed to, and was accepted with a reason
  ended_at TEXT NOT NULL DEFAULT '', ended_by TEXT NOT NULL DEFAULT '', ended_person TEXT NOT NULL DEFAULT '', ended_via TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX codicils_state ON codicils (state, id);
CREATE INDEX codicils_turn ON codicils (turn);

-- What is in each. Rows are only ever added: of one thing the last counts.
CREATE TABLE codicil_changes (
  codicil INTEGER NOT NULL REFERENCES codicils (id),
  revision INTEGER NOT NULL,
  what TEXT NOT NULL,
  key TEXT NOT NULL,
  base INTEGER NOT NULL, -- the version from which it was made; 0: there was none, or it has none
  version INTEGER NOT NULL, -- the version that it makes
  before TEXT, -- null: there was nothing in force
  after TEXT, -- null: there is nothing in force any more
  dropped INTEGER NOT NULL DEFAULT 0, -- it is no longer in the codicil
  changed_at TEXT NOT NULL, changed_by TEXT NOT NULL, changed_person TEXT NOT NULL, changed_via TEXT NOT NULL,
  PRIMARY KEY (codicil, revision)
) STRICT, WITHOUT ROWID;
CREATE INDEX codicil_changes_thing ON codicil_changes (what, key);

ALTER TABLE rule_versions ADD COLUMN codicil INTEGER NOT NULL DEFAULT 0; -- that brought it; 0: a draft
ALTER TABLE lookup_versions ADD COLUMN codicil INTEGER NOT NULL DEFAULT 0;

-- The codicil with which a proof was kept and that is not in force yet; 0: none.
ALTER TABLE proofs ADD COLUMN codicil INTEGER NOT NULL DEFAULT 0;

-- An identifier that a rule has on every installation.
ALTER TABLE rules ADD COLUMN uid TEXT NOT NULL DEFAULT '';
UPDATE rules SET uid = lower(hex(randomblob(8)));
CREATE UNIQUE INDEX rules_uid ON rules (uid);

-- What is changed together makes one version of the rule book: step is 1 where such a set was begun, and 2 where it
-- was counted.
ALTER TABLE rule_book ADD COLUMN step INTEGER NOT NULL DEFAULT 0;
DROP TRIGGER book_companies_added;
-- +goose StatementBegin
CREATE TRIGGER book_companies_added AFTER INSERT ON companies BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_companies_changed;
-- +goose StatementBegin
CREATE TRIGGER book_companies_changed AFTER UPDATE ON companies BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_companies_removed;
-- +goose StatementBegin
CREATE TRIGGER book_companies_removed AFTER DELETE ON companies BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_kinds_added;
-- +goose StatementBegin
CREATE TRIGGER book_kinds_added AFTER INSERT ON kinds BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_kinds_changed;
-- +goose StatementBegin
CREATE TRIGGER book_kinds_changed AFTER UPDATE ON kinds BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_types_added;
-- +goose StatementBegin
CREATE TRIGGER book_types_added AFTER INSERT ON types BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_types_changed;
-- +goose StatementBegin
CREATE TRIGGER book_types_changed AFTER UPDATE ON types BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_types_removed;
-- +goose StatementBegin
CREATE TRIGGER book_types_removed AFTER DELETE ON types BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_fields_added;
-- +goose StatementBegin
CREATE TRIGGER book_fields_added AFTER INSERT ON added_fields BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_fields_changed;
-- +goose StatementBegin
CREATE TRIGGER book_fields_changed AFTER UPDATE ON added_fields BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_layouts_added;
-- +goose StatementBegin
CREATE TRIGGER book_layouts_added AFTER INSERT ON layouts BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_layouts_changed;
-- +goose StatementBegin
CREATE TRIGGER book_layouts_changed AFTER UPDATE ON layouts BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_layouts_removed;
-- +goose StatementBegin
CREATE TRIGGER book_layouts_removed AFTER DELETE ON layouts BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_maps_added;
-- +goose StatementBegin
CREATE TRIGGER book_maps_added AFTER INSERT ON follow_ons BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_maps_changed;
-- +goose StatementBegin
CREATE TRIGGER book_maps_changed AFTER UPDATE ON follow_ons BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_maps_removed;
-- +goose StatementBegin
CREATE TRIGGER book_maps_removed AFTER DELETE ON follow_ons BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_tables_added;
-- +goose StatementBegin
CREATE TRIGGER book_tables_added AFTER INSERT ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_tables_changed;
-- +goose StatementBegin
CREATE TRIGGER book_tables_changed AFTER UPDATE ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_tables_removed;
-- +goose StatementBegin
CREATE TRIGGER book_tables_removed AFTER DELETE ON lookups BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_rules_added;
-- +goose StatementBegin
CREATE TRIGGER book_rules_added AFTER INSERT ON rules BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_rules_changed;
-- +goose StatementBegin
CREATE TRIGGER book_rules_changed AFTER UPDATE ON rules BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd
DROP TRIGGER book_rules_removed;
-- +goose StatementBegin
CREATE TRIGGER book_rules_removed AFTER DELETE ON rules BEGIN UPDATE rule_book SET version = version + (step < 2), step = CASE step WHEN 0 THEN 0 ELSE 2 END; END;
-- +goose StatementEnd

-- +goose Down
DROP TRIGGER book_companies_added;
-- +goose StatementBegin
CREATE TRIGGER book_companies_added AFTER INSERT ON companies BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_companies_changed;
-- +goose StatementBegin
CREATE TRIGGER book_companies_changed AFTER UPDATE ON companies BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_companies_removed;
-- +goose StatementBegin
CREATE TRIGGER book_companies_removed AFTER DELETE ON companies BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_kinds_added;
-- +goose StatementBegin
CREATE TRIGGER book_kinds_added AFTER INSERT ON kinds BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_kinds_changed;
-- +goose StatementBegin
CREATE TRIGGER book_kinds_changed AFTER UPDATE ON kinds BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_types_added;
-- +goose StatementBegin
CREATE TRIGGER book_types_added AFTER INSERT ON types BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_types_changed;
-- +goose StatementBegin
CREATE TRIGGER book_types_changed AFTER UPDATE ON types BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_types_removed;
-- +goose StatementBegin
CREATE TRIGGER book_types_removed AFTER DELETE ON types BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_fields_added;
-- +goose StatementBegin
CREATE TRIGGER book_fields_added AFTER INSERT ON added_fields BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_fields_changed;
-- +goose StatementBegin
CREATE TRIGGER book_fields_changed AFTER UPDATE ON added_fields BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_layouts_added;
-- +goose StatementBegin
CREATE TRIGGER book_layouts_added AFTER INSERT ON layouts BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_layouts_changed;
-- +goose StatementBegin
CREATE TRIGGER book_layouts_changed AFTER UPDATE ON layouts BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_layouts_removed;
-- +goose StatementBegin
CREATE TRIGGER book_layouts_removed AFTER DELETE ON layouts BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_maps_added;
-- +goose StatementBegin
CREATE TRIGGER book_maps_added AFTER INSERT ON follow_ons BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_maps_changed;
-- +goose StatementBegin
CREATE TRIGGER book_maps_changed AFTER UPDATE ON follow_ons BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_maps_removed;
-- +goose StatementBegin
CREATE TRIGGER book_maps_removed AFTER DELETE ON follow_ons BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_tables_added;
-- +goose StatementBegin
CREATE TRIGGER book_tables_added AFTER INSERT ON lookups BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_tables_changed;
-- +goose StatementBegin
CREATE TRIGGER book_tables_changed AFTER UPDATE ON lookups BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_tables_removed;
-- +goose StatementBegin
CREATE TRIGGER book_tables_removed AFTER DELETE ON lookups BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_rules_added;
-- +goose StatementBegin
CREATE TRIGGER book_rules_added AFTER INSERT ON rules BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_rules_changed;
-- +goose StatementBegin
CREATE TRIGGER book_rules_changed AFTER UPDATE ON rules BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
DROP TRIGGER book_rules_removed;
-- +goose StatementBegin
CREATE TRIGGER book_rules_removed AFTER DELETE ON rules BEGIN UPDATE rule_book SET version = version + 1; END;
-- +goose StatementEnd
ALTER TABLE rule_book DROP COLUMN step;
ALTER TABLE proofs DROP COLUMN codicil;
DROP INDEX rules_uid;
ALTER TABLE rules DROP COLUMN uid;
ALTER TABLE lookup_versions DROP COLUMN codicil;
ALTER TABLE rule_versions DROP COLUMN codicil;
DROP TABLE codicil_changes;
DROP TABLE codicils;
