ALTER TABLE sessions DROP COLUMN removed_at;
