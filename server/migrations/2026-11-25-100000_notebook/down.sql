ALTER TABLE sessions DROP COLUMN notebook;
