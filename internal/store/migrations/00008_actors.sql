-- +goose Up

-- Who wrote a row, and from where. *_by is what the person was called then, *_person names them
-- for good: so far the same, because people have no identity but their name. *_via is the way
-- in: browser, program, command line; empty: not known, or the program itself.
ALTER TABLE rule_versions ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE rule_versions ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
UPDATE rule_versions SET changed_person = changed_by;
ALTER TABLE records ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE records ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
UPDATE records SET changed_person = changed_by;
ALTER TABLE record_versions ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE record_versions ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
UPDATE record_versions SET changed_person = changed_by;
ALTER TABLE postings ADD COLUMN posted_person TEXT NOT NULL DEFAULT '';
ALTER TABLE postings ADD COLUMN posted_via TEXT NOT NULL DEFAULT '';
UPDATE postings SET posted_person = posted_by;
ALTER TABLE lookup_versions ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE lookup_versions ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
UPDATE lookup_versions SET changed_person = changed_by;
ALTER TABLE proofs ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE proofs ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
UPDATE proofs SET changed_person = changed_by;
ALTER TABLE proof_versions ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE proof_versions ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
UPDATE proof_versions SET changed_person = changed_by;
ALTER TABLE set_asides ADD COLUMN person TEXT NOT NULL DEFAULT '';
ALTER TABLE set_asides ADD COLUMN via TEXT NOT NULL DEFAULT '';
UPDATE set_asides SET person = by;

-- Rows without versions tell of their last change.
ALTER TABLE companies ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE companies ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE companies ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE companies ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
ALTER TABLE types ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE types ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE types ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE types ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
ALTER TABLE layouts ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE layouts ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE layouts ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE layouts ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
ALTER TABLE follow_ons ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE follow_ons ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE follow_ons ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE follow_ons ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
ALTER TABLE added_fields ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE added_fields ADD COLUMN changed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE added_fields ADD COLUMN changed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE added_fields ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
ALTER TABLE added_fields ADD COLUMN removed_person TEXT NOT NULL DEFAULT '';
ALTER TABLE added_fields ADD COLUMN removed_via TEXT NOT NULL DEFAULT '';
UPDATE added_fields SET removed_person = removed_by WHERE removed_at IS NOT NULL;
ALTER TABLE preferences ADD COLUMN changed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE preferences ADD COLUMN changed_via TEXT NOT NULL DEFAULT '';
