-- +goose Up

-- What rules look up: standing values, crosswalks, number series.
CREATE TABLE lookups (
  what TEXT NOT NULL CHECK (what IN ('standing', 'crosswalk', 'series')),
  key TEXT NOT NULL,
  version INTEGER NOT NULL,
  definition TEXT NOT NULL,
  PRIMARY KEY (what, key)
) STRICT;

-- What each has been; versions are only ever added.
CREATE TABLE lookup_versions (
  what TEXT NOT NULL,
  key TEXT NOT NULL,
  version INTEGER NOT NULL,
  definition TEXT, -- null: it was removed
  changed_at DATETIME NOT NULL,
  changed_by TEXT NOT NULL,
  PRIMARY KEY (what, key, version)
);
