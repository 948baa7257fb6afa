-- +goose Up

-- A proof that was suggested and accepted stays marked until a person has read it.
ALTER TABLE proofs ADD COLUMN unread INTEGER NOT NULL DEFAULT 0;
