ALTER TABLE strips DROP COLUMN audio_stamp;
