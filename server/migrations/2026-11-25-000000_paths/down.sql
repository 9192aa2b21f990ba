DROP TABLE remembered_parts;
DROP TABLE intakes;
ALTER TABLE audio DROP COLUMN time_reference;
ALTER TABLE strips DROP COLUMN audio_start;
ALTER TABLE strips DROP COLUMN take_set;
ALTER TABLE strips DROP COLUMN guessed;
ALTER TABLE strips DROP COLUMN part;
DROP TABLE sends;
