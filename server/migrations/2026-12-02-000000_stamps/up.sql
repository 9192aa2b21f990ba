-- Where the file of a track said that it began, in frames since midnight: it belongs to the file, not to the sound.
ALTER TABLE strips ADD COLUMN audio_stamp BIGINT;
