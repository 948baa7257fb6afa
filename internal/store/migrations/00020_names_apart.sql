-- +goose Up

-- Names are filed apart that are never compared: those of different companies, or beside different other values. What is not
-- ready is made anew when the file is opened.
UPDATE unique_sets SET ready = 0 WHERE json_extract(definition, '$.near') AND (NOT json_extract(definition, '$.everywhere') OR json_array_length(definition, '$.fields') > 1);
