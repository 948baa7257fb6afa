-- +goose Up

-- Findings that a person has looked at and left as they are, with the reason. The key names the
-- finding as long as it is about the same rules.
CREATE TABLE silences (
  key TEXT NOT NULL PRIMARY KEY,
  reason TEXT NOT NULL,
  at TEXT NOT NULL,
  by TEXT NOT NULL,
  person TEXT NOT NULL DEFAULT '',
  via TEXT NOT NULL DEFAULT ''
) STRICT;
