-- +goose Up

-- A proof that was suggested and accepted stays marked until a person has read it.
ALTER TABLE proofs ADD COLUMN unread INTEGER NOT NULL DEFAULT 0;

-- The versions of the rules in its plan when it was kept.
ALTER TABLE proofs ADD COLUMN seen TEXT NOT NULL DEFAULT '{}';

-- Why a rule was put in force before proofs showed it both ways, or though saved records break it.
ALTER TABLE rules ADD COLUMN reason TEXT NOT NULL DEFAULT '';
ALTER TABLE rule_versions ADD COLUMN reason TEXT NOT NULL DEFAULT '';
