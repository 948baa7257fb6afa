-- +goose Up

-- What is kept compressed is written with a second dictionary from here on; a release that knows only the first cannot read it
-- and refuses the file.
SELECT 1;
