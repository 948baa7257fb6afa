-- +goose Up

-- A record that follows another follows the survivor once that is merged; taking the merge back needs to know whom it followed.
ALTER TABLE run_writes ADD COLUMN preceding TEXT NOT NULL DEFAULT '';
