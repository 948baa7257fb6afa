-- +goose Up

-- Wrong versions of rules that a person has set aside, with the reason: they cannot be told from
-- the rule, or are not worth a proof. They stay in what the strength counts.
CREATE TABLE set_asides (
  rule_id INTEGER NOT NULL REFERENCES rules(id) ON DELETE CASCADE,
  change TEXT NOT NULL,
  reason TEXT NOT NULL,
  at TEXT NOT NULL,
  by TEXT NOT NULL,
  PRIMARY KEY (rule_id, change)
) STRICT;
