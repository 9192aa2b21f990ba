-- Who sounds into whom beside what a strip feeds, what each track is, and where its
-- audio begins in the song.
CREATE TABLE sends (
    session_id INTEGER NOT NULL,
    strip_id INTEGER NOT NULL,
    position INTEGER NOT NULL,
    to_strip INTEGER NOT NULL,
    level_db DOUBLE NOT NULL,
    before_fader BOOLEAN NOT NULL,
    PRIMARY KEY (session_id, strip_id, position),
    FOREIGN KEY (session_id, strip_id) REFERENCES strips (session_id, id) ON DELETE CASCADE
);

ALTER TABLE strips ADD COLUMN part TEXT NOT NULL DEFAULT 'unknown';
ALTER TABLE strips ADD COLUMN guessed BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE strips ADD COLUMN take_set INTEGER NOT NULL DEFAULT 0;
ALTER TABLE strips ADD COLUMN audio_start BIGINT NOT NULL DEFAULT 0;

-- Where a broadcast WAV says that it began, in frames since midnight.
ALTER TABLE audio ADD COLUMN time_reference BIGINT;

-- What the import check found in a recording (JSON of the core).
CREATE TABLE intakes (
    hash TEXT PRIMARY KEY NOT NULL REFERENCES audio (hash),
    body TEXT NOT NULL
);

-- What engineers said tracks of this name are, for the next import.
CREATE TABLE remembered_parts (
    name TEXT PRIMARY KEY NOT NULL,
    part TEXT NOT NULL
);
