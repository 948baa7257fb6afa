-- +goose Up

-- A list of one company, or of one type, by number is read in its order, wherever the numbers of that company stand among all.
CREATE INDEX records_in_scope ON records (kind, company, type, number, state);

-- By change, lists are put together from those of each company and type, which records_anyone_last keeps.
DROP INDEX records_changed;
