-- +goose Up

-- What was refused since the trail was told last: it is summed by the minute, and here until then.
CREATE TABLE refusals (
  what TEXT NOT NULL,
  key TEXT NOT NULL,
  address TEXT NOT NULL, -- from which it came; '': unknown
  session TEXT NOT NULL,
  by_at TEXT NOT NULL, by_by TEXT NOT NULL, by_person TEXT NOT NULL, by_via TEXT NOT NULL,
  count INTEGER NOT NULL
) STRICT;
