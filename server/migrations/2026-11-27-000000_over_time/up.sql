-- What of a strip's level, pan, mute and sends changes with the song, as JSON; that of a unit is in its
-- body. Whether points of lanes stay on their beats when the tempo changes.
ALTER TABLE strips ADD COLUMN over_time TEXT NOT NULL DEFAULT '[]';
ALTER TABLE sessions ADD COLUMN points_on_beats BOOLEAN NOT NULL DEFAULT FALSE;
